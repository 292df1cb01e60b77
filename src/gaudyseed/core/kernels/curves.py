"""Curves through points: the slopes of monotone cubics, and curves that differ from element to element."""

from __future__ import annotations

import numpy as np
from numba import float64, int64, void
from numba.types import Array, float32, int32

from . import compiled

NUMBERS_IN = Array(float32, 1, "C", readonly=True)
KNOTS = Array(float64, 1, "C")
KNOTS_IN = Array(float64, 1, "C", readonly=True)

STRAIGHT, MONOTONE, BEZIER = 0, 1, 2
#: Halvings of a Bezier piece: the part is found to 2^-26.
_HALVINGS = 26


@compiled(float64(float64, float64, float64, float64))
def _end_slope(near, far, secant, other):  # type: ignore[no-untyped-def]
    slope = ((2.0 * near + far) * secant - near * other) / (near + far)
    if slope * secant <= 0.0:
        return 0.0
    if secant * other <= 0.0 and abs(slope) > 3.0 * abs(secant):
        return 3.0 * secant
    return slope


@compiled(float64(KNOTS_IN, KNOTS_IN, int64))
def monotone_slope(x, y, k):  # type: ignore[no-untyped-def]
    """The slope at knot k that keeps each piece monotone.

    Fritsch and Butland 1984 ("A Method for Constructing Local Monotone Piecewise Cubic Interpolants"): the weighted
    harmonic mean of the slopes on both sides, with three-point ends kept monotone, what SciPy calls PCHIP.
    """
    n = x.shape[0]
    if n < 2:
        return 0.0
    if n == 2:
        return (y[1] - y[0]) / (x[1] - x[0])
    at = min(max(k, 1), n - 2)
    before, after = x[at] - x[at - 1], x[at + 1] - x[at]
    left, right = (y[at] - y[at - 1]) / before, (y[at + 1] - y[at]) / after
    if k == 0:
        return _end_slope(before, after, left, right)
    if k == n - 1:
        return _end_slope(after, before, right, left)
    if left * right <= 0.0:
        return 0.0
    first, second = 2.0 * after + before, after + 2.0 * before
    return (first + second) / (first / left + second / right)


@compiled(float64(float64, float64, float64, float64, float64), forceinline=True)
def _bernstein(t, a, b, c, d):  # type: ignore[no-untyped-def]
    u = 1.0 - t
    return u * u * u * a + 3.0 * u * u * t * b + 3.0 * u * t * t * c + t * t * t * d


@compiled(void(NUMBERS_IN, Array(float32, 2, "C", readonly=True), Array(int32, 2, "C", readonly=True),
           Array(float32, 2, "C", readonly=True), int64, float64, Array(float32, 1, "C")))  # fmt: skip
def curve_each(values, points, which, own, kind, apart, out):  # type: ignore[no-untyped-def]
    """A curve whose points may differ from element to element, level outside them, within 0..1.

    ``points`` (k, 6): place, height, and the handles to the left and right relative to them. They hold for all
    elements but where ``which[k, c]`` is not -1: that row of ``own`` (p, n) takes their place. A point stands at
    least ``apart`` to the right of the one before it. Handles are kept within their piece.
    """
    n = np.int64(points.shape[0])
    rows = np.empty((n, 6), np.float64)
    x, y = np.empty(n, np.float64), np.empty(n, np.float64)
    for i in range(out.shape[0]):
        low = -np.inf
        for k in range(n):
            for c in range(6):
                f = which[k, c]
                rows[k, c] = points[k, c] if f < 0 else own[f, i]
            low = max(rows[k, 0], low + apart)
            x[k], y[k] = low, rows[k, 1]
        v = np.float64(values[i])
        b = np.int64(0)
        while b < n and v >= x[b]:
            b += 1
        if b == 0 or b == n:
            found = y[min(b, n - 1)]
        else:
            a = b - 1
            width, rise = x[b] - x[a], y[b] - y[a]
            t = (v - x[a]) / width
            if kind == STRAIGHT:
                found = y[a] + t * rise
            elif kind == MONOTONE:
                first, second = monotone_slope(x, y, a) * width, monotone_slope(x, y, b) * width
                found = y[a] + t * (first + t * (3.0 * rise - 2.0 * first - second + t * (first + second - 2.0 * rise)))
            else:
                one, two = min(max(rows[a, 4], 0.0), width), width + min(max(rows[b, 2], -width), 0.0)
                low, high = 0.0, 1.0
                for _ in range(_HALVINGS):
                    middle = 0.5 * (low + high)
                    if _bernstein(middle, 0.0, one, two, width) < v - x[a]:
                        low = middle
                    else:
                        high = middle
                found = _bernstein(low, y[a], y[a] + rows[a, 5], y[b] + rows[b, 3], y[b])
        out[i] = np.float32(min(max(found, 0.0), 1.0))
