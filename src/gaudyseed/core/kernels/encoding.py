"""sRGB display encoding and decoding (IEC 61966-2-1) in float32.

``pow`` is a scalar library call and stops the compiler from using vector
instructions, and so does any branch. On 0..1 the two powers are therefore
polynomials (fitted at Chebyshev nodes in float64; the tests check them against
the exact formula and against two reference libraries): x^(1/2.4) in the fourth
root of x, u^2.4 in the square root of u, largest error 6e-7. A value above 1
(emission) is divided by as many times 2^6 as bring it below 1; its encoding is then
that many times 2^2.5 as large, since 6 / 2.4 = 2.5: powers of two, put together from the
bits of the exponent. Values are held at 1e30 (encoded ``TOP``), the bound of all numbers.
Values below the linear toe take the linear part; colours are never negative.
"""

from __future__ import annotations

import numpy as np
from numba import int32, uint8, void
from numba.types import Array, boolean, float32

from . import compiled

_TOE = np.float32(0.0031308)
_TOE_ENCODED = np.float32(0.04045)
_SLOPE = np.float32(12.92)
_INVERSE_SLOPE = np.float32(1.0 / 12.92)
_ZERO = np.float32(0.0)
_ONE = np.float32(1.0)
_E = tuple(
    np.float32(c)
    for c in (
        -0.0033944796305149794, 0.11895684152841568, 1.3746708631515503, -1.062514066696167,
        1.0869076251983643, -0.7904779314994812, 0.3403169512748718, -0.06446591019630432,
    )
)  # fmt: skip
_D = tuple(
    np.float32(c)
    for c in (
        0.0003894728724844754, -0.005347184371203184, 0.03184637799859047, -0.11244350671768188,
        0.3136760890483856, 0.8070030808448792, -0.035124413669109344,
    )
)  # fmt: skip
#: Every number is held within this, so that sums and squares of a few stay finite.
LARGEST = np.float32(1e30)
#: Its display encoding.
TOP = np.float32(1.055 * 1e30 ** (1 / 2.4) - 0.055)
_BIAS, _MANTISSA, _NONE = np.int32(127), np.int32(23), np.int32(0)
_BITS_OF_ONE = np.int32(0x3F800000)
#: Values whose way is decided together.
BLOCK = 2048
_SIX, _FIVE = np.int32(6), np.int32(5)
_ROOT_TWO, _ROOT_HALF = np.float32(np.sqrt(2.0)), np.float32(np.sqrt(0.5))
_A = np.float32(1.055)
_B = np.float32(0.055)
_SHIFT = np.float32(0.055 / 1.055)
_SCALE = np.float32(1.0 / 1.055)

COLOURS_IN = Array(float32, 2, "C", readonly=True)
COLOURS = Array(float32, 2, "C")
FLAT_IN = Array(float32, 1, "C", readonly=True)
FLAT = Array(float32, 1, "C")


@compiled(float32(int32), forceinline=True)
def _power_of_two(exponent):  # type: ignore[no-untyped-def]
    return np.int32((exponent + _BIAS) << _MANTISSA).view(np.float32)


@compiled(float32(float32), forceinline=True)
def _power(y):  # type: ignore[no-untyped-def]
    """y^(1/2.4) for y in 0..1."""
    t = np.sqrt(np.sqrt(y))
    e = _E[7]
    e = e * t + _E[6]
    e = e * t + _E[5]
    e = e * t + _E[4]
    e = e * t + _E[3]
    e = e * t + _E[2]
    e = e * t + _E[1]
    return e * t + _E[0]


@compiled(float32(float32), forceinline=True)
def _inverse_power(u):  # type: ignore[no-untyped-def]
    """u^2.4 for u in 0..1."""
    s = np.sqrt(min(u, _ONE))
    d = _D[6]
    d = d * s + _D[5]
    d = d * s + _D[4]
    d = d * s + _D[3]
    d = d * s + _D[2]
    d = d * s + _D[1]
    return d * s + _D[0]


@compiled(int32(float32), forceinline=True)
def _bits(x):  # type: ignore[no-untyped-def]
    return np.float32(x).view(np.int32)


