"""What follows from the places of points along strands: lengths, directions, curvature."""

from __future__ import annotations

import numpy as np
from numba import float32, float64, int64, void
from numba.types import Array

from . import compiled

_PLACES = Array(float32, 2, "C", readonly=True)
_STARTS = Array(int64, 1, "C", readonly=True)
_OUT, _OUT_2D = Array(float32, 1, "C"), Array(float32, 2, "C")


@compiled(float64(_PLACES, int64, int64), forceinline=True)
def _apart(places, a, b):  # type: ignore[no-untyped-def]
    """The distance between two points."""
    x = np.float64(places[a, 0]) - np.float64(places[b, 0])
    y = np.float64(places[a, 1]) - np.float64(places[b, 1])
    z = np.float64(places[a, 2]) - np.float64(places[b, 2])
    return np.sqrt(x * x + y * y + z * z)


@compiled(void(_PLACES, _STARTS, int64, int64, _OUT, _OUT, _OUT))
def distances(places, starts, first, last, distance, along, length):  # type: ignore[no-untyped-def]
    """Measures the strands first to last: (n,) distance from the root and its part of the whole, (c,) the whole length.

    Along a strand of no length the part goes by the points' numbers; a strand of one point is all root.
    """
    for c in range(first, last):
        begin, end = starts[c], starts[c + 1]
        total = 0.0
        distance[begin] = np.float32(0)
        for k in range(begin + 1, end):
            total += _apart(places, k, k - 1)
            distance[k] = np.float32(total)
        length[c] = np.float32(total)
        for k in range(begin, end):
            if total > 0.0:
                along[k] = min(np.float32(np.float64(distance[k]) / total), np.float32(1))
            else:
                along[k] = np.float32((k - begin) / max(end - begin - 1, 1))


@compiled(void(_STARTS, int64, int64, _OUT))
def numbered(starts, first, last, along):  # type: ignore[no-untyped-def]
    """Numbers the strands first to last: (n,) the points' numbers from 0 at the root to 1 at the tip."""
    for c in range(first, last):
        begin, end = starts[c], starts[c + 1]
        for k in range(begin, end):
            along[k] = np.float32((k - begin) / max(end - begin - 1, 1))


@compiled(void(_PLACES, _STARTS, int64, int64, _OUT_2D))
def directions(places, starts, first, last, out):  # type: ignore[no-untyped-def]
    """Directions of the strands first to last: (n, 3) unit vectors from the point before to the point after each.

    Where points coincide, that of the point before; up where a strand has no length.
    """
    for c in range(first, last):
        begin, end = starts[c], starts[c + 1]
        x, y, z = 0.0, 0.0, 1.0
        for k in range(begin, end):
            a, b = max(k - 1, begin), min(k + 1, end - 1)
            dx = np.float64(places[b, 0]) - np.float64(places[a, 0])
            dy = np.float64(places[b, 1]) - np.float64(places[a, 1])
            dz = np.float64(places[b, 2]) - np.float64(places[a, 2])
            size = np.sqrt(dx * dx + dy * dy + dz * dz)
            if size > 0.0:
                x, y, z = dx / size, dy / size, dz / size
            out[k, 0], out[k, 1], out[k, 2] = np.float32(x), np.float32(y), np.float32(z)


@compiled(void(_PLACES, _STARTS, int64, int64, _OUT))
def curvatures(places, starts, first, last, out):  # type: ignore[no-untyped-def]
    """Curvatures of strands first to last: (n,) one over the radius of the circle through a point and its neighbours.

    Menger curvature: four times the triangle's area over the product of its sides. The ends have that of the points
    beside them; where points coincide, or there are fewer than three, it is 0.
    """
    for c in range(first, last):
        begin, end = starts[c], starts[c + 1]
        for k in range(begin + 1, end - 1):
            a, b, d = _apart(places, k - 1, k), _apart(places, k, k + 1), _apart(places, k - 1, k + 1)
            half = (a + b + d) / 2
            square = half * (half - a) * (half - b) * (half - d)
            sides = a * b * d
            bent = 4 * np.sqrt(max(square, 0.0)) / sides if sides > 0.0 else 0.0
            out[k] = np.float32(min(bent, 1e30))
        if end - begin >= 3:
            out[begin], out[end - 1] = out[begin + 1], out[end - 2]
        else:
            for k in range(begin, end):
                out[k] = np.float32(0)
