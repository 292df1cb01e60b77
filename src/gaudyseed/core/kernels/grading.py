"""Colour corrections on display-encoded values, and levels that they are held between."""

from __future__ import annotations

import numpy as np
from numba import int64, void
from numba.types import Array, UniTuple, boolean, float32

from . import compiled
from .components import WEIGHTS
from .encoding import FLAT, FLAT_IN, TOP, decode, decode_block, encode, encode_block
from .ramps import NUMBERS_IN
from .waves import cosine_and_sine

_ZERO, _ONE = np.float32(0.0), np.float32(1.0)
BLOCK = 512
#: A setting of each channel for the elements, and switches of each channel.
TRIPLE = UniTuple(NUMBERS_IN, 3)
SWITCHES = UniTuple(boolean, 3)
DOES = UniTuple(boolean, 4)
MATRIX = Array(float32, 2, "C")


@compiled(void(float32, float32, MATRIX), forceinline=True)
def turn_and_saturate(turn, saturation, m):  # type: ignore[no-untyped-def]
    """The product of two matrices of W3C Filter Effects Level 1: hueRotate after ``turn`` turns, then saturate."""
    c, s = cosine_and_sine(turn)
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


@compiled(void(FLAT, NUMBERS_IN, NUMBERS_IN, boolean))
def _hue_saturation(c, turns, saturations, one_matrix):  # type: ignore[no-untyped-def]
    """The matrix of hue turn and saturation; flat (3m), in place."""
    n = turns.shape[0]
    m = np.empty((3, 3), np.float32)
    if one_matrix and n > 0:
        turn_and_saturate(turns[0], saturations[0], m)
        # Single numbers, which the compiler can keep in registers.
        m00, m01, m02, m10, m11, m12 = m[0, 0], m[0, 1], m[0, 2], m[1, 0], m[1, 1], m[1, 2]
        m20, m21, m22 = m[2, 0], m[2, 1], m[2, 2]
        for i in range(n):
            r, g, b = c[3 * i], c[3 * i + 1], c[3 * i + 2]
            c[3 * i] = m00 * r + m01 * g + m02 * b
            c[3 * i + 1] = m10 * r + m11 * g + m12 * b
            c[3 * i + 2] = m20 * r + m21 * g + m22 * b
    else:
        for i in range(n):
            turn_and_saturate(turns[i], saturations[i], m)
            r, g, b = c[3 * i], c[3 * i + 1], c[3 * i + 2]
            for k in range(3):
                c[3 * i + k] = m[k, 0] * r + m[k, 1] * g + m[k, 2] * b


