"""Colour corrections on display-encoded values, and limits."""

from __future__ import annotations

import numpy as np
from numba import njit, void
from numba.types import Array, boolean, float32

from . import OPTIONS
from .components import WEIGHTS
from .encoding import FLAT, FLAT_IN, decode, encode
from .ramps import NUMBERS_IN

_ZERO, _ONE = np.float32(0.0), np.float32(1.0)
_TURN = np.float32(2.0 * np.pi)
TRIPLE = Array(float32, 1, "C", readonly=True)
MATRIX = Array(float32, 2, "C")


@njit(void(float32, float32, MATRIX), inline="always", **OPTIONS)
def turn_and_saturate(turn, saturation, m):  # type: ignore[no-untyped-def]
    """The product of two matrices of W3C Filter Effects Level 1: hueRotate after ``turn`` turns, then saturate."""
    c, s = np.cos(turn * _TURN), np.sin(turn * _TURN)
    h = np.empty((3, 3), np.float32)
    h[0, 0] = 0.213 + c * 0.787 - s * 0.213
    h[0, 1] = 0.715 - c * 0.715 - s * 0.715
    h[0, 2] = 0.072 - c * 0.072 + s * 0.928
    h[1, 0] = 0.213 - c * 0.213 + s * 0.143
    h[1, 1] = 0.715 + c * 0.285 + s * 0.140
    h[1, 2] = 0.072 - c * 0.072 - s * 0.283
    h[2, 0] = 0.213 - c * 0.213 - s * 0.787
    h[2, 1] = 0.715 - c * 0.715 + s * 0.715
    h[2, 2] = 0.072 + c * 0.928 + s * 0.072
    for k in range(3):
        grey = 0.213 * h[0, k] + 0.715 * h[1, k] + 0.072 * h[2, k]
        for j in range(3):
            m[j, k] = grey + (h[j, k] - grey) * saturation


@njit(void(FLAT_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN,
           boolean, TRIPLE, TRIPLE, TRIPLE, float32, FLAT), **OPTIONS)  # fmt: skip
def grade(linear, turns, saturations, values, brightnesses, contrasts, pivots, gains, gammas,
          one_matrix, slope, offset, power, cdl_saturation, out):  # type: ignore[no-untyped-def]  # fmt: skip
    """The whole grade, each element with its own settings; the order is that of ``steps/grade.py``.

    ``one_matrix``: turn and saturation are the same for all, so their matrix is made once.
    """
    m = np.empty((3, 3), np.float32)
    c = np.empty(3, np.float32)
    if one_matrix and turns.shape[0] > 0:
        turn_and_saturate(turns[0], saturations[0], m)
    bent = power[0] != _ONE or power[1] != _ONE or power[2] != _ONE
    for i in range(turns.shape[0]):
        r = encode(linear[3 * i] * gains[i])
        g = encode(linear[3 * i + 1] * gains[i])
        b = encode(linear[3 * i + 2] * gains[i])
        if not one_matrix:
            turn_and_saturate(turns[i], saturations[i], m)
        # Value moves the greatest channel and keeps hue and saturation (HSV, A. R. Smith 1978).
        c[0] = m[0, 0] * r + m[0, 1] * g + m[0, 2] * b
        c[1] = m[1, 0] * r + m[1, 1] * g + m[1, 2] * b
        c[2] = m[2, 0] * r + m[2, 1] * g + m[2, 2] * b
        top = max(c[0], max(c[1], c[2]))
        wanted = max(top + values[i], _ZERO)
        scale = wanted / top if top > np.float32(1e-6) else _ONE
        lift = wanted if top <= np.float32(1e-6) else _ZERO
        for k in range(3):
            v = (c[k] * scale + lift) * brightnesses[i]
            v = (v - pivots[i]) * contrasts[i] + pivots[i]
            v = max(v, _ZERO)
            if gammas[i] != _ONE:
                v = np.float32(v ** (_ONE / gammas[i]))
            v = v * slope[k] + offset[k]
            v = max(v, _ZERO)
            if bent:
                v = np.float32(v ** power[k])
            c[k] = v
        luma = WEIGHTS[0] * c[0] + WEIGHTS[1] * c[1] + WEIGHTS[2] * c[2]
        for k in range(3):
            out[3 * i + k] = decode(max(luma + (c[k] - luma) * cdl_saturation, _ZERO))


@njit(void(FLAT_IN, boolean, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, FLAT), **OPTIONS)
def limits(linear, complement, monochromes, lows, highs, out):  # type: ignore[no-untyped-def]
    """Complement (HSV hue turned half round), then towards luma, then held between two levels; display-encoded."""
    for i in range(lows.shape[0]):
        r, g, b = encode(linear[3 * i]), encode(linear[3 * i + 1]), encode(linear[3 * i + 2])
        if complement:
            # Half a turn of HSV hue exchanges each channel for the sum of the greatest and least less itself.
            both = max(r, max(g, b)) + min(r, min(g, b))
            r, g, b = both - r, both - g, both - b
        luma = WEIGHTS[0] * r + WEIGHTS[1] * g + WEIGHTS[2] * b
        part, low, high = monochromes[i], lows[i], highs[i]
        out[3 * i] = decode(min(max(r + (luma - r) * part, low), high))
        out[3 * i + 1] = decode(min(max(g + (luma - g) * part, low), high))
        out[3 * i + 2] = decode(min(max(b + (luma - b) * part, low), high))
