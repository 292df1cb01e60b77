"""Cubic curves by a matrix of their basis: where each control point counts on the curve, and lengths."""

from __future__ import annotations

import numpy as np
from numba import boolean, float32, float64, int64, void
from numba.types import Array, UniTuple

from . import compiled

#: How a curve ends: before its last control points, joined to its beginning, or at its outermost control points.
OPEN, CLOSED, PINNED = 0, 1, 2
_PLACES = Array(float32, 2, "C", readonly=True)
_STARTS = Array(int64, 1, "C", readonly=True)
_MATRIX = Array(float64, 2, "C", readonly=True)
_OUT, _OUT_2D = Array(float32, 1, "C"), Array(float32, 2, "C")
#: Straight pieces from one control point to the next, for lengths.
_PIECES = 8


@compiled(float64(_PLACES, int64, int64, int64, int64, int64), forceinline=True)
def _control(places, first, many, j, part, wrap):  # type: ignore[no-untyped-def]
    """A coordinate of a control point; beyond the ends those that the wrap puts there."""
    if wrap == CLOSED:
        return np.float64(places[first + (j % many + many) % many, part])
    if j < 0:
        return 2.0 * places[first, part] - places[first + min(1, many - 1), part]
    if j >= many:
        return 2.0 * places[first + many - 1, part] - places[first + max(many - 2, 0), part]
    return np.float64(places[first + j, part])


@compiled(UniTuple(float64, 3)(_PLACES, int64, int64, _MATRIX, boolean, int64, float64))
def _at(places, first, many, matrix, bezier, wrap, u):  # type: ignore[no-untyped-def]
    """The place at a parameter counted in segments (Bezier), or in control points."""
    segment = np.int64(np.floor(u))
    if bezier:
        last = many // 3 - 1 if wrap == CLOSED else (many - 4) // 3
        segment = min(max(segment, 0), max(last, 0))
        begin = 3 * segment
    else:
        if wrap == OPEN:
            segment = min(max(segment, 1), max(many - 3, 1))
        elif wrap == PINNED:
            segment = min(max(segment, 0), max(many - 2, 0))
        begin = segment - 1
    t = u - segment
    x, y, z = 0.0, 0.0, 0.0
    for k in range(4):
        weight = matrix[0, k] + t * (matrix[1, k] + t * (matrix[2, k] + t * matrix[3, k]))
        x += weight * _control(places, first, many, begin + k, 0, wrap)
        y += weight * _control(places, first, many, begin + k, 1, wrap)
        z += weight * _control(places, first, many, begin + k, 2, wrap)
    return x, y, z


@compiled(float64(int64, int64, boolean, int64), forceinline=True)
def _parameter(j, many, bezier, wrap):  # type: ignore[no-untyped-def]
    if bezier:
        return j / 3.0
    if wrap == OPEN:
        return np.float64(min(max(j, 1), max(many - 2, 1)))
    return np.float64(j)


@compiled(void(_PLACES, _STARTS, int64, int64, _MATRIX, boolean, int64, _OUT_2D, _OUT, _OUT, _OUT))
def measure(controls, starts, begin, end, matrix, bezier, wrap, places, distance, along, length):  # type: ignore[no-untyped-def]
    """Measures curves begin to end: (n, 3) where each control point counts, (n,) how far that is, and (c,) lengths."""
    for c in range(begin, end):
        first, many = starts[c], starts[c + 1] - starts[c]
        total, before = 0.0, _parameter(0, many, bezier, wrap)
        x, y, z = _at(controls, first, many, matrix, bezier, wrap, before)
        for j in range(many):
            u = _parameter(j, many, bezier, wrap)
            if u > before:
                for s in range(1, _PIECES + 1):
                    p, q, r = _at(controls, first, many, matrix, bezier, wrap, before + (u - before) * s / _PIECES)
                    total += np.sqrt((p - x) * (p - x) + (q - y) * (q - y) + (r - z) * (r - z))
                    x, y, z = p, q, r
                before = u
            k = first + j
            places[k, 0], places[k, 1], places[k, 2] = np.float32(x), np.float32(y), np.float32(z)
            distance[k] = np.float32(total)
        length[c] = np.float32(total)
        for j in range(many):
            k = first + j
            if total > 0.0:
                along[k] = min(np.float32(np.float64(distance[k]) / total), np.float32(1))
            else:
                along[k] = np.float32(j / max(many - 1, 1))
