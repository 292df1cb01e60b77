"""choose: one of several chains by an index."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from ...errors import BadInput
from ...kernels import shaping
from ...kinds import Kind, Word, described
from ...ramps.banding import bands_wanted
from ..step.base import AnyStep, Step, precise
from ..step.values import Context, Plan, Value

MOST_CHAINS = 64


class Choose(Step):
    """The incoming number picks one of n chains for each element.

    ``value``: 0..1 is cut into n equal parts, one a chain (1 belongs to the last).
    ``index``: whole numbers 0 to n - 1. Beyond the ends the last one is held or they begin anew.
    """

    title: ClassVar[str] = "Choose"
    noun: ClassVar[str] = "a choice"
    group: ClassVar = "combine"
    takes: ClassVar[tuple[Word, ...]] = ("number",)
    summary: ClassVar[str] = "one of several chains, by the value"
    exact: ClassVar[bool] = True

    step: Literal["choose"]
    of: Literal["value", "index"] = Field("value", title="From")
    beyond: Literal["hold", "repeat"] = Field("hold", title="Beyond the ends")
    chains: tuple[tuple[AnyStep, ...], ...] = Field(
        min_length=1, max_length=MOST_CHAINS, title="Chains", json_schema_extra={"control": "chains"}
    )

    def inner_chains(self) -> Sequence[tuple[str, Sequence[Step]]]:
        """Its chains, one for each choice."""
        return [(f"chains[{k}]", chain) for k, chain in enumerate(self.chains)]

    def result_kind_of(self, inner: Sequence[Kind], place: str, incoming: Kind | None) -> Kind | None:
        """What the chains give, which must be one kind."""
        for k, kind in enumerate(inner):
            if kind != inner[0]:
                raise BadInput(
                    f"Chain 1 gives {described(inner[0], kind)}, but chain {k + 1} gives {described(kind, inner[0])}. "
                    "All chains of a choose step must give one kind.",
                    place=f"{place}.chains[{k}]", code="wrong_kind",
                )  # fmt: skip
        return inner[0]

    def choices(self) -> int:
        """A choice for each chain."""
        return len(self.chains)

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) or (n, k) float32; the bands tell which chain each element took."""
        assert incoming is not None
        choices, values = context.inner, precise(incoming, context.place)
        count, wrap = len(choices), self.beyond == "repeat"

        def fill(a: int, b: int, out: np.ndarray, bands: np.ndarray) -> None:
            counts = np.full(b - a, count, np.float32)
            places = np.empty(b - a, np.float32)
            shaping.quantise(bands_wanted(values[a:b], counts, self.of, wrap), counts, wrap, places)
            chosen = (places * count).astype(np.int32)
            for k, choice in enumerate(choices):
                mine = chosen == k
                out[mine] = choice.array[a:b][mine]
            bands[:] = chosen

        return Plan(fill, banded=True)
