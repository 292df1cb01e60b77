"""Cube roots, sines and cosines in float32 without library calls.

A call for each element keeps the compiler from vector instructions, as do branches:
these are arithmetic and selects alone. The tests hold their errors against NumPy.
"""

from __future__ import annotations

import numpy as np
from numba import types
from numba.types import float32

from . import compiled

_ZERO, _HALF, _QUARTER = np.float32(0.0), np.float32(0.5), np.float32(0.25)
#: A third of the exponent and a good beginning of the mantissa: halves of float32 bits, counted as integers.
_BIAS = np.int32(709921077)
_THIRD = np.int32(3)
_TINY = np.float32(1e-30)
#: sin(2 pi s) for s in -1/4..1/4, by odd powers (Taylor; what follows is below 6e-8).
_SINE = tuple(np.float32(c) for c in (6.283185307, -41.34170224, 81.60524928, -76.70585975, 42.05869394, -15.09464258))


@compiled(float32(float32), forceinline=True)
def cube_root(x):  # type: ignore[no-untyped-def]
    """The cube root, relative error at most 4e-7; 0 below 1e-30.

    Two of Halley's steps from a first guess that divides the bits by three.
    """
    size = abs(x)
    root = np.int32(np.float32(size).view(np.int32) // _THIRD + _BIAS).view(np.float32)
    cube = root * root * root
    root = root * ((cube + size + size) / (cube + cube + size))
    cube = root * root * root
    root = root * ((cube + size + size) / (cube + cube + size))
    root = root if size > _TINY else _ZERO
    return -root if x < _ZERO else root


@compiled(float32(float32), forceinline=True)
def sine(turns):  # type: ignore[no-untyped-def]
    """The sine of an angle in turns, error at most 5e-7."""
    x = turns - np.floor(turns + _HALF)
    s = x if abs(x) <= _QUARTER else (_HALF - x if x > _ZERO else -_HALF - x)
    q = s * s
    p = ((((_SINE[5] * q + _SINE[4]) * q + _SINE[3]) * q + _SINE[2]) * q + _SINE[1]) * q + _SINE[0]
    return p * s


@compiled(types.UniTuple(float32, 2)(float32), forceinline=True)
def cosine_and_sine(turns):  # type: ignore[no-untyped-def]
    """Both of an angle in turns."""
    near = turns - np.floor(turns + _HALF)  # before a quarter is added, which rounds large angles
    return sine(near + _QUARTER), sine(near)
