"""mix: two chains by a factor."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

from pydantic import Field

from ...documents.limits import Share
from ...errors import BadInput
from ...kinds import Kind, Word, described
from ...scene.follow import Follow
from ...stacking import blending_of, check_blend
from ..step.base import AnyStep, Step
from ..step.parameters import MOST_STEPS, Blend
from ..step.values import Context, Plan, Value


class Mix(Step):
    """What comes in, blended with another chain of the same kind: a factor of 0 keeps it, 1 gives the blend.

    Blend modes as for layers, in linear light; those that look at a whole colour want colours.
    """

    title: ClassVar[str] = "Mix"
    noun: ClassVar[str] = "a mix"
    group: ClassVar = "combine"
    takes: ClassVar[tuple[Word, ...]] = ("number", "vector", "colour")
    summary: ClassVar[str] = "with another chain, by a factor"

    step: Literal["mix"]
    factor: Share | Follow = Field(0.5, title="Factor", json_schema_extra={"unit": "share"})
    blend: Blend = Field("normal", title="Blend")
    chain: tuple[AnyStep, ...] = Field(
        min_length=1, max_length=MOST_STEPS, title="The other chain", json_schema_extra={"control": "chains"}
    )

    def inner_chains(self) -> Sequence[tuple[str, Sequence[Step]]]:
        """The chain that it is mixed with."""
        return [("chain", self.chain)]

    def result_kind_of(self, inner: Sequence[Kind], place: str, incoming: Kind | None) -> Kind | None:
        """The kind that both inputs have."""
        if incoming is not None and inner[0] != incoming:
            raise BadInput(
                f"{described(incoming, inner[0]).capitalize()} comes, but the other chain gives "
                f"{described(inner[0], incoming)}. "
                "Both must be of one kind.",
                place=f"{place}.chain", code="wrong_kind",
            )  # fmt: skip
        check_blend(inner[0].word, self.blend, place)
        return inner[0]

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) or (n, k) float32."""
        assert incoming is not None
        other, factor = context.inner[0], context.numbers(self, "factor")
        return Plan(blending_of(incoming.array, other.array, context.kind, factor, self.blend, False))
