"""Gradient noise and cell noise over points in space.

Gradient noise: K. Perlin, "Improving Noise", SIGGRAPH 2002: the quintic fade, and sixteen directions to the middles of
a cube's edges, four of them twice. The corners of the lattice are hashed with a seed in place of the published table of
256, so that nothing repeats and seeds are independent; ``permuted`` is the same code over that table. In four
dimensions the directions have three of four components (Perlin's Java reference of 2002).

Cell noise: S. Worley, "A Cellular Texture Basis Function", SIGGRAPH 1996: one point in each cell of a lattice.
"""

from __future__ import annotations

import numpy as np
from numba import boolean, float32, float64, int64, uint32, void
from numba.types import Array, Tuple, UniTuple

from . import compiled

FLOATS_IN = Array(float32, 1, "C", readonly=True)
FLOATS = Array(float32, 1, "C")
WORDS = Array(uint32, 1, "C", readonly=True)

_ONE, _ZERO, _HALF = np.float32(1.0), np.float32(0.0), np.float32(0.5)
_A, _B, _C = np.uint32(0x7FEB352D), np.uint32(0x846CA68B), np.uint32(0x9E3779B1)
_16, _15, _13 = np.uint32(16), np.uint32(15), np.uint32(13)
_SIGN = np.uint32(0x80000000)
_UNIT = np.float32(1.0 / 2048.0)


def both_ways(kernel, *more):  # type: ignore[no-untyped-def]
    """A kernel compiled for float32 places, and for float64 ones: where float32 has too few digits behind the point.

    It takes x, y and z (n,), a scale and an offset (three numbers) of the same type, then ``more``.
    """
    return (
        compiled(void(*[Array(kind, 1, "C", readonly=True)] * 3, *[kind] * 4, *more))(kernel)
        for kind in (float32, float64)
    )


#: Points that are worked on together: what lies between two loops stays in the first-level cache.
BLOCK = 256


@compiled(uint32(uint32), forceinline=True)
def _mix(x):  # type: ignore[no-untyped-def]
    """One multiplication and one shift: enough between the axes of a nested hash."""
    x = np.uint32(x * _A)
    return np.uint32(x ^ (x >> _16))


@compiled(uint32(uint32), forceinline=True)
def _word(x):  # type: ignore[no-untyped-def]
    """Two multiplications: its top bits are as good as random."""
    x = np.uint32(x * _A)
    x = np.uint32(x ^ (x >> _15))
    x = np.uint32(x * _B)
    return np.uint32(x ^ (x >> _16))


@compiled(float32(float32), forceinline=True)
def _fade(t):  # type: ignore[no-untyped-def]
    return t * t * t * (t * (t * np.float32(6.0) - np.float32(15.0)) + np.float32(10.0))


@compiled(float32(uint32, float32, float32, float32), forceinline=True)
def _slope(h, x, y, z):  # type: ignore[no-untyped-def]
    """The dot product with direction ``h`` of 0 to 15, as published; selects, no branches."""
    u = x if h < np.uint32(8) else y
    # h of 12 or 14: x stands for z.
    v = y if h < np.uint32(4) else (x if (h & _13) == np.uint32(12) else z)
    u = -u if h & np.uint32(1) else u
    v = -v if h & np.uint32(2) else v
    return u + v


@compiled(float32(uint32, float32, float32, float32, float32), forceinline=True)
def _slope_4(h, x, y, z, w):  # type: ignore[no-untyped-def]
    """The dot product with one of 32 directions of three components."""
    a = x if h < np.uint32(24) else y
    b = y if h < np.uint32(16) else z
    c = z if h < np.uint32(8) else w
    a = -a if h & np.uint32(4) else a
    b = -b if h & np.uint32(2) else b
    c = -c if h & np.uint32(1) else c
    return a + b + c


@compiled(float32(float32, float32, float32, float32, float32, float32, float32, float32, float32, float32, float32),
          forceinline=True)  # fmt: skip
