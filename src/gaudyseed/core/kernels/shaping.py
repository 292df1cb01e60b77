"""Number to number: range, levels, curve, quantise."""

from __future__ import annotations

import numpy as np
from numba import void
from numba.types import Array, boolean, float32, float64

from . import compiled
from .ramps import BLOCK, TABLE, locate

NUMBERS_IN = Array(float32, 1, "C", readonly=True)
NUMBERS = Array(float32, 1, "C")
#: Numbers that float32 would round: whole ones beyond 2^24.
WIDE_IN = Array(float64, 1, "C", readonly=True)

#: Results stay finite: a place this many widths outside the range is far enough.
_FAR = 1e20
#: Ranges that are narrower have no width.
_FLAT = 1e-12


@compiled([void(NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, boolean, NUMBERS),
       void(WIDE_IN, WIDE_IN, WIDE_IN, NUMBERS_IN, NUMBERS_IN, boolean, NUMBERS)])  # fmt: skip
def remap(values, from_low, from_high, to_low, to_high, clamp, out):  # type: ignore[no-untyped-def]
    """Map [from_low, from_high] linearly to [to_low, to_high], each with its own ends; equal ends map to to_low.

    In float64, with a division and the end itself at the end, so that ends meet ends and whole numbers stay whole.
    """
    for i in range(out.shape[0]):
        low, first, last = np.float64(from_low[i]), np.float64(to_low[i]), np.float64(to_high[i])
        width = np.float64(from_high[i]) - low
        flat = abs(width) < _FLAT
        t = (np.float64(values[i]) - low) / (1.0 if flat else width)
        t = 0.0 if flat else t
        t = min(max(t, 0.0), 1.0) if clamp else min(max(t, -_FAR), _FAR)
        out[i] = np.float32(last if t == 1.0 else first + t * (last - first))


@compiled([void(NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, boolean, NUMBERS),
       void(WIDE_IN, WIDE_IN, WIDE_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, boolean, NUMBERS)])  # fmt: skip
def levels(values, black, white, gamma, contrast, pivot, bend, out):  # type: ignore[no-untyped-def]
    """Stretch [black, white] to 0..1, bend by a gamma if ``bend`` says so, steepen about a pivot; limited to 0..1."""
    zero, one = np.float32(0.0), np.float32(1.0)
    for i in range(out.shape[0]):
        width = white[i] - black[i]
        flat = abs(width) < np.float32(1e-12)
        t = (values[i] - black[i]) * (zero if flat else one / (one if flat else width))
        out[i] = min(max(t, zero), one)
    # Powers are library calls: in a loop of their own they do not keep the others from vector instructions.
    if bend:
        for i in range(out.shape[0]):
            out[i] = np.float32(out[i] ** (one / gamma[i]))
    for i in range(out.shape[0]):
        t = (out[i] - pivot[i]) * contrast[i] + pivot[i]
        out[i] = min(max(t, zero), one)


#: Up to so many knots it is quicker to work out every piece and keep the one that holds: no look-ups, no branches.
FEW_KNOTS = 12


@compiled(void(NUMBERS_IN, NUMBERS_IN, Array(float32, 2, "C", readonly=True), NUMBERS))
def _few_cubics(values, knots, coefficients, out):  # type: ignore[no-untyped-def]
    zero, one = np.float32(0.0), np.float32(1.0)
    first = min(max(coefficients[0, 0], zero), one)
    for j in range(out.shape[0]):
        out[j] = first
    for k in range(knots.shape[0]):
        knot = knots[k]
        a, b, c, d = coefficients[k + 1, 0], coefficients[k + 1, 1], coefficients[k + 1, 2], coefficients[k + 1, 3]
        begin = coefficients[k + 1, 4]
        for j in range(out.shape[0]):
            t = values[j] - begin
            y = min(max(((d * t + c) * t + b) * t + a, zero), one)
            out[j] = y if values[j] >= knot else out[j]


@compiled(void(NUMBERS_IN, NUMBERS_IN, TABLE, Array(float32, 2, "C", readonly=True), NUMBERS))
def cubics(values, knots, table, coefficients, out):  # type: ignore[no-untyped-def]
    """A piecewise cubic: row k of ``coefficients`` holds from knot k - 1 to knot k.

    A row has the constant, three powers of the distance from its start, and its start.

    Row 0 holds before the first knot, the last row after the last. Results stay within 0..1.
    """
    if knots.shape[0] <= FEW_KNOTS:
        for start in range(0, out.shape[0], BLOCK):
            stop = min(start + BLOCK, out.shape[0])
            _few_cubics(values[start:stop], knots, coefficients, out[start:stop])
        return
    found = np.empty(BLOCK, np.int32)
    for start in range(0, out.shape[0], BLOCK):
        stop = min(start + BLOCK, out.shape[0])
        locate(values[start:stop], knots, table, found)
        for i in range(start, stop):
            k = np.uint64(found[i - start])  # unsigned: no test for an index counted from the end
            t = values[i] - coefficients[k, 4]
            y = ((coefficients[k, 3] * t + coefficients[k, 2]) * t + coefficients[k, 1]) * t + coefficients[k, 0]
            out[i] = min(max(y, np.float32(0.0)), np.float32(1.0))


@compiled(void(Array(boolean, 1, "C", readonly=True), NUMBERS_IN, NUMBERS_IN, NUMBERS))
def select(condition, yes, no, out):  # type: ignore[no-untyped-def]
    """``yes`` where the condition holds, else ``no``, without branches."""
    for i in range(out.shape[0]):
        out[i] = yes[i] if condition[i] else no[i]


@compiled(void(NUMBERS))
def tidy(values):  # type: ignore[no-untyped-def]
    """In place: what is no number or infinite becomes 0, the rest stays within 1e30."""
    far = np.float32(1e30)
    for i in range(values.shape[0]):
        v = values[i]
        inside = min(max(v, -far), far)
        values[i] = inside if abs(v) < np.float32(np.inf) else np.float32(0.0)


@compiled(void(NUMBERS_IN, NUMBERS_IN, boolean, NUMBERS))
def quantise(values, counts, wrap, out):  # type: ignore[no-untyped-def]
    """The middle of band k of ``counts`` equal bands: k the whole part of each value, kept within or wrapped."""
    for i in range(out.shape[0]):
        count = counts[i]
        k = np.floor(values[i])
        k = k - np.floor(k / count) * count if wrap else k
        k = min(max(k, np.float32(0.0)), count - np.float32(1.0))
        out[i] = (k + np.float32(0.5)) / count
