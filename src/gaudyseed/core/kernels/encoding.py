"""sRGB display encoding and decoding (IEC 61966-2-1) in float32.

``pow`` is a scalar library call and stops the compiler from using vector
instructions, and so does any branch. On 0..1 the two powers are therefore
polynomials (fitted at Chebyshev nodes in float64; the tests check them against
the exact formula and against two reference libraries): x^(1/2.4) in the fourth
root of x, u^2.4 in the square root of u, largest error 6e-7. Values above 1
(emission) are scaled down into the same range, up to 256; above, they count as
256. Values below the linear toe, negative ones included, take the linear part.
"""

from __future__ import annotations

import numpy as np
from numba import njit, uint8, void
from numba.types import Array, float32

from . import OPTIONS

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
_BRIGHTEST = np.float32(256.0)
_DIM = np.float32(1.0 / 256.0)
_DIM_POWER = np.float32(256.0 ** (1 / 2.4))
_DIM_ENCODED = np.float32(1.0 / 11.0)
_DIM_ENCODED_POWER = np.float32(11.0**2.4)
_A = np.float32(1.055)
_B = np.float32(0.055)
_SHIFT = np.float32(0.055 / 1.055)
_SCALE = np.float32(1.0 / 1.055)

COLOURS_IN = Array(float32, 2, "C", readonly=True)
COLOURS = Array(float32, 2, "C")
FLAT_IN = Array(float32, 1, "C", readonly=True)
FLAT = Array(float32, 1, "C")


@njit(float32(float32), inline="always", **OPTIONS)
def encode(x):  # type: ignore[no-untyped-def]
    """Linear light to display encoding."""
    bright = x > _ONE
    y = min(max(x, _ZERO), _BRIGHTEST) * (_DIM if bright else _ONE)
    t = np.sqrt(np.sqrt(y))
    e = _E[7]
    e = e * t + _E[6]
    e = e * t + _E[5]
    e = e * t + _E[4]
    e = e * t + _E[3]
    e = e * t + _E[2]
    e = e * t + _E[1]
    e = e * t + _E[0]
    e = e * (_DIM_POWER if bright else _ONE) * _A - _B
    return x * _SLOPE if x <= _TOE else e


@njit(float32(float32), inline="always", **OPTIONS)
def decode(c):  # type: ignore[no-untyped-def]
    """Display encoding to linear light."""
    bright = c > _ONE
    u = max(c * _SCALE + _SHIFT, _ZERO) * (_DIM_ENCODED if bright else _ONE)
    s = np.sqrt(min(u, _ONE))
    d = _D[6]
    d = d * s + _D[5]
    d = d * s + _D[4]
    d = d * s + _D[3]
    d = d * s + _D[2]
    d = d * s + _D[1]
    d = d * s + _D[0]
    d = d * (_DIM_ENCODED_POWER if bright else _ONE)
    return c * _INVERSE_SLOPE if c <= _TOE_ENCODED else d


@njit(void(FLAT_IN, FLAT), **OPTIONS)
def encode_values(linear, out):  # type: ignore[no-untyped-def]
    """Display-encode any number of linear values."""
    for i in range(out.shape[0]):
        out[i] = encode(linear[i])


@njit(void(FLAT_IN, FLAT), **OPTIONS)
def decode_values(encoded, out):  # type: ignore[no-untyped-def]
    """Linear light of any number of display-encoded values."""
    for i in range(out.shape[0]):
        out[i] = decode(encoded[i])


@njit(float32(float32), inline="always", **OPTIONS)
def _level(x):  # type: ignore[no-untyped-def]
    e = encode(min(x, _ONE))
    return min(max(e, _ZERO), _ONE) * np.float32(255.0) + np.float32(0.5)


@njit(void(FLAT_IN, Array(uint8, 1, "C")), **OPTIONS)
def encode_bytes(linear, out):  # type: ignore[no-untyped-def]
    """8-bit display-encoded values, rounded to nearest, limited to 0..1."""
    for i in range(out.shape[0]):
        out[i] = np.uint8(np.int32(_level(linear[i])))


@njit(
    void(Array(uint8, 1, "C", readonly=True), Array(uint8, 1, "C", readonly=True), Array(uint8, 2, "C")),
    **OPTIONS,
)
def with_group(levels, groups, out):  # type: ignore[no-untyped-def]
    """Flat 8-bit colours (3n) and a group for each element, as rows of four bytes."""
    for i in range(out.shape[0]):
        out[i, 0] = levels[3 * i]
        out[i, 1] = levels[3 * i + 1]
        out[i, 2] = levels[3 * i + 2]
        out[i, 3] = groups[i]