def _cube(a, b, c, d, e, f, g, h, u, v, w):  # type: ignore[no-untyped-def]
    """The eight corners of a cube mixed along x, y and z."""
    p, q = a + u * (b - a), c + u * (d - c)
    r, s = e + u * (f - e), g + u * (h - g)
    p, r = p + v * (q - p), r + v * (s - r)
    return p + w * (r - p)


@compiled(forceinline=True)
def _lattice(x, y, z, s0, s1, s2):  # type: ignore[no-untyped-def]
    """How far a place lies from its cube's first corner, and the hashes of the four lower corners.

    Those of the four above are one more. Places are float32, or float64 where they are far from 0.
    """
    one = np.uint32(1)
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    X, Y, Z = np.uint32(np.int32(fx)) + s0, np.uint32(np.int32(fy)) + s1, np.uint32(np.int32(fz)) + s2
    A, B = np.uint32(_mix(np.uint32(X)) + Y), np.uint32(_mix(np.uint32(X + one)) + Y)
    AA, AB = np.uint32(_mix(A) + Z), np.uint32(_mix(np.uint32(A + one)) + Z)
    BA, BB = np.uint32(_mix(B) + Z), np.uint32(_mix(np.uint32(B + one)) + Z)
    return np.float32(x - fx), np.float32(y - fy), np.float32(z - fz), AA, AB, BA, BB


def _gradient(xs, ys, zs, scale, ox, oy, oz, s0, s1, s2, out):  # type: ignore[no-untyped-def]
    """One octave in three dimensions at ``scale`` times a place plus an offset; within about 1.04 of 0."""
    one = np.uint32(1)
    for i in range(np.uint64(out.shape[0])):
        x, y, z, AA, AB, BA, BB = _lattice(xs[i] * scale + ox, ys[i] * scale + oy, zs[i] * scale + oz, s0, s1, s2)
        x1, y1, z1 = x - _ONE, y - _ONE, z - _ONE
        top = np.uint32(28)
        out[i] = _cube(
            _slope(_word(AA) >> top, x, y, z), _slope(_word(BA) >> top, x1, y, z),
            _slope(_word(AB) >> top, x, y1, z), _slope(_word(BB) >> top, x1, y1, z),
            _slope(_word(np.uint32(AA + one)) >> top, x, y, z1), _slope(_word(np.uint32(BA + one)) >> top, x1, y, z1),
            _slope(_word(np.uint32(AB + one)) >> top, x, y1, z1), _slope(_word(np.uint32(BB + one)) >> top, x1, y1, z1),
            _fade(x), _fade(y), _fade(z),
        )  # fmt: skip


gradient, gradient_far = both_ways(_gradient, uint32, uint32, uint32, FLOATS)


@compiled(void(FLOATS_IN, FLOATS_IN, FLOATS_IN, WORDS, FLOATS))
def permuted(xs, ys, zs, table, out):  # type: ignore[no-untyped-def]
    """One octave over a table of 256 numbers, as published; for comparison with others."""
    last = np.uint32(255)
    one = np.uint32(1)
    low = np.uint32(15)
    for i in range(out.shape[0]):
        fx, fy, fz = np.floor(xs[i]), np.floor(ys[i]), np.floor(zs[i])
        X, Y, Z = np.uint32(np.int32(fx)), np.uint32(np.int32(fy)), np.uint32(np.int32(fz))
        x, y, z = xs[i] - fx, ys[i] - fy, zs[i] - fz
        x1, y1, z1 = x - _ONE, y - _ONE, z - _ONE
        A, B = np.uint32(table[X & last] + Y), np.uint32(table[(X + one) & last] + Y)
        AA, AB = np.uint32(table[A & last] + Z), np.uint32(table[(A + one) & last] + Z)
        BA, BB = np.uint32(table[B & last] + Z), np.uint32(table[(B + one) & last] + Z)
        out[i] = _cube(
            _slope(table[AA & last] & low, x, y, z), _slope(table[BA & last] & low, x1, y, z),
            _slope(table[AB & last] & low, x, y1, z), _slope(table[BB & last] & low, x1, y1, z),
            _slope(table[(AA + one) & last] & low, x, y, z1), _slope(table[(BA + one) & last] & low, x1, y, z1),
            _slope(table[(AB + one) & last] & low, x, y1, z1), _slope(table[(BB + one) & last] & low, x1, y1, z1),
            _fade(x), _fade(y), _fade(z),
        )  # fmt: skip


