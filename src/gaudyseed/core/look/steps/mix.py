"""mix: two chains by a factor."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...errors import BadInput
from ...kernels import shaping
from ...kernels.parallel import over
from ..follow import Follow
from .base import KIND_WORDS, Context, Kind, Share, Step, Value

if TYPE_CHECKING:
    from . import AnyStep


class Mix(Step):
    """What comes in, mixed with another chain of the same kind: 0 keeps it, 1 gives the other. In linear light."""

    takes: ClassVar[tuple[Kind, ...]] = ("number", "vector", "colour")
    summary: ClassVar[str] = "with another chain, by a factor"

    step: Literal["mix"]
    factor: Share | Follow = Field(0.5, title="Factor", json_schema_extra={"unit": "share"})
    chain: tuple[AnyStep, ...] = Field(
        min_length=1, max_length=64, title="The other chain", json_schema_extra={"control": "chains"}
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
        return inner[0]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) or (n, k) float32."""
        assert incoming is not None
        first, second = incoming.array, context.inner[0].array
        if first.shape != second.shape:
            raise BadInput("The two chains give vectors of different lengths.", place=context.place, code="wrong_kind")
        out, factor = empty(first.shape), context.numbers(self, "factor")

        def work(a: int, b: int) -> None:
            parts = np.ascontiguousarray(factor(a, b))
            shaping.mix(first[a:b].reshape(-1), second[a:b].reshape(-1), parts, out[a:b].reshape(-1))

        over(len(out), work, context.check)
        return Value(incoming.kind, out)
