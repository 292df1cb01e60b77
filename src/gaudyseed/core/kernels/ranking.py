"""Exact ranks of float32 values by a stable radix sort of their bit patterns."""

from __future__ import annotations

import numpy as np
from numba import int32, njit, uint32, void
from numba.types import Array, float32

from . import OPTIONS

_BITS = 11
_BUCKETS = 1 << _BITS
_MASK = np.uint32(_BUCKETS - 1)
_SIGN = np.uint32(0x80000000)
WORDS = Array(uint32, 1, "C")
ORDER = Array(int32, 1, "C")


@njit(void(WORDS, ORDER, WORDS, ORDER), **OPTIONS)
def radix_sort(keys, order, spare_keys, spare_order):  # type: ignore[no-untyped-def]
    """Sort ``keys`` with their ``order`` in three stable passes of 11 bits.

    The result lies in the two spare arrays (an odd number of passes).
    """
    counts = np.zeros((3, _BUCKETS), dtype=np.int32)
    n = keys.shape[0]
    for i in range(n):
        key = keys[i]
        counts[0, key & _MASK] += 1
        counts[1, (key >> np.uint32(11)) & _MASK] += 1
        counts[2, (key >> np.uint32(22)) & _MASK] += 1
    for step in range(3):
        total = 0
        for bucket in range(_BUCKETS):
            found = counts[step, bucket]
            counts[step, bucket] = total
            total += found
    for i in range(n):
        bucket = keys[i] & _MASK
        to = counts[0, bucket]
        counts[0, bucket] = to + 1
        spare_keys[to] = keys[i]
        spare_order[to] = order[i]
    for i in range(n):
        bucket = (spare_keys[i] >> np.uint32(11)) & _MASK
        to = counts[1, bucket]
        counts[1, bucket] = to + 1
        keys[to] = spare_keys[i]
        order[to] = spare_order[i]
    for i in range(n):
        bucket = (keys[i] >> np.uint32(22)) & _MASK
        to = counts[2, bucket]
        counts[2, bucket] = to + 1
        spare_keys[to] = keys[i]
        spare_order[to] = order[i]


@njit(void(WORDS, ORDER, Array(float32, 1, "C")), **OPTIONS)
def mid_ranks(keys, order, out):  # type: ignore[no-untyped-def]
    """(rank - 0.5)/n of each element, equal keys sharing the middle of their run."""
    n = keys.shape[0]
    start = 0
    while start < n:
        stop = start + 1
        while stop < n and keys[stop] == keys[start]:
            stop += 1
        place = np.float32((start + stop) * 0.5 / n)
        for i in range(start, stop):
            out[order[i]] = place
        start = stop


@njit(void(Array(uint32, 1, "C", readonly=True), WORDS, ORDER), **OPTIONS)
def sortable(bits, keys, order):  # type: ignore[no-untyped-def]
    """Bit patterns of floats as words that sort like the floats; minus zero equals zero."""
    for i in range(bits.shape[0]):
        word = bits[i]
        word = np.uint32(0) if word == _SIGN else word
        keys[i] = ~word if word & _SIGN else word | _SIGN
        order[i] = i


def even_out(values: np.ndarray) -> np.ndarray:
    """Empirical distribution function at mid-rank of (n,) float32 values.

    Returns (rank - 0.5)/n in (0, 1), ties sharing their mean rank, as
    ``scipy.stats.rankdata(method="average")`` counts it.
    """
    n = len(values)
    keys, spare_keys = np.empty(n, np.uint32), np.empty(n, np.uint32)
    order, spare_order = np.empty(n, np.int32), np.empty(n, np.int32)
    sortable(np.ascontiguousarray(values, np.float32).view(np.uint32), keys, order)
    radix_sort(keys, order, spare_keys, spare_order)
    out = np.empty(n, np.float32)
    mid_ranks(spare_keys, spare_order, out)
    return out
