"""Points of trails, counted and laid where they belong: frame by frame, for each particle that is there."""

from __future__ import annotations

import numpy as np
from numba import boolean, float32, int32, int64, void
from numba.types import Array

from . import compiled

TRAILS = Array(int64, 1, "C", readonly=True)
ROWS_IN = Array(int32, 1, "C", readonly=True)
FLOATS_IN = Array(float32, 1, "C", readonly=True)
PLACES_IN = Array(float32, 2, "C", readonly=True)
FLAGS_IN = Array(boolean, 1, "C", readonly=True)
COUNTS = Array(int64, 1, "C")
_ONE, _TWO, _THREE = np.float32(1), np.float32(2), np.float32(3)


@compiled(void(TRAILS, FLAGS_IN, FLAGS_IN, ROWS_IN, int64, COUNTS, int64, int64))
def count(trails, wanted, begins, before, points, counts, start, stop):  # type: ignore[no-untyped-def]
    """Add to ``counts`` the points that rows ``start`` to ``stop`` of a frame bring to their trails.

    ``wanted`` says of each row whether it leaves any, ``begins`` whether the place of its birth is one, and ``before``
    its row in the frame before, or -1.
    """
    for i in range(start, stop):
        if wanted[i]:
            many = int64(1)
            if begins[i]:
                many += 1
            elif before[i] >= 0:
                many += points - 1
            counts[trails[i]] += many


@compiled(void(
    ROWS_IN, TRAILS, FLAGS_IN, FLAGS_IN, ROWS_IN, int64, COUNTS, int64, int64, int32, int64, int64, float32, boolean,
    PLACES_IN, PLACES_IN, FLOATS_IN, ROWS_IN, PLACES_IN, FLOATS_IN, PLACES_IN, PLACES_IN, FLOATS_IN, ROWS_IN,
    Array(float32, 2, "C"), Array(float32, 1, "C"), Array(float32, 1, "C"), Array(int32, 1, "C"), Array(int32, 1, "C"),
    Array(int32, 1, "C"), Array(float32, 1, "C"), Array(boolean, 1, "C"),
))  # fmt: skip
def lay(  # type: ignore[no-untyped-def]
    order, trails, wanted, begins, before, points, at, start, stop, k, frame, earlier, span, moving, places, velocities,
    sizes, rows, birth_places, births, old_places, old_velocities, old_sizes, old_rows, to_places, to_frames, to_sizes,
    to_low, to_high, to_at, to_part, to_same,
):  # fmt: skip
    """Lay the points that ``count`` counted, each from ``at`` of its trail on, which moves by as many.

    Of the rows of a frame those from ``start`` to ``stop`` of ``order``.

    The frame is the ``k``-th, ``span`` seconds after ``earlier``. Points between the two lie on the cubic curve through
    both places with both velocities (Hermite), or unless ``moving`` on the straight line.
    """
    for q in range(start, stop):
        i = order[q]
        if not wanted[i]:
            continue
        trail = trails[i]
        p = at[trail]
        if begins[i]:
            for c in range(3):
                to_places[p, c] = birth_places[i, c]
            to_frames[p], to_sizes[p], to_low[p], to_high[p] = births[i], sizes[i], rows[i], rows[i]
            to_at[p], to_part[p], to_same[p] = k, 0, True
            p += 1
        elif before[i] >= 0:
            o = before[i]
            for j in range(1, points):
                t = float32(j) / float32(points)
                u = _ONE - t
                a, b = (_ONE + _TWO * t) * u * u, t * t * (_THREE - _TWO * t)
                c, d = span * t * u * u, -span * t * t * u
                for axis in range(3):
                    if moving:
                        to_places[p, axis] = (a * old_places[o, axis] + b * places[i, axis]
                                              + c * old_velocities[o, axis] + d * velocities[i, axis])  # fmt: skip
                    else:
                        to_places[p, axis] = old_places[o, axis] + t * (places[i, axis] - old_places[o, axis])
                to_frames[p] = float32(earlier) + t * float32(frame - earlier)
                to_sizes[p] = old_sizes[o] + t * (sizes[i] - old_sizes[o])
                to_low[p], to_high[p], to_at[p], to_part[p], to_same[p] = old_rows[o], rows[i], k - 1, t, False
                p += 1
        for c in range(3):
            to_places[p, c] = places[i, c]
        to_frames[p], to_sizes[p], to_low[p], to_high[p] = float32(frame), sizes[i], rows[i], rows[i]
        to_at[p], to_part[p], to_same[p] = k, 0, True
        at[trail] = p + 1


FOLLOWED = Array(float32, 2, "C", readonly=True)


@compiled(void(ROWS_IN, ROWS_IN, ROWS_IN, FLOATS_IN, FLAGS_IN, TRAILS, int64, int64, FOLLOWED, Array(float32, 2, "C"),
               int64, int64))  # fmt: skip
def mixed(low, high, at, part, same, starts, first, last, values, out, start, stop):  # type: ignore[no-untyped-def]
    """(n, w): of points ``start`` to ``stop`` what lies between rows of two states.

    Of those whose earlier state is one of ``first`` to ``last``; ``starts`` says where the rows of each state from
    ``first`` on begin among ``values``.
    """
    width = out.shape[1]
    for i in range(start, stop):
        if at[i] < first or at[i] >= last:
            continue
        a = starts[at[i] - first] + low[i]
        if same[i]:
            for w in range(width):
                out[i, w] = values[a, w]
        else:
            b = starts[at[i] - first + 1] + high[i]
            for w in range(width):
                out[i, w] = values[a, w] + part[i] * (values[b, w] - values[a, w])