def _gradient_4(xs, ys, zs, scale, ox, oy, oz, s0, s1, s2, s3, w, out):  # type: ignore[no-untyped-def]
    """One layer of one octave in four dimensions: all places share a fourth coordinate.

    ``s3`` hashes the layer and ``w`` is how far above it, or -how far below, the places lie.
    """
    one = np.uint32(1)
    for i in range(np.uint64(out.shape[0])):
        x, y, z, AA, AB, BA, BB = _lattice(xs[i] * scale + ox, ys[i] * scale + oy, zs[i] * scale + oz, s0, s1, s2)
        x1, y1, z1 = x - _ONE, y - _ONE, z - _ONE
        top = np.uint32(27)
        out[i] = _cube(
            _slope_4(_word(np.uint32(AA + s3)) >> top, x, y, z, w),
            _slope_4(_word(np.uint32(BA + s3)) >> top, x1, y, z, w),
            _slope_4(_word(np.uint32(AB + s3)) >> top, x, y1, z, w),
            _slope_4(_word(np.uint32(BB + s3)) >> top, x1, y1, z, w),
            _slope_4(_word(np.uint32(AA + one + s3)) >> top, x, y, z1, w),
            _slope_4(_word(np.uint32(BA + one + s3)) >> top, x1, y, z1, w),
            _slope_4(_word(np.uint32(AB + one + s3)) >> top, x, y1, z1, w),
            _slope_4(_word(np.uint32(BB + one + s3)) >> top, x1, y1, z1, w),
            _fade(x), _fade(y), _fade(z),
        )  # fmt: skip


gradient_4, gradient_4_far = both_ways(_gradient_4, uint32, uint32, uint32, uint32, float32, FLOATS)


def _transform(xs, ys, zs, m, anchor, out):  # type: ignore[no-untyped-def]
    """(3, n): places less an anchor (3,) through a (3, 4) matrix, held where whole numbers still fit."""
    far = m.dtype.type(1e9)
    p, q, s = anchor[0], anchor[1], anchor[2]
    for r in range(3):
        a, b, c, d = m[r, 0], m[r, 1], m[r, 2], m[r, 3]
        row = out[r]
        for i in range(np.uint64(xs.shape[0])):
            row[i] = min(max(a * (xs[i] - p) + b * (ys[i] - q) + c * (zs[i] - s) + d, -far), far)


transform, transform_far = (
    compiled(void(FLOATS_IN, FLOATS_IN, FLOATS_IN, Array(kind, 2, "C", readonly=True),
                  Array(kind, 1, "C", readonly=True), Array(kind, 2, "C")))(_transform)
    for kind in (float32, float64)
)  # fmt: skip


#: How an octave is folded before it is added.
PLAIN, BILLOW = 0, 1


@compiled(void(FLOATS_IN, FLOATS_IN, float32, float32, int64, FLOATS))
def add_octave(one, two, between, gain, shape, out):  # type: ignore[no-untyped-def]
    """Add ``gain`` times an octave, ``between`` the way from ``one`` to ``two``, folded as ``shape`` says."""
    for i in range(np.uint64(out.shape[0])):
        n = one[i] + between * (two[i] - one[i])
        folded = abs(n)
        n = n if shape == 0 else folded
        out[i] = out[i] + gain * n


