"""mix: two chains by a factor."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...errors import BadInput
from ...kernels import blending
from ...kernels.parallel import over
from ..follow import Follow
from .base import KIND_WORDS, Blend, Context, Kind, Share, Step, Value, same_shapes

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
        if inner[0] != "colour" and self.blend in blending.NON_SEPARABLE:
            raise BadInput(
                f"The blend mode {self.blend!r} wants colours, but {KIND_WORDS[inner[0]]} comes. "
                "Choose an arithmetic one, such as add or multiply.",
                place=f"{place}.blend", code="wrong_kind",
            )  # fmt: skip
        return inner[0]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) or (n, k) float32."""
        assert incoming is not None
        first, second = incoming.array, context.inner[0].array
        same_shapes((incoming, context.inner[0]), context.place)
        out, factor = empty(first.shape), context.numbers(self, "factor")
        width, mode = first.shape[1] if first.ndim == 2 else 1, blending.MODES[self.blend]
        # Vectors and numbers may be negative; colours may not.
        each = 3 if incoming.kind == "colour" else 1

        def work(a: int, b: int) -> None:
            parts = np.ascontiguousarray(factor(a, b).repeat(width // each))
            blending.blend(
                first[a:b].reshape(-1), second[a:b].reshape(-1), parts, each, mode, False, out[a:b].reshape(-1)
            )

        over(len(out), work, context.check)
        return Value(incoming.kind, out)
