"""Palettes: cells of a grid for elements, and k-means over weighted colours."""

from __future__ import annotations

import numpy as np
from numba import int64, void
from numba.types import Array, float32, float64, uint8

from . import compiled

_ONE = np.float32(1.0)
ROWS_IN = Array(float32, 2, "C", readonly=True)


@compiled(void(ROWS_IN, int64, int64, Array(uint8, 1, "C")))
def cells(places, count, columns, out):  # type: ignore[no-untyped-def]
    """The cell of a grid, filled row by row with ``count`` swatches, at each place in the unit square.

    The first number chooses within the row, the second the row; a row that is not full is
    shared out among those it has. Places at 1 belong to the last.
    """
    rows = (count + columns - 1) // columns
    for i in range(out.shape[0]):
        x = min(places[i, 0], _ONE) if places[i, 0] > np.float32(0.0) else np.float32(0.0)
        y = min(places[i, 1], _ONE) if places[i, 1] > np.float32(0.0) else np.float32(0.0)
        row = min(np.int64(y * np.float32(rows)), rows - 1)
        length = min(columns, count - row * columns)
        out[i] = np.uint8(row * columns + min(np.int64(x * np.float32(length)), length - 1))


@compiled(float64(Array(float64, 2, "C", readonly=True), Array(float64, 1, "C", readonly=True), Array(float64, 2, "C"),
              Array(int64, 1, "C"), int64))  # fmt: skip
def k_means(points, weights, centres, labels, rounds):  # type: ignore[no-untyped-def]
    """Lloyd's algorithm (1982) over weighted points, in place; returns the weighted sum of squared distances.

    ``points`` (n, 3), ``centres`` (k, 3) as they begin. A centre that loses all its points
    goes to the point that lies worst.
    """
    n, k = points.shape[0], centres.shape[0]
    sums = np.empty((k, 4))
    total = 0.0
    for _round in range(rounds):
        sums[:] = 0.0
        total, worst, worst_at, changed = 0.0, -1.0, 0, 0
        for i in range(n):
            best, found = np.inf, 0
            for j in range(k):
                a = points[i, 0] - centres[j, 0]
                b = points[i, 1] - centres[j, 1]
                c = points[i, 2] - centres[j, 2]
                d = a * a + b * b + c * c
                if d < best:
                    best, found = d, j
            if labels[i] != found:
                changed += 1
                labels[i] = found
            w = weights[i]
            total += best * w
            if best * w > worst:
                worst, worst_at = best * w, i
            for c in range(3):
                sums[found, c] += points[i, c] * w
            sums[found, 3] += w
        for j in range(k):
            if sums[j, 3] > 0.0:
                for c in range(3):
                    centres[j, c] = sums[j, c] / sums[j, 3]
            elif worst > 0.0:
                for c in range(3):
                    centres[j, c] = points[worst_at, c]
                worst, changed = -1.0, changed + 1
        if changed == 0:
            break
    return total
