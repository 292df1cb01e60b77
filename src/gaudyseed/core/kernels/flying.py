"""How particles fly: what acts on them where they are, and the step from one time to the next.

A step drifts half its time, changes the velocity by what acts there, and drifts the other half (Strang splitting, of
second order). Drag is taken exactly: with velocity v, air that moves at u, acceleration a and drag k the solution of
v' = a - k (v - u), where a and u are held over the step.

Turbulence is the curl of three potentials of gradient noise, so that nothing gathers anywhere (R. Bridson, J. Hourihan
and M. Nordenstam, "Curl-Noise for Procedural Fluid Flow", SIGGRAPH 2007). The slopes at the corners of the lattice
have three random components from -1 to 1.
"""

from __future__ import annotations

import numpy as np
from numba import float32, int64, uint8, uint32, void
from numba.types import Array, UniTuple

from . import compiled
from .noise import _fade, _lattice, _word

FLOATS_IN = Array(float32, 1, "C", readonly=True)
FLOATS = Array(float32, 1, "C")
ROWS = Array(float32, 2, "C")
TABLE = Array(float32, 2, "C", readonly=True)
SOURCES = Array(uint8, 1, "C", readonly=True)

#: Columns of the table that has a row for each source.
GRAVITY, DRAG, WIND_X, WIND_Y, WIND_Z, TURBULENCE, ATTRACTION, ORBIT = range(8)
#: Numbers that are the same for all sources.
(PULL_X, PULL_Y, PULL_Z, PULL_WITHIN, ABOUT_X, ABOUT_Y, ABOUT_Z, AXIS_X, AXIS_Y, AXIS_Z, FLOOR, BOUNCE,
 GRIP) = range(13)  # fmt: skip
#: A floor that nothing reaches.
NO_FLOOR = np.float32(-3e38)
#: Particles that are worked on together.
BLOCK = 512

_ONE, _HALF, _ZERO = np.float32(1.0), np.float32(0.5), np.float32(0.0)
_SECOND, _THIRD = np.uint32(0x68E31DA4), np.uint32(0xB5297A4D)


@compiled(UniTuple(float32, 3)(uint32, float32, float32, float32, float32, float32, float32, float32, float32, float32),
          forceinline=True)  # fmt: skip
def _corner(h, x, y, z, u, v, w, du, dv, dw):  # type: ignore[no-untyped-def]
    """What one corner adds to the curl: its place from here, its weight along each axis, and their slopes."""
    a, b, c = _word(h), _word(np.uint32(h ^ _SECOND)), _word(np.uint32(h ^ _THIRD))
    fine, low = np.uint32(2047), np.uint32(1023)
    k, m = np.float32(1 / 1024), np.float32(1 / 512)
    ax = np.float32(np.int32(a >> np.uint32(21))) * k - _ONE
    ay = np.float32(np.int32((a >> np.uint32(10)) & fine)) * k - _ONE
    az = np.float32(np.int32(a & low)) * m - _ONE
    bx = np.float32(np.int32(b >> np.uint32(21))) * k - _ONE
    by = np.float32(np.int32((b >> np.uint32(10)) & fine)) * k - _ONE
    bz = np.float32(np.int32(b & low)) * m - _ONE
    cx = np.float32(np.int32(c >> np.uint32(21))) * k - _ONE
    cy = np.float32(np.int32((c >> np.uint32(10)) & fine)) * k - _ONE
    cz = np.float32(np.int32(c & low)) * m - _ONE
    whole, by_x, by_y, by_z = u * v * w, du * v * w, u * dv * w, u * v * dw
    p, q, r = ax * x + ay * y + az * z, bx * x + by * y + bz * z, cx * x + cy * y + cz * z
    return (
        (by_y * r + whole * cy) - (by_z * q + whole * bz),
        (by_z * p + whole * az) - (by_x * r + whole * cx),
        (by_x * q + whole * bx) - (by_y * p + whole * ay),
    )


