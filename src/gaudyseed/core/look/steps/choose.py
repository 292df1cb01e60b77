"""choose: one of several chains by an index."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...errors import BadInput
from ...kernels import shaping
from ...kernels.parallel import over
from .base import KIND_WORDS, Context, Kind, Step, Value, precise, same_shapes
from .quantise import bands_wanted

if TYPE_CHECKING:
    from . import AnyStep

MOST_CHAINS = 64


class Choose(Step):
    """The incoming number picks one of n chains for each element.

    ``value``: 0..1 is cut into n equal parts, one a chain (1 belongs to the last).
    ``index``: whole numbers 0 to n - 1. Beyond the ends the last one is held or they begin anew.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    summary: ClassVar[str] = "one of several chains, by the value"
    exact: ClassVar[bool] = True

    step: Literal["choose"]
    of: Literal["value", "index"] = Field("value", title="From")
    beyond: Literal["hold", "repeat"] = Field("hold", title="Beyond the ends")
    chains: tuple[tuple[AnyStep, ...], ...] = Field(
        min_length=1, max_length=MOST_CHAINS, title="Chains", json_schema_extra={"control": "chains"}
    )

    def inner_chains(self) -> Sequence[tuple[str, Sequence[Step]]]:
        """All of them."""
        return [(f"chains[{k}]", chain) for k, chain in enumerate(self.chains)]

    def result_kind_of(self, inner: Sequence[Kind], place: str, incoming: Kind | None) -> Kind | None:
        """What the chains give, which must be one kind."""
        for k, kind in enumerate(inner):
            if kind != inner[0]:
                raise BadInput(
                    f"Chain 1 gives {KIND_WORDS[inner[0]]}, but chain {k + 1} gives {KIND_WORDS[kind]}. "
                    "All chains of a choose step must give one kind.",
                    place=f"{place}.chains[{k}]", code="wrong_kind",
                )  # fmt: skip
        return inner[0]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) or (n, k) float32; ``stops`` tells which chain each element took."""
        assert incoming is not None
        choices = context.inner
        values = precise(incoming, context.place)
        same_shapes(choices, context.place)
        out = empty(choices[0].array.shape)
        picked = empty(len(values), np.uint8)
        count, wrap = len(choices), self.beyond == "repeat"

        def work(a: int, b: int) -> None:
            counts = np.full(b - a, count, np.float32)
            places = np.empty(b - a, np.float32)
            shaping.quantise(bands_wanted(values[a:b], counts, self.of, wrap), counts, wrap, places)
            chosen = (places * count).astype(np.int32)
            for k, choice in enumerate(choices):
                mine = chosen == k
                out[a:b][mine] = choice.array[a:b][mine]
            picked[a:b] = chosen

        over(len(out), work, context.check)
        return Value(choices[0].kind, out, picked)
