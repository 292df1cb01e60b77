"""Numbers as decimal digits, written without the interpreter's lock.

A number is written with as few digits as read back as the same: candidates of more and more digits are worked out, and
the first is kept that lies nearer to the number than half of the gap to its neighbour. For float32 float64 is exact
enough, for float64 a sum of two of them. Very large and very small ones are left to the caller, with the size 0.
"""

from __future__ import annotations

import math

import numpy as np
from numba import boolean, int64, types, void
from numba.types import Array, float32, float64, uint8

from . import compiled
from .text import BYTES, OFFSETS, OFFSETS_IN, TENS

_CELLS = Array(uint8, 2, "C")
_OUT = Array(uint8, 1, "C")

#: Bytes of a cell at most: a sign, a nought and a point, four noughts more, seventeen digits; or whole numbers.
WIDEST = 26

_POWERS = np.array([10**k for k in range(19)], np.int64)
#: Parts a float64 into two halves (Veltkamp).
_SPLIT = 134217729.0
_MINUS, _POINT, _NOUGHT, _E, _PLUS = 45, 46, 48, 101, 43
#: Exponents that are written out.
_LEAST, _MOST = -4, 15


@compiled(int64(int64, _OUT, int64, int64), forceinline=True)
def _digits(number, out, at, count):  # type: ignore[no-untyped-def]
    """So many digits, those in front noughts; returns where they end."""
    for k in range(at + count - 1, at - 1, -1):
        out[k] = _NOUGHT + number % 10
        number //= 10
    return at + count


@compiled(int64(int64), forceinline=True)
def _count(number):  # type: ignore[no-untyped-def]
    """How many digits a whole number has that is not negative."""
    count = 1
    while number > 9:
        number //= 10
        count += 1
    return count


