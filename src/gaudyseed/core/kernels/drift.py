"""A small random change of hue, saturation and lightness around each colour, in HSV.

HSV after A. R. Smith 1978, on display-encoded values, as ``colorsys`` has it.
"""

from __future__ import annotations

import numpy as np
from numba import njit, uint32, void
from numba.types import float32

from . import OPTIONS
from .encoding import FLAT, FLAT_IN, decode, encode
from .hashing import WORDS, pcg3d, unit

#: Elements worked on at a time. Short plain loops over flat scratch arrays are what the compiler turns
#: into vector instructions; one long loop over (n, 3) rows is four times as slow.
BLOCK = 512

_ZERO = np.float32(0.0)
_ONE = np.float32(1.0)
_SIXTH = np.float32(1.0 / 6.0)
_SIX = np.float32(6.0)


@njit(float32(float32), inline="always", **OPTIONS)
def _hexcone(k):  # type: ignore[no-untyped-def]
    k = k - _SIX if k >= _SIX else k
    return max(min(min(k, np.float32(4.0) - k), _ONE), _ZERO)


@njit(void(FLAT_IN, WORDS, WORDS, uint32, uint32, float32, float32, float32,
           float32, float32, float32, FLAT), **OPTIONS)  # fmt: skip
def drift_hsv(colours, low, high, seed, stream, hue, saturation, lightness,
              offset, gain, chance, out):  # type: ignore[no-untyped-def]  # fmt: skip
    """Move each colour by random parts of three ranges.

    The part is ``offset + gain * u`` with u in [0, 1): around (-1, 2), above
    (0, 1), below (0, -1). ``hue`` is in turns. ``chance`` is the probability that
    an element moves at all; one that does not keeps its exact value. ``colours``
    and ``out`` are flat (3n). Greys have no hue and keep their zero saturation.
    """
    n = low.shape[0]
    parts = np.empty((4, BLOCK), np.float32)
    hues, saturations, values, moves = parts[0], parts[1], parts[2], parts[3]
    encoded = np.empty(3 * BLOCK, np.float32)
    for start in range(0, n, BLOCK):
        m = min(BLOCK, n - start)
        keys, tops = low[start : start + m], high[start : start + m]
        linear, result = colours[3 * start : 3 * (start + m)], out[3 * start : 3 * (start + m)]
        for j in range(m):
            x, y, z = pcg3d(keys[j], np.uint32(tops[j] + stream), seed)
            w, _a, _b = pcg3d(x, y, z)
            move = _ONE if unit(w) < chance else _ZERO
            moves[j] = move
            hues[j] = (offset + gain * unit(x)) * hue * move
            saturations[j] = (offset + gain * unit(y)) * saturation * move
            values[j] = (offset + gain * unit(z)) * lightness * move
        for j in range(3 * m):
            encoded[j] = encode(linear[j])
        for j in range(m):
            r, g, b = encoded[3 * j], encoded[3 * j + 1], encoded[3 * j + 2]
            top = max(r, max(g, b))
            span = top - min(r, min(g, b))
            coloured = span > _ZERO and top > _ZERO
            inverse = _ONE / (span if coloured else _ONE)
            s = span / top if coloured else _ZERO
            h = (r - g) * inverse + np.float32(4.0)
            h = (b - r) * inverse + np.float32(2.0) if g == top else h
            h = (g - b) * inverse if r == top else h
            h = h * _SIXTH + hues[j]
            h = (h - np.floor(h)) * _SIX
            s = min(max(s + saturations[j], _ZERO), _ONE) if coloured else s
            v = min(max(top + values[j], _ZERO), max(_ONE, top))
            # f(n) = v - v s max(0, min(k, 4 - k, 1)), k = (n + 6 h) mod 6: the hexcone without branches.
            vs = v * s
            encoded[3 * j] = v - vs * _hexcone(h + np.float32(5.0))
            encoded[3 * j + 1] = v - vs * _hexcone(h + np.float32(3.0))
            encoded[3 * j + 2] = v - vs * _hexcone(h + np.float32(1.0))
        for j in range(3 * m):
            result[j] = decode(encoded[j])
        if chance < _ONE:
            for j in range(m):
                if moves[j] == _ZERO:
                    result[3 * j] = linear[3 * j]
                    result[3 * j + 1] = linear[3 * j + 1]
                    result[3 * j + 2] = linear[3 * j + 2]