@compiled(float32(float32), forceinline=True)
def _slope_of_fade(t):  # type: ignore[no-untyped-def]
    return np.float32(30.0) * t * t * (t - _ONE) * (t - _ONE)


@compiled(void(FLOATS_IN, FLOATS_IN, FLOATS_IN, float32, float32, float32, float32, uint32, uint32, uint32, float32,
               FLOATS, FLOATS, FLOATS))  # fmt: skip
def curl(xs, ys, zs, scale, ox, oy, oz, s0, s1, s2, gain, ax, ay, az):  # type: ignore[no-untyped-def]
    """Add ``gain`` times one octave of turbulence at ``scale`` times a place plus an offset."""
    one = np.uint32(1)
    for i in range(np.uint64(ax.shape[0])):
        x, y, z, AA, AB, BA, BB = _lattice(xs[i] * scale + ox, ys[i] * scale + oy, zs[i] * scale + oz, s0, s1, s2)
        u1, v1, w1 = _fade(x), _fade(y), _fade(z)
        u0, v0, w0 = _ONE - u1, _ONE - v1, _ONE - w1
        du, dv, dw = _slope_of_fade(x), _slope_of_fade(y), _slope_of_fade(z)
        x1, y1, z1 = x - _ONE, y - _ONE, z - _ONE
        a0, b0, c0 = _corner(AA, x, y, z, u0, v0, w0, -du, -dv, -dw)
        a1, b1, c1 = _corner(BA, x1, y, z, u1, v0, w0, du, -dv, -dw)
        a2, b2, c2 = _corner(AB, x, y1, z, u0, v1, w0, -du, dv, -dw)
        a3, b3, c3 = _corner(BB, x1, y1, z, u1, v1, w0, du, dv, -dw)
        a4, b4, c4 = _corner(np.uint32(AA + one), x, y, z1, u0, v0, w1, -du, -dv, dw)
        a5, b5, c5 = _corner(np.uint32(BA + one), x1, y, z1, u1, v0, w1, du, -dv, dw)
        a6, b6, c6 = _corner(np.uint32(AB + one), x, y1, z1, u0, v1, w1, -du, dv, dw)
        a7, b7, c7 = _corner(np.uint32(BB + one), x1, y1, z1, u1, v1, w1, du, dv, dw)
        ax[i] += gain * (((a0 + a1) + (a2 + a3)) + ((a4 + a5) + (a6 + a7)))
        ay[i] += gain * (((b0 + b1) + (b2 + b3)) + ((b4 + b5) + (b6 + b7)))
        az[i] += gain * (((c0 + c1) + (c2 + c3)) + ((c4 + c5) + (c6 + c7)))


@compiled(void(ROWS, ROWS, SOURCES, FLOATS_IN, TABLE, FLOATS_IN, TABLE, Array(uint32, 2, "C", readonly=True), int64,
               int64))  # fmt: skip
def advance(places, velocities, sources, steps, table, common, octaves, words, start, stop):  # type: ignore[no-untyped-def]
    """Move particles from ``start`` to ``stop`` on, each by its own step in seconds.

    ``places`` and ``velocities`` (3, n); ``table`` has a row for each source, ``common`` what is the same for all.
    ``octaves`` (o, 5): scale, offset (three numbers) and gain of each octave of turbulence; ``words`` (o, 3).
    """
    middle = np.empty((3, BLOCK), np.float32)
    force = np.empty((3, BLOCK), np.float32)
    for base in range(start, stop, BLOCK):
        m = np.uint64(min(BLOCK, stop - base))
        at = np.uint64(base)
        xs, ys, zs = places[0][base : base + m], places[1][base : base + m], places[2][base : base + m]
        vx, vy, vz = velocities[0][base : base + m], velocities[1][base : base + m], velocities[2][base : base + m]
        mx, my, mz = middle[0][:m], middle[1][:m], middle[2][:m]
        fx, fy, fz = force[0][:m], force[1][:m], force[2][:m]
        for i in range(m):
            half = _HALF * steps[at + i]
            mx[i], my[i], mz[i] = xs[i] + half * vx[i], ys[i] + half * vy[i], zs[i] + half * vz[i]
            fx[i], fy[i], fz[i] = _ZERO, _ZERO, _ZERO
        for o in range(octaves.shape[0]):
            curl(mx, my, mz, octaves[o, 0], octaves[o, 1], octaves[o, 2], octaves[o, 3], words[o, 0], words[o, 1],
                 words[o, 2], octaves[o, 4], fx, fy, fz)  # fmt: skip
        _kick(mx, my, mz, fx, fy, fz, sources[base:base + m], steps[base:base + m], table, common, xs, ys, zs, vx, vy,
              vz)  # fmt: skip