@compiled(void(FLAT))
def _complement(c):  # type: ignore[no-untyped-def]
    """HSV hue turned half round: each channel becomes the greatest and the least together, less itself."""
    for i in range(c.shape[0] // 3):
        r, g, b = c[3 * i], c[3 * i + 1], c[3 * i + 2]
        both = max(r, max(g, b)) + min(r, min(g, b))
        c[3 * i], c[3 * i + 1], c[3 * i + 2] = both - r, both - g, both - b


@compiled(void(FLAT, NUMBERS_IN))
def _monochrome(c, parts):  # type: ignore[no-untyped-def]
    """Colours mixed with their Rec. 709 luma; flat (3m), in place."""
    for i in range(parts.shape[0]):
        part = parts[i]
        luma = WEIGHTS[0] * c[3 * i] + WEIGHTS[1] * c[3 * i + 1] + WEIGHTS[2] * c[3 * i + 2]
        for k in range(3 * i, 3 * i + 3):
            c[k] = c[k] + (luma - c[k]) * part


@compiled(void(NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, FLAT))
def grade_numbers(values, brightness, contrast, pivot, gamma, out):  # type: ignore[no-untyped-def]
    """Numbers times the brightness, steepened about the pivot, then bent so that 0 and the pivot stay.

    Numbers below 0 are not bent, and a pivot of 0 bends about 1.
    """
    for i in range(out.shape[0]):
        p = pivot[i]
        v = (values[i] * brightness[i] - p) * contrast[i] + p
        about = p if p > _ZERO else _ONE
        if v > _ZERO and gamma[i] != _ONE:
            v = about * np.float32((v / about) ** (_ONE / gamma[i]))
        out[i] = min(max(v, -TOP), TOP)


@compiled(void(FLAT), forceinline=True)
def _held(c):  # type: ignore[no-untyped-def]
    """Values held within the greatest, by themselves: beside a power they would go one by one."""
    for j in range(c.shape[0]):
        c[j] = min(c[j], TOP)


@compiled(void(FLAT, int64, TRIPLE, TRIPLE, TRIPLE, SWITCHES, NUMBERS_IN))
def _decision_list(c, start, slope, offset, power, bends, saturation):  # type: ignore[no-untyped-def]
    """ASC CDL v1.2 on flat values (3m), in place; settings are read from ``start`` on."""
    m = c.shape[0] // 3
    for k in range(3):
        slopes, offsets, powers = slope[k][start : start + m], offset[k][start : start + m], power[k][start : start + m]
        for i in range(m):
            c[3 * i + k] = max(c[3 * i + k] * slopes[i] + offsets[i], _ZERO)
        if bends[k]:
            for i in range(m):
                c[3 * i + k] = np.float32(c[3 * i + k] ** powers[i])
    _held(c)
    for i in range(m):
        part = saturation[start + i]
        luma = WEIGHTS[0] * c[3 * i] + WEIGHTS[1] * c[3 * i + 1] + WEIGHTS[2] * c[3 * i + 2]
        c[3 * i] = luma + (c[3 * i] - luma) * part
        c[3 * i + 1] = luma + (c[3 * i + 1] - luma) * part
        c[3 * i + 2] = luma + (c[3 * i + 2] - luma) * part


@compiled(void(FLAT_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN,
           boolean, DOES, boolean, TRIPLE, TRIPLE, TRIPLE, SWITCHES, NUMBERS_IN, FLAT),
      )  # fmt: skip
def grade(linear, turns, saturations, monochromes, brightnesses, contrasts, pivots, gains, gammas,
          one_matrix, does, cdl, slope, offset, power, bends, cdl_saturation, out):  # type: ignore[no-untyped-def]  # fmt: skip
    """The whole grade, each element with its own settings; the order is that of ``steps/grade.py``.

    ``one_matrix``: turn and saturation are the same for all, so their matrix is made once.
    ``does``: whether complement, monochrome, brightness with contrast, and gamma do anything;
    ``cdl`` and ``bends``: whether the decision list and each of its powers do.
    """
    complements, greys, steepens, bend = does
    n = turns.shape[0]
    # Two, because a loop from an array into itself is not compiled to vector instructions.
    scratch, light = np.empty(3 * BLOCK, np.float32), np.empty(3 * BLOCK, np.float32)
    for start in range(0, n, BLOCK):
        m = min(BLOCK, n - start)
        e = start + m
        lit = light[: 3 * m]
        c, source, result = scratch[: 3 * m], linear[3 * start : 3 * e], out[3 * start : 3 * e]
        for i in range(m):
            gain = gains[start + i]
            lit[3 * i], lit[3 * i + 1], lit[3 * i + 2] = (
                source[3 * i] * gain,
                source[3 * i + 1] * gain,
                source[3 * i + 2] * gain,
            )
        encode_block(lit, c)
        _hue_saturation(c, turns[start:e], saturations[start:e], one_matrix)
        if complements:
            _complement(c)
        if greys:
            _monochrome(c, monochromes[start:e])
        if steepens:
            for i in range(m):
                contrast, pivot = contrasts[start + i], pivots[start + i]
                factor, shift = brightnesses[start + i] * contrast, pivot - pivot * contrast
                c[3 * i] = c[3 * i] * factor + shift
                c[3 * i + 1] = c[3 * i + 1] * factor + shift
                c[3 * i + 2] = c[3 * i + 2] * factor + shift
        for j in range(3 * m):
            c[j] = max(c[j], _ZERO)
        if bend:
            for i in range(m):
                power_of = _ONE / gammas[start + i]
                for k in range(3 * i, 3 * i + 3):
                    c[k] = np.float32(c[k] ** power_of)
            _held(c)
        if cdl:
            _decision_list(c, start, slope, offset, power, bends, cdl_saturation)
        decode_block(c, result)


@compiled(void(FLAT_IN, NUMBERS_IN, NUMBERS_IN, FLAT))
def clamp(linear, lows, highs, out):  # type: ignore[no-untyped-def]
    """Flat colours (3n) held between two display-encoded levels."""
    for i in range(lows.shape[0]):
        low, high = lows[i], highs[i]
        for k in range(3 * i, 3 * i + 3):
            out[k] = decode(min(max(encode(linear[k]), low), high))