@compiled(void(FLOATS_IN, float32, float32, float32, float32, float32, float32, FLOATS))
def settle(values, scale, middle, low, width, bias, contrast, out):  # type: ignore[no-untyped-def]
    """Onto 0..1: ``middle`` + ``scale`` times a value, clipped to ``low`` and ``width``, biased, steepened about 1/2.

    The bias is that of C. Schlick, "Fast Alternatives to Perlin's Bias and Gain Functions", Graphics Gems IV, 1994: a
    half becomes ``bias``, 0 and 1 stay.
    """
    inverse, bent = _ONE / width, _ONE / bias - np.float32(2.0)
    for i in range(np.uint64(out.shape[0])):
        t = min(max(values[i] * scale + middle, _ZERO), _ONE)
        t = min(max((t - low) * inverse, _ZERO), _ONE)
        t = t / (bent * (_ONE - t) + _ONE)
        t = (t - _HALF) * contrast + _HALF
        out[i] = min(max(t, _ZERO), _ONE)


# Cells


@compiled(UniTuple(float32, 3)(uint32, float32, float32, float32, float32), forceinline=True)
def _point(word, jitter, swing, c, s):  # type: ignore[no-untyped-def]
    """Where in its cell the point of a hash lies: eleven, eleven and ten bits; with a swing about there."""
    x = np.float32(np.int32(word >> np.uint32(21))) * _UNIT - _HALF
    y = np.float32(np.int32((word >> np.uint32(10)) & np.uint32(2047))) * _UNIT - _HALF
    z = np.float32(np.int32(word & np.uint32(1023))) * np.float32(1.0 / 1024.0) - _HALF
    rest = _ONE - swing
    return (
        _HALF + jitter * (rest * x + swing * (c * y + s * z)),
        _HALF + jitter * (rest * y + swing * (c * z + s * x)),
        _HALF + jitter * (rest * z + swing * (c * x + s * y)),
    )


@compiled(float32(float32), forceinline=True)
def _falling(y):  # type: ignore[no-untyped-def]
    """exp(-y) for 0 to 32, to 1e-4 of itself: a polynomial of y / 64, squared six times; no call, so it vectorises."""
    x = y * np.float32(-1.0 / 64.0)
    e = _ONE + x * (_ONE + x * (_HALF + x * (np.float32(1 / 6) + x * (np.float32(1 / 24) + x * np.float32(1 / 120)))))
    e = e * e
    e = e * e
    e = e * e
    e = e * e
    e = e * e
    return e * e


@compiled(
    Tuple((float32, float32, uint32))(
        uint32, uint32, uint32, float32, float32, float32, float32, float32, float32, float32
    )
)
def _wide(X, Y, Z, x, y, z, jitter, swing, c, s):  # type: ignore[no-untyped-def]
    f1, f2, id1 = np.float32(1e9), np.float32(1e9), np.uint32(0)
    for dx in range(-2, 3):
        for dy in range(-2, 3):
            for dz in range(-2, 3):
                a = np.uint32(_mix(np.uint32(X + np.uint32(dx))) + Y + np.uint32(dy))
                word = _word(np.uint32(_mix(a) + Z + np.uint32(dz)))
                px, py, pz = _point(word, jitter, swing, c, s)
                px, py, pz = np.float32(dx) + px - x, np.float32(dy) + py - y, np.float32(dz) + pz - z
                d = px * px + py * py + pz * pz
                if d < f1:
                    f2, f1, id1 = f1, d, word
                elif d < f2:
                    f2 = d
    return f1, f2, id1


