"""mix: two chains by a factor."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from ...errors import BadInput
from ...stacking import blended, check_blend
from ..follow import Follow
from .base import KIND_WORDS, MOST_STEPS, Blend, Context, Kind, Share, Step, Value, same_shapes

if TYPE_CHECKING:
    from . import AnyStep


class Mix(Step):
    """What comes in, blended with another chain of the same kind: a factor of 0 keeps it, 1 gives the blend.

    Blend modes as for layers, in linear light; those that look at a whole colour want colours.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number", "vector", "colour")
    summary: ClassVar[str] = "with another chain, by a factor"

    step: Literal["mix"]
    factor: Share | Follow = Field(0.5, title="Factor", json_schema_extra={"unit": "share"})
    blend: Blend = Field("normal", title="Blend")
    chain: tuple[AnyStep, ...] = Field(
        min_length=1, max_length=MOST_STEPS, title="The other chain", json_schema_extra={"control": "chains"}
    )

    def inner_chains(self) -> Sequence[tuple[str, Sequence[Step]]]:
        """The other one."""
        return [("chain", self.chain)]

    def result_kind_of(self, inner: Sequence[Kind], place: str, incoming: Kind | None) -> Kind | None:
        """The kind of both."""
        if incoming is not None and inner[0] != incoming:
            raise BadInput(
                f"{KIND_WORDS[incoming].capitalize()} comes, but the other chain gives {KIND_WORDS[inner[0]]}. "
                "Both must be of one kind.",
                place=f"{place}.chain", code="wrong_kind",
            )  # fmt: skip
        check_blend(inner[0], self.blend, place)
        return inner[0]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) or (n, k) float32."""
        assert incoming is not None
        other = context.inner[0]
        same_shapes((incoming, other), context.place)
        factor = context.numbers(self, "factor")
        out = blended(incoming.array, other.array, incoming.kind, factor, self.blend, False, context.check)
        return Value(incoming.kind, out)
