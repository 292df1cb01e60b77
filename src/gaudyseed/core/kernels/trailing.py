"""Points of trails laid where they belong, all that is known of each at once."""

from __future__ import annotations

from numba import boolean, float32, int32, int64, void
from numba.types import Array

from . import compiled

WHERE = Array(int64, 1, "C", readonly=True)
ROWS_IN = Array(int32, 1, "C", readonly=True)
FLOATS_IN = Array(float32, 1, "C", readonly=True)


@compiled(void(WHERE, Array(float32, 2, "C", readonly=True), FLOATS_IN, FLOATS_IN, ROWS_IN, ROWS_IN, int32, float32,
               boolean, int64, int64, Array(float32, 2, "C"), Array(float32, 1, "C"), Array(float32, 1, "C"),
               Array(int32, 1, "C"), Array(int32, 1, "C"), Array(int32, 1, "C"), Array(float32, 1, "C"),
               Array(boolean, 1, "C")))  # fmt: skip
def lay(  # type: ignore[no-untyped-def]
    where, places, frames, sizes, low, high, at, part, same, start, stop, to_places, to_frames, to_sizes, to_low,
    to_high, to_at, to_part, to_same,
):  # fmt: skip
    """Write points ``start`` to ``stop`` of one step to the places ``where`` (m,) of all."""
    for i in range(start, stop):
        k = where[i]
        to_places[k, 0], to_places[k, 1], to_places[k, 2] = places[i, 0], places[i, 1], places[i, 2]
        to_frames[k], to_sizes[k], to_low[k], to_high[k] = frames[i], sizes[i], low[i], high[i]
        to_at[k], to_part[k], to_same[k] = at, part, same