def _cells(  # type: ignore[no-untyped-def]
    xs, ys, zs, scale, ox, oy, oz, s0, s1, s2, jitter, swing, c, s, first, second, ids
):
    """The distances to the nearest and second nearest point, and the hash of the nearest one's cell.

    Exact: where a point outside the 27 cells around could be nearer, the 125 around are searched.
    """
    n = first.shape[0]
    fx, fy, fz = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
    X, Y, Z = np.empty(BLOCK, np.uint32), np.empty(BLOCK, np.uint32), np.empty(BLOCK, np.uint32)
    f1, f2, id1 = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32), np.empty(BLOCK, np.uint32)
    row = np.empty(BLOCK, np.uint32)
    slack = (_ONE - jitter) * _HALF
    for start in range(0, n, BLOCK):
        m = np.uint64(min(BLOCK, n - start))
        base = np.uint64(start)
        for i in range(m):
            x, y, z = xs[base + i] * scale + ox, ys[base + i] * scale + oy, zs[base + i] * scale + oz
            gx, gy, gz = np.floor(x), np.floor(y), np.floor(z)
            X[i] = np.uint32(np.int32(gx)) + s0
            Y[i] = np.uint32(np.int32(gy)) + s1
            Z[i] = np.uint32(np.int32(gz)) + s2
            fx[i], fy[i], fz[i] = np.float32(x - gx), np.float32(y - gy), np.float32(z - gz)
            f1[i], f2[i], id1[i] = np.float32(1e9), np.float32(1e9), np.uint32(0)
        for dx in range(-1, 2):
            for dy in range(-1, 2):
                kx, ky = np.uint32(dx), np.uint32(dy)
                for i in range(m):
                    row[i] = _mix(np.uint32(_mix(np.uint32(X[i] + kx)) + Y[i] + ky)) + Z[i]
                for dz in range(-1, 2):
                    kz = np.uint32(dz)
                    gx, gy, gz = np.float32(dx), np.float32(dy), np.float32(dz)
                    for i in range(m):
                        word = _word(np.uint32(row[i] + kz))
                        px, py, pz = _point(word, jitter, swing, c, s)
                        px, py, pz = gx + px - fx[i], gy + py - fy[i], gz + pz - fz[i]
                        d = px * px + py * py + pz * pz
                        nearer = d < f1[i]
                        f2[i] = min(max(d, f1[i]), f2[i])
                        id1[i] = word if nearer else id1[i]
                        f1[i] = min(d, f1[i])
        for i in range(m):
            x, y, z = fx[i], fy[i], fz[i]
            edge = min(min(min(x, _ONE - x), min(y, _ONE - y)), min(z, _ONE - z))
            reach = _ONE + edge + slack
            if f2[i] > reach * reach:
                f1[i], f2[i], id1[i] = _wide(X[i], Y[i], Z[i], x, y, z, jitter, swing, c, s)
        for i in range(m):
            first[base + i] = np.sqrt(f1[i])
            second[base + i] = np.sqrt(f2[i])
            ids[base + i] = id1[i]


cells, cells_far = both_ways(
    _cells, uint32, uint32, uint32, float32, float32, float32, float32, FLOATS, FLOATS, Array(uint32, 1, "C")
)


@compiled(
    UniTuple(float32, 2)(
        uint32, uint32, uint32, float32, float32, float32, float32, float32, float32, float32, float32, uint32
    )
)
def _wide_value(X, Y, Z, x, y, z, jitter, swing, c, s, k, own):  # type: ignore[no-untyped-def]
    """The sum of the weights of points nearer than 2, exp(-k d) - exp(-2 k), and that of their cells' values."""
    total, mixed, least = _ZERO, _ZERO, np.exp(np.float32(-2.0) * k)
    for dx in range(-2, 3):
        for dy in range(-2, 3):
            for dz in range(-2, 3):
                a = np.uint32(_mix(np.uint32(X + np.uint32(dx))) + Y + np.uint32(dy))
                word = _word(np.uint32(_mix(a) + Z + np.uint32(dz)))
                px, py, pz = _point(word, jitter, swing, c, s)
                px, py, pz = np.float32(dx) + px - x, np.float32(dy) + py - y, np.float32(dz) + pz - z
                weight = max(np.exp(-k * np.sqrt(px * px + py * py + pz * pz)) - least, _ZERO)
                total += weight
                mixed += weight * np.float32(np.int32(_word(np.uint32(word ^ own)) >> np.uint32(8)))
    return total, mixed