@compiled(float32(float32), forceinline=True)
def encode(x):  # type: ignore[no-untyped-def]
    """Linear light to display encoding."""
    y = min(max(x, _ZERO), LARGEST)
    exponent = np.int32((_bits(y) >> _MANTISSA) - _BIAS)
    k = np.int32((exponent * np.int32(43)) >> np.int32(8)) + np.int32(1)  # a sixth, for exponents below 128
    k = k if x > _ONE else _NONE
    up = _power_of_two(np.int32((_FIVE * k) >> np.int32(1))) * (_ROOT_TWO if k & np.int32(1) else _ONE)
    e = _power(y * _power_of_two(np.int32(-_SIX * k))) * up * _A - _B
    return x * _SLOPE if x <= _TOE else e


@compiled(float32(float32), forceinline=True)
def decode(c):  # type: ignore[no-untyped-def]
    """Display encoding to linear light."""
    u = max(min(c, TOP) * _SCALE + _SHIFT, _ZERO)
    exponent = np.int32((_bits(u) >> _MANTISSA) - _BIAS)
    k = np.int32(((exponent + exponent + _SIX) * np.int32(205)) >> np.int32(10))  # a fifth, for exponents below 44
    k = k if c > _ONE else _NONE
    down = _power_of_two(np.int32(-((_FIVE * k) >> np.int32(1)))) * (_ROOT_HALF if k & np.int32(1) else _ONE)
    d = min(_inverse_power(u * down) * _power_of_two(np.int32(_SIX * k)), LARGEST)
    return c * _INVERSE_SLOPE if c <= _TOE_ENCODED else d


@compiled(float32(float32), forceinline=True)
def _encode_unit(x):  # type: ignore[no-untyped-def]
    """``encode`` for values up to 1."""
    return x * _SLOPE if x <= _TOE else _power(max(x, _ZERO)) * _A - _B


@compiled(float32(float32), forceinline=True)
def _decode_unit(c):  # type: ignore[no-untyped-def]
    """``decode`` for values up to 1."""
    return c * _INVERSE_SLOPE if c <= _TOE_ENCODED else _inverse_power(max(c * _SCALE + _SHIFT, _ZERO))


@compiled(boolean(FLAT_IN))
def _any_bright(values):  # type: ignore[no-untyped-def]
    """Whether a value lies above 1; bits of floats sort as whole numbers do, and their maximum is quick to find."""
    top = _NONE
    for i in range(values.shape[0]):
        top = max(top, _bits(values[i]))
    return top > _BITS_OF_ONE


@compiled(void(FLAT_IN, FLAT))
def encode_block(linear, out):  # type: ignore[no-untyped-def]
    """Display-encode a block of values; one without emission takes the shorter way."""
    if _any_bright(linear):
        for i in range(out.shape[0]):
            out[i] = encode(linear[i])
    else:
        for i in range(out.shape[0]):
            out[i] = _encode_unit(linear[i])


@compiled(void(FLAT_IN, FLAT))
def decode_block(encoded, out):  # type: ignore[no-untyped-def]
    """Linear light of a block of display-encoded values; negative ones count as 0."""
    if _any_bright(encoded):
        for i in range(out.shape[0]):
            out[i] = decode(max(encoded[i], _ZERO))
    else:
        for i in range(out.shape[0]):
            out[i] = _decode_unit(max(encoded[i], _ZERO))


@compiled(void(FLAT_IN, FLAT))
def encode_values(linear, out):  # type: ignore[no-untyped-def]
    """Display-encode any number of linear values."""
    for start in range(0, out.shape[0], BLOCK):
        stop = min(start + BLOCK, out.shape[0])
        encode_block(linear[start:stop], out[start:stop])


@compiled(void(FLAT_IN, FLAT))
def decode_values(encoded, out):  # type: ignore[no-untyped-def]
    """Linear light of any number of display-encoded values; negative ones count as 0. Both may be one array."""
    # A loop from an array into itself is not compiled to vector instructions.
    scratch = np.empty(min(BLOCK, out.shape[0]), np.float32)
    for start in range(0, out.shape[0], BLOCK):
        stop = min(start + BLOCK, out.shape[0])
        block = scratch[: stop - start]
        block[:] = encoded[start:stop]
        decode_block(block, out[start:stop])


@compiled(float32(float32), forceinline=True)
def _level(x):  # type: ignore[no-untyped-def]
    e = _encode_unit(min(x, _ONE))
    return min(max(e, _ZERO), _ONE) * np.float32(255.0) + np.float32(0.5)


@compiled(void(FLAT_IN, Array(uint8, 1, "C")))
def encode_bytes(linear, out):  # type: ignore[no-untyped-def]
    """8-bit display-encoded values, rounded to nearest, limited to 0..1."""
    for i in range(out.shape[0]):
        out[i] = np.uint8(np.int32(_level(linear[i])))