@compiled(int64(int64, int64, _OUT, int64, boolean), forceinline=True)
def _decimal(mantissa, scale, out, at, point):  # type: ignore[no-untyped-def]
    """Write ``mantissa / 10**scale``, above 0; ``point`` puts ``.0`` behind whole numbers. Returns where it ends."""
    while mantissa % 10 == 0:
        mantissa //= 10
        scale -= 1
    count = _count(mantissa)
    exponent = count - 1 - scale
    if exponent < _LEAST or exponent > _MOST:
        power = _POWERS[count - 1]
        at = _digits(mantissa // power, out, at, 1)
        if count > 1:
            out[at] = _POINT
            at = _digits(mantissa % power, out, at + 1, count - 1)
        out[at], out[at + 1] = _E, _MINUS if exponent < 0 else _PLUS
        return _digits(abs(exponent), out, at + 2, 2)
    if scale <= 0:
        at = _digits(mantissa, out, at, count)
        for _ in range(-scale):
            out[at] = _NOUGHT
            at += 1
        if point:
            out[at], out[at + 1] = _POINT, _NOUGHT
            at += 2
        return at
    if scale >= count:
        out[at], out[at + 1] = _NOUGHT, _POINT
        return _digits(mantissa, out, at + 2, scale)
    power = _POWERS[scale]
    at = _digits(mantissa // power, out, at, count - scale)
    out[at] = _POINT
    return _digits(mantissa % power, out, at + 1, scale)


@compiled(float64(float64, int64), forceinline=True)
def _half_gap(value, bits):  # type: ignore[no-untyped-def]
    """Half of the way to the nearer neighbour among numbers of so many bits; below a power of two it is half as far."""
    part, power = math.frexp(value)
    return math.ldexp(0.25 if part == 0.5 else 0.5, power - bits)


@compiled(int64(float64), forceinline=True)
def _exponent(value):  # type: ignore[no-untyped-def]
    """Of ten; near a power of ten it may be one off."""
    return np.int64(math.floor(math.log10(value)))


@compiled(void(Array(float32, 1, "A", readonly=True), _CELLS, OFFSETS))
def floats(values, out, sizes):  # type: ignore[no-untyped-def]
    """The fewest digits of each that read back as the same float32, and how many bytes they are."""
    for i in range(values.shape[0]):
        value = np.float64(values[i])
        row = out[i]
        sizes[i] = 0
        if value == 0:
            negative = math.copysign(1.0, value) < 0
            row[0], row[1] = _MINUS if negative else _NOUGHT, _NOUGHT
            sizes[i] = 2 if negative else 1
            continue
        size = abs(value)
        if not (size >= 1e-11 and size < 1e15):
            continue
        row[0] = _MINUS
        at = np.int64(1 if value < 0 else 0)
        near = _half_gap(size, 24) * (1 - 1e-7)
        exponent = _exponent(size)
        for digits in range(6, 11):
            scale = digits - 1 - exponent
            if scale >= 0:
                mantissa = np.rint(size * TENS[scale])
                read = mantissa / TENS[scale]
            else:
                mantissa = np.rint(size / TENS[-scale])
                read = mantissa * TENS[-scale]
            if abs(read - size) < near:
                sizes[i] = _decimal(np.int64(mantissa), scale, row, at, False)
                break


@compiled(types.UniTuple(float64, 2)(float64, float64), forceinline=True)
def _product(a, b):  # type: ignore[no-untyped-def]
    """The product of two float64 exactly, as a sum of two (Dekker 1971)."""
    whole = a * b
    part = _SPLIT * a
    a_high = part - (part - a)
    part = _SPLIT * b
    b_high = part - (part - b)
    a_low, b_low = a - a_high, b - b_high
    return whole, ((a_high * b_high - whole) + a_high * b_low + a_low * b_high) + a_low * b_low


@compiled(void(Array(float64, 1, "A", readonly=True), _CELLS, OFFSETS))
def doubles(values, out, sizes):  # type: ignore[no-untyped-def]
    """The fewest digits of each that read back as the same float64, with a point, and how many bytes they are."""
    for i in range(values.shape[0]):
        value = values[i]
        row = out[i]
        sizes[i] = 0
        row[0] = _MINUS
        at = np.int64(1 if math.copysign(1.0, value) < 0 else 0)
        if value == 0:
            row[at], row[at + 1], row[at + 2] = _NOUGHT, _POINT, _NOUGHT
            sizes[i] = at + 3
            continue
        size = abs(value)
        if not (size >= 1e-4 and size < 1e15):
            continue
        near = _half_gap(size, 53) * (1 - 1e-9)
        exponent = _exponent(size)
        # One less than fifteen, which each decimal of fifteen digits survives, since the exponent may be one off.
        for digits in range(14, 19):
            scale = digits - 1 - exponent
            if scale < 0:
                continue
            high, low = _product(size, TENS[scale])
            mantissa = np.int64(high)
            rest = (high - np.float64(mantissa)) + low
            if abs(rest - np.rint(rest)) < near * TENS[scale]:
                sizes[i] = _decimal(mantissa + np.int64(np.rint(rest)), scale, row, at, True)
                break


@compiled(void(Array(int64, 1, "A", readonly=True), _CELLS, OFFSETS))
def wholes(values, out, sizes):  # type: ignore[no-untyped-def]
    """Whole numbers; the least of all gets the size 0."""
    for i in range(values.shape[0]):
        value = values[i]
        row = out[i]
        sizes[i] = 0
        if value == np.iinfo(np.int64).min:
            continue
        row[0] = _MINUS
        at = 1 if value < 0 else 0
        sizes[i] = _digits(abs(value), row, at, _count(abs(value)))


@compiled(void(BYTES, OFFSETS_IN, OFFSETS_IN, OFFSETS, _OUT))
def put(data, starts, sizes, at, out):  # type: ignore[no-untyped-def]
    """Copy each cell to where its row has come to, and go on there."""
    for i in range(at.shape[0]):
        to, first = at[i], starts[i]
        for k in range(sizes[i]):
            out[to + k] = data[first + k]
        at[i] = to + sizes[i]


@compiled(void(BYTES, OFFSETS, _OUT))
def put_same(text, at, out):  # type: ignore[no-untyped-def]
    """Writes equal bytes into every row."""
    count = text.shape[0]
    for i in range(at.shape[0]):
        for k in range(count):
            out[at[i] + k] = text[k]
        at[i] += count
