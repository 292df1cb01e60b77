"""One value for each owner from those of its elements.

Serial, in the order of the elements, so that sums never differ.
"""

from __future__ import annotations

import numpy as np
from numba import float64, int64, void
from numba.types import Array, float32, int32

from . import compiled

_I32 = Array(int32, 1, "C", readonly=True)
_F32 = Array(float32, 1, "C", readonly=True)
_OUT_F64, _OUT_F32, _OUT_I64 = Array(float64, 1, "C"), Array(float32, 1, "C"), Array(int64, 1, "C")


@compiled(void(_I32, _OUT_I64))
def counts(owner, out):  # type: ignore[no-untyped-def]
    """(k,): how many elements each owner has. ``out`` comes as zeros."""
    for e in range(len(owner)):
        out[owner[e]] += 1


@compiled(void(_F32, int64, int64, _I32, _OUT_F64))
def sums(values, step, offset, owner, out):  # type: ignore[no-untyped-def]
    """(k,): the sum of ``values[offset::step]`` for each owner. ``out`` comes as zeros."""
    for e in range(len(owner)):
        out[owner[e]] += values[offset + e * step]


@compiled(void(_F32, int64, int64, _I32, _OUT_F32, _OUT_F32))
def ends(values, step, offset, owner, least, greatest):  # type: ignore[no-untyped-def]
    """(k,): the least and greatest for each owner. They come as +infinity and -infinity."""
    for e in range(len(owner)):
        v = values[offset + e * step]
        o = owner[e]
        least[o] = min(least[o], v)
        greatest[o] = max(greatest[o], v)


@compiled(void(_I32, _OUT_I64))
def firsts(owner, out):  # type: ignore[no-untyped-def]
    """(k,): the first element of each owner. ``out`` comes as -1."""
    for e in range(len(owner)):
        if out[owner[e]] < 0:
            out[owner[e]] = e


@compiled(void(_F32, int64, int64, _I32, _OUT_I64, _OUT_F32))
def middles(values, step, offset, owner, starts, out):  # type: ignore[no-untyped-def]
    """(k,): the median for each owner, the mean of the two in the middle where their number is even.

    ``starts`` (k + 1,) are the running sums of the counts.
    """
    fill = starts[:-1].copy()
    sorted_ = np.empty(len(owner), np.float32)
    for e in range(len(owner)):
        o = owner[e]
        sorted_[fill[o]] = values[offset + e * step]
        fill[o] += 1
    for o in range(len(out)):
        a, b = starts[o], starts[o + 1]
        if b > a:
            part = np.sort(sorted_[a:b])
            half = (b - a) // 2
            out[o] = part[half] if (b - a) % 2 else np.float32((float64(part[half - 1]) + part[half]) / 2)