def _soft_cells(  # type: ignore[no-untyped-def]
    xs, ys, zs, scale, ox, oy, oz, s0, s1, s2, jitter, swing, c, s, k, valued, salt, out
):
    """The nearest distance softened, -ln(sum of exp(-k d)) / k, or with ``valued`` the cells' values mixed so.

    Points at a distance of 1 weigh nothing, so that there is no jump where the 27 cells change. Where no point is much
    nearer, values of the 125 cells around come in, the more the less there is.
    """
    least = np.float32(np.exp(-k))
    own = np.uint32(_C + np.uint32(salt * _B))
    n = out.shape[0]
    fx, fy, fz = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
    X, Y, Z = np.empty(BLOCK, np.uint32), np.empty(BLOCK, np.uint32), np.empty(BLOCK, np.uint32)
    total, mixed = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
    row = np.empty(BLOCK, np.uint32)
    for start in range(0, n, BLOCK):
        m = np.uint64(min(BLOCK, n - start))
        base = np.uint64(start)
        for i in range(m):
            x, y, z = xs[base + i] * scale + ox, ys[base + i] * scale + oy, zs[base + i] * scale + oz
            gx, gy, gz = np.floor(x), np.floor(y), np.floor(z)
            X[i] = np.uint32(np.int32(gx)) + s0
            Y[i] = np.uint32(np.int32(gy)) + s1
            Z[i] = np.uint32(np.int32(gz)) + s2
            fx[i], fy[i], fz[i] = np.float32(x - gx), np.float32(y - gy), np.float32(z - gz)
            total[i], mixed[i] = _ZERO, _ZERO
        for dx in range(-1, 2):
            for dy in range(-1, 2):
                kx, ky = np.uint32(dx), np.uint32(dy)
                for i in range(m):
                    row[i] = _mix(np.uint32(_mix(np.uint32(X[i] + kx)) + Y[i] + ky)) + Z[i]
                for dz in range(-1, 2):
                    kz = np.uint32(dz)
                    gx, gy, gz = np.float32(dx), np.float32(dy), np.float32(dz)
                    for i in range(m):
                        word = _word(np.uint32(row[i] + kz))
                        px, py, pz = _point(word, jitter, swing, c, s)
                        px, py, pz = gx + px - fx[i], gy + py - fy[i], gz + pz - fz[i]
                        d = np.sqrt(px * px + py * py + pz * pz)
                        weight = max(_falling(k * min(d, _ONE)) - least, _ZERO)
                        weight = weight if d < _ONE else _ZERO
                        total[i] += weight
                        mixed[i] += weight * np.float32(np.int32(_word(np.uint32(word ^ own)) >> np.uint32(8)))
        for i in range(m):
            if valued:
                t, value = total[i], mixed[i]
                if t < least:
                    more, others = _wide_value(X[i], Y[i], Z[i], fx[i], fy[i], fz[i], jitter, swing, c, s, k, own)
                    part = (_ONE - t / least) * (_ONE - t / least)
                    t, value = t + part * more, value + part * others
                out[base + i] = value * np.float32(2.0**-24) / t
            else:
                out[base + i] = min(max(-np.float32(np.log(least + total[i])) / k, _ZERO), _ONE)


soft_cells, soft_cells_far = both_ways(
    _soft_cells, uint32, uint32, uint32, float32, float32, float32, float32, float32, boolean, uint32, FLOATS
)


@compiled(void(WORDS, uint32, FLOATS))
def cell_values(ids, salt, out):  # type: ignore[no-untyped-def]
    """A random number in [0, 1) for each cell; another one for each salt."""
    own = np.uint32(_C + np.uint32(salt * _B))
    for i in range(np.uint64(out.shape[0])):
        out[i] = np.float32(np.int32(_word(np.uint32(ids[i] ^ own)) >> np.uint32(8))) * np.float32(2.0**-24)