@compiled(void(FLOATS, FLOATS, FLOATS, FLOATS, FLOATS, FLOATS, SOURCES, FLOATS_IN, TABLE, FLOATS_IN, FLOATS, FLOATS,
               FLOATS, FLOATS, FLOATS, FLOATS))  # fmt: skip
def _kick(mx, my, mz, fx, fy, fz, sources, steps, table, common, xs, ys, zs, vx, vy, vz):  # type: ignore[no-untyped-def]
    """The velocities after all forces at the middles of the steps, and the places at their ends."""
    px, py, pz, within = common[PULL_X], common[PULL_Y], common[PULL_Z], common[PULL_WITHIN]
    cx, cy, cz = common[ABOUT_X], common[ABOUT_Y], common[ABOUT_Z]
    nx, ny, nz = common[AXIS_X], common[AXIS_Y], common[AXIS_Z]
    floor, bounce, slide = common[FLOOR], common[BOUNCE], _ONE - common[GRIP]
    for i in range(xs.shape[0]):
        row = np.int64(sources[i])
        h, drag = steps[i], table[row, DRAG]
        x, y, z = mx[i], my[i], mz[i]
        much = table[row, TURBULENCE]
        ax, ay, az = much * fx[i], much * fy[i], much * fz[i] - table[row, GRAVITY]
        dx, dy, dz = px - x, py - y, pz - z
        far = np.sqrt(dx * dx + dy * dy + dz * dz + within * within)
        pull = table[row, ATTRACTION] / far if far > _ZERO else _ZERO
        ax, ay, az = ax + pull * dx, ay + pull * dy, az + pull * dz
        # About the axis: the air turns, and what turns with it is held on its circle.
        turn = table[row, ORBIT]
        rx, ry, rz = x - cx, y - cy, z - cz
        along = rx * nx + ry * ny + rz * nz
        rx, ry, rz = rx - along * nx, ry - along * ny, rz - along * nz
        hold = turn * turn
        ax, ay, az = ax - hold * rx, ay - hold * ry, az - hold * rz
        ux = table[row, WIND_X] + turn * (ny * rz - nz * ry)
        uy = table[row, WIND_Y] + turn * (nz * rx - nx * rz)
        uz = table[row, WIND_Z] + turn * (nx * ry - ny * rx)
        faded = np.float32(np.exp(-drag * h))
        gained = (_ONE - faded) / drag if drag * h > np.float32(1e-3) else h * (_ONE - _HALF * drag * h)
        wx = ux + (vx[i] - ux) * faded + ax * gained
        wy = uy + (vy[i] - uy) * faded + ay * gained
        wz = uz + (vz[i] - uz) * faded + az * gained
        half = _HALF * h
        x, y, z = x + half * wx, y + half * wy, z + half * wz
        if z < floor:
            z = floor + bounce * (floor - z)
            if wz < _ZERO:
                wx, wy, wz = slide * wx, slide * wy, -bounce * wz
        xs[i], ys[i], zs[i] = x, y, z
        vx[i], vy[i], vz[i] = wx, wy, wz
