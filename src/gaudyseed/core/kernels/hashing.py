"""pcg3d, an integer hash of three words.

Source: M. Jarzynski and M. Olano, "Hash Functions for GPU Rendering", JCGT
9(3), 2020, listing of pcg3d. The top 24 bits of a word give [0, 1).
"""

from __future__ import annotations

import numpy as np
from numba import uint32, void
from numba.types import Array, UniTuple, float32

from . import compiled

_A = np.uint32(1664525)
_C = np.uint32(1013904223)
_SHIFT = np.uint32(16)
_TOP = np.uint32(8)
_SCALE = np.float32(2.0**-24)

WORDS = Array(uint32, 1, "C", readonly=True)
FLOATS = Array(float32, 1, "C")
FLOATS_2D = Array(float32, 2, "C")


@compiled(UniTuple(uint32, 3)(uint32, uint32, uint32), forceinline=True)
def pcg3d(x, y, z):  # type: ignore[no-untyped-def]
    """Mix three words into three words. Every product is wrapped: numba widens it to 64 bits."""
    x = np.uint32(x * _A) + _C
    y = np.uint32(y * _A) + _C
    z = np.uint32(z * _A) + _C
    x = np.uint32(x + np.uint32(np.uint32(y) * np.uint32(z)))
    y = np.uint32(y + np.uint32(np.uint32(z) * np.uint32(x)))
    z = np.uint32(z + np.uint32(np.uint32(x) * np.uint32(y)))
    x = np.uint32(x ^ (x >> _SHIFT))
    y = np.uint32(y ^ (y >> _SHIFT))
    z = np.uint32(z ^ (z >> _SHIFT))
    x = np.uint32(x + np.uint32(y * z))
    y = np.uint32(y + np.uint32(z * x))
    z = np.uint32(z + np.uint32(x * y))
    return x, y, z


@compiled(float32(uint32), forceinline=True)
def unit(word):  # type: ignore[no-untyped-def]
    """The top 24 bits of a word as a number in [0, 1), exact in float32."""
    return np.float32(np.int32(np.uint32(word) >> _TOP)) * _SCALE


@compiled(void(WORDS, WORDS, uint32, uint32, FLOATS))
def random_one(low, high, seed, stream, out):  # type: ignore[no-untyped-def]
    """One number in [0, 1) for each 64-bit key given as two words."""
    for i in range(out.shape[0]):
        x, _y, _z = pcg3d(low[i], np.uint32(high[i] + stream), seed)
        out[i] = unit(x)


@compiled(void(WORDS, WORDS, uint32, uint32, FLOATS_2D))
def random_three(low, high, seed, stream, out):  # type: ignore[no-untyped-def]
    """Three independent numbers in [0, 1) for each key; ``out`` is (n, 3)."""
    for i in range(out.shape[0]):
        x, y, z = pcg3d(low[i], np.uint32(high[i] + stream), seed)
        out[i, 0] = unit(x)
        out[i, 1] = unit(y)
        out[i, 2] = unit(z)
