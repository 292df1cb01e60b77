"""Frames that go along curves without turning about them."""

from __future__ import annotations

import numpy as np
from numba import float32, int64, void
from numba.types import Array

from . import compiled

_PLACES = Array(float32, 2, "C", readonly=True)
_STARTS = Array(int64, 1, "C", readonly=True)
_TINY = 1e-30


@compiled(void(_PLACES, _PLACES, _STARTS, int64, int64, Array(float32, 2, "C")))
def across(places, ways, starts, first, last, out):  # type: ignore[no-untyped-def]
    """(n, 3): at each point of the curves first to last a unit vector square to its way, (n, 3) ``ways``.

    From point to point by two reflections: Wang, Jüttler, Zheng and Liu, Computation of Rotation Minimizing Frames,
    ACM Transactions on Graphics 27 (2008). The first one lies as nearly across as can be of the axes.
    """
    r, t, w = np.empty(3), np.empty(3), np.empty(3)
    for c in range(first, last):
        begin, end = starts[c], starts[c + 1]
        least = 0
        for axis in range(3):
            if abs(ways[begin, axis]) < abs(ways[begin, least]):
                least = axis
        part = np.float64(ways[begin, least])
        for axis in range(3):
            r[axis] = (1.0 if axis == least else 0.0) - part * ways[begin, axis]
        for k in range(begin, end):
            if k > begin:
                square, of_r, of_t = 0.0, 0.0, 0.0
                for axis in range(3):
                    w[axis] = np.float64(places[k, axis]) - np.float64(places[k - 1, axis])
                    square += w[axis] * w[axis]
                    of_r += w[axis] * r[axis]
                    of_t += w[axis] * ways[k - 1, axis]
                for axis in range(3):
                    t[axis] = ways[k - 1, axis]
                    if square > _TINY:
                        r[axis] -= 2.0 * of_r / square * w[axis]
                        t[axis] -= 2.0 * of_t / square * w[axis]
                square, of_r = 0.0, 0.0
                for axis in range(3):
                    w[axis] = ways[k, axis] - t[axis]
                    square += w[axis] * w[axis]
                    of_r += w[axis] * r[axis]
                if square > _TINY:
                    for axis in range(3):
                        r[axis] -= 2.0 * of_r / square * w[axis]
            along, size = 0.0, 0.0
            for axis in range(3):
                along += r[axis] * ways[k, axis]
            for axis in range(3):
                r[axis] -= along * ways[k, axis]
                size += r[axis] * r[axis]
            size = np.sqrt(size) if size > _TINY else 1.0
            for axis in range(3):
                r[axis] /= size
                out[k, axis] = np.float32(r[axis])
