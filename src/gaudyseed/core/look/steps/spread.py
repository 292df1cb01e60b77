"""spread: the same values, placed so that near neighbours differ."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...kernels import spreading as kernels
from ..follow import FollowDial
from ..scope import Scope
from .base import Context, Kind, Seed, SeedNumber, Step, Value

_PASSES, _TRIES, _RANK, _SAMPLE = 12, 32, 6, 256


class Spread(Step):
    """Exchanges values between elements until few neighbours share one of ``bands`` equal bands of 0..1.

    Every value stays, so every count stays. Neighbours are those nearer than the usual
    distance to the sixth nearest. Local search over hashed partners: the same result
    everywhere for the same seed.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    summary: ClassVar[str] = "same values, but near neighbours differ"
    elementwise: ClassVar[bool] = False

    step: Literal["spread"]
    bands: Annotated[int, Field(ge=2, le=64)] | FollowDial = Field(
        5, title="Bands", description="Equal bands that neighbours should not share."
    )
    seed: SeedNumber = Seed

    def depends_on(self, scope: Scope) -> list[Any]:
        """The places."""
        return [scope.population.attributes["position"].digest]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32; ``facts`` counts the pairs of neighbours that are alike, before and after."""
        assert incoming is not None and isinstance(self.bands, int) and isinstance(self.seed, int)
        values = incoming.array
        if len(values) < 3:
            return Value("number", values, facts={"pairs": 0, "alike_before": 0, "alike_after": 0})
        found, counts = neighbours_of(context.population.attributes["position"].readable)
        context.check()
        bands = np.clip(values * np.float32(self.bands), 0, self.bands - 1).astype(np.int32)
        order = np.arange(len(values))
        before = kernels.alike_pairs(bands, found, counts)
        kernels.exchange(bands, order, found, counts, np.uint32(self.seed), _PASSES, _TRIES)
        after = kernels.alike_pairs(bands, found, counts)
        facts = {"pairs": int(counts.sum()) // 2, "alike_before": before // 2, "alike_after": after // 2}
        return Value("number", values[order], facts=facts)


def neighbours_of(places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Indices (n, most) int32 and numbers (n,) uint8 of each element's neighbours."""
    n = len(places)
    reach = usual_distance(places)
    found, counts = np.empty((n, kernels.MOST), np.int32), np.zeros(n, np.uint8)
    heads = np.empty(1 << max(10, int(np.ceil(np.log2(2 * n)))), np.int64)
    kernels.neighbours(places, reach, heads, found, counts)
    return found, counts


def usual_distance(places: np.ndarray) -> float:
    """The median distance to the sixth nearest, from an even sample."""
    chosen = np.linspace(0, len(places) - 1, min(_SAMPLE, len(places))).round().astype(np.int64)
    out = np.empty(len(chosen))
    kernels.near_distances(places, chosen, min(_RANK, len(places) - 1), out)
    middle = float(np.median(out))
    return middle if middle > 0 else 1e-9
