"""Number to number: range, levels, curve, quantise."""

from __future__ import annotations

import numpy as np
from numba import njit, void
from numba.types import Array, boolean, float32

from . import OPTIONS
from .ramps import TABLE, place

NUMBERS_IN = Array(float32, 1, "C", readonly=True)
NUMBERS = Array(float32, 1, "C")

#: Results stay finite: a place this many widths outside the range is far enough.
_FAR = np.float32(1e20)


@njit(void(NUMBERS_IN, float32, float32, float32, float32, boolean, NUMBERS), **OPTIONS)
def remap(values, from_low, from_high, to_low, to_high, clamp, out):  # type: ignore[no-untyped-def]
    """Map [from_low, from_high] linearly to [to_low, to_high]; equal ends map to to_low."""
    width = from_high - from_low
    scale = np.float32(0.0) if abs(width) < np.float32(1e-12) else np.float32(1.0) / width
    gain = to_high - to_low
    if clamp:
        for i in range(out.shape[0]):
            t = (values[i] - from_low) * scale
            t = min(max(t, np.float32(0.0)), np.float32(1.0))
            out[i] = to_low + t * gain
    else:
        for i in range(out.shape[0]):
            t = (values[i] - from_low) * scale
            out[i] = to_low + min(max(t, -_FAR), _FAR) * gain


@njit(void(NUMBERS_IN, float32, float32, float32, float32, float32, NUMBERS), **OPTIONS)
def levels(values, black, white, inverse_gamma, contrast, pivot, out):  # type: ignore[no-untyped-def]
    """Stretch [black, white] to 0..1, bend by a gamma, steepen about a pivot; limited to 0..1."""
    width = white - black
    scale = np.float32(0.0) if abs(width) < np.float32(1e-12) else np.float32(1.0) / width
    for i in range(out.shape[0]):
        t = min(max((values[i] - black) * scale, np.float32(0.0)), np.float32(1.0))
        if inverse_gamma != np.float32(1.0):
            t = np.float32(t**inverse_gamma)
        t = (t - pivot) * contrast + pivot
        out[i] = min(max(t, np.float32(0.0)), np.float32(1.0))


@njit(void(NUMBERS_IN, NUMBERS_IN, TABLE, Array(float32, 2, "C", readonly=True), NUMBERS), **OPTIONS)
def cubics(values, knots, table, coefficients, out):  # type: ignore[no-untyped-def]
    """A piecewise cubic: row k of ``coefficients`` (constant first) holds from knot k - 1 to knot k.

    Row 0 holds before the first knot (from the first), the last row after the last.
    """
    last = knots.shape[0] - 1
    for i in range(out.shape[0]):
        v = values[i]
        k = place(v, knots, table)
        t = v - knots[max(k - 1, 0)]
        t = np.float32(0.0) if (k == 0 or k > last) else t
        out[i] = ((coefficients[k, 3] * t + coefficients[k, 2]) * t + coefficients[k, 1]) * t + coefficients[k, 0]


@njit(void(NUMBERS_IN, float32, boolean, NUMBERS), **OPTIONS)
def quantise(values, count, wrap, out):  # type: ignore[no-untyped-def]
    """The middle of band k of ``count`` equal bands: k the whole part of each value, kept within or wrapped."""
    for i in range(out.shape[0]):
        k = np.floor(values[i])
        k = k - np.floor(k / count) * count if wrap else k
        k = min(max(k, np.float32(0.0)), count - np.float32(1.0))
        out[i] = (k + np.float32(0.5)) / count
