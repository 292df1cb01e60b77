"""Exact ranks of float32 values by a stable radix sort of their bit patterns.

A value and the element it belongs to travel together in one word of 64 bits. Each pass
counts and moves the parts of the array side by side: the parts of a bucket follow
each other in order, so the result is the same for any number of parts.
"""

from __future__ import annotations

import numpy as np
from numba import int64, uint32, uint64, void
from numba.types import Array, float32

from ..runtime.buffers import empty
from ..runtime.task import UNWATCHED, Task
from . import compiled
from .parallel import over

_BUCKETS = 1 << 11
_MASK = np.uint64(_BUCKETS - 1)
_SIGN = np.uint32(0x80000000)
_LOW = np.uint64(0xFFFFFFFF)
_HALF = np.uint64(32)
#: Where the three digits of a key begin.
_DIGITS = (np.uint64(32), np.uint64(43), np.uint64(54))
#: Parts that an array is sorted in, and the least size of one.
_PARTS, _LEAST = 4, 1 << 15
WORDS = Array(uint64, 1, "C")
COUNTS = Array(int64, 1, "C")


@compiled(void(Array(uint32, 1, "C", readonly=True), int64, WORDS))
def pack(bits, first, words):  # type: ignore[no-untyped-def]
    """Bit patterns of floats as keys that sort like the floats (minus zero equals zero), above the element's number."""
    for i in range(bits.shape[0]):
        word = bits[i]
        word = np.uint32(0) if word == _SIGN else word
        key = ~word if word & _SIGN else word | _SIGN
        words[i] = (np.uint64(key) << _HALF) | np.uint64(first + i)


@compiled(void(WORDS, uint64, COUNTS))
def count(words, shift, counts):  # type: ignore[no-untyped-def]
    """Add how many words have each digit."""
    for i in range(words.shape[0]):
        counts[(words[i] >> shift) & _MASK] += 1


@compiled(void(WORDS, uint64, COUNTS, WORDS))
def scatter(words, shift, places, out):  # type: ignore[no-untyped-def]
    """Move each word to the next place of its digit."""
    for i in range(words.shape[0]):
        word = words[i]
        digit = (word >> shift) & _MASK
        to = places[digit]
        places[digit] = to + 1
        out[to] = word


@compiled(void(WORDS, int64, int64, Array(float32, 1, "C")))
def mid_ranks(words, first, last, out):  # type: ignore[no-untyped-def]
    """(rank - 0.5)/n for the sorted places first to last; equal keys share the middle of their run."""
    n = words.shape[0]
    start = first
    while start > 0 and words[start - 1] >> _HALF == words[first] >> _HALF:
        start -= 1
    while start < last:
        key = words[start] >> _HALF
        stop = start + 1
        while stop < n and words[stop] >> _HALF == key:
            stop += 1
        place = np.float32((start + stop) * 0.5 / n)
        for i in range(max(start, first), min(stop, last)):
            out[np.int64(words[i] & _LOW)] = place
        start = stop


def _sorted_words(values: np.ndarray, task: Task) -> np.ndarray:
    """(n,) uint64: key and element number of (n,) float32 values, from the least to the greatest."""
    n = len(values)
    part = max(_LEAST, -(-n // _PARTS))
    words, spare = empty(n, np.uint64), empty(n, np.uint64)
    bits = np.ascontiguousarray(values, np.float32).view(np.uint32)
    over(n, lambda a, b: pack(bits[a:b], a, words[a:b]), task, part)
    for shift in _DIGITS:
        counts = np.zeros((-(-n // part), _BUCKETS), np.int64)
        over(n, lambda a, b, w=words, s=shift, c=counts: count(w[a:b], s, c[a // part]), task, part)  # type: ignore[misc]
        # A bucket's words come from the first part, then from the next one, and so on.
        by_bucket = counts.T.ravel()
        places = np.ascontiguousarray((np.cumsum(by_bucket) - by_bucket).reshape(_BUCKETS, -1).T)
        over(n, lambda a, b, w=words, s=shift, p=places, o=spare: scatter(w[a:b], s, p[a // part], o), task, part)  # type: ignore[misc]
        words, spare = spare, words
    return words


def even_out(values: np.ndarray, task: Task = UNWATCHED) -> np.ndarray:
    """Empirical distribution function at mid-rank of (n,) float32 values.

    Returns (rank - 0.5)/n in (0, 1), ties sharing their mean rank, as
    ``scipy.stats.rankdata(method="average")`` counts it.
    """
    out = empty(len(values))
    if len(values):
        words = _sorted_words(values, task)
        over(len(values), lambda a, b: mid_ranks(words, a, b, out), task)
    return out


def even_out_wide(values: np.ndarray) -> np.ndarray:
    """Empirical distribution function at mid-rank of (n,) int64 or float64 values, through NumPy's own sort."""
    _, where, counts = np.unique(values, return_inverse=True, return_counts=True)
    ends = np.cumsum(counts)
    return (((2 * ends - counts) * 0.5) / len(values)).astype(np.float32)[where]
