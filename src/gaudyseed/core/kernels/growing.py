"""Strands that grow out of a surface: each leans, droops by its weight, curls, joins a clump and frays."""

from __future__ import annotations

import numpy as np
from numba import float32, float64, int64, uint32, void
from numba.types import Array, UniTuple

from . import compiled
from .hashing import pcg3d, unit

_F32, _F32_2D = Array(float32, 1, "C", readonly=True), Array(float32, 2, "C", readonly=True)
_WORDS = Array(uint32, 1, "C", readonly=True)
_I64 = Array(int64, 1, "C", readonly=True)
_FORM = Array(float64, 1, "C", readonly=True)
_OUT_3D, _IN_3D = Array(float32, 3, "C"), Array(float32, 3, "C", readonly=True)

#: Where the numbers of a form stand in its array.
(LEAN, LEAN_VARIATION, TOWARD_X, TOWARD_Y, TOWARD_Z, DROOP, WAVE, WAVES, CURL, CURLS, FRIZZ, TIGHTNESS, CLUMP_SHAPE,
 FORM) = range(14)  # fmt: skip
_LEANING, _PHASES, _FRAYING, _FRAYING_TOO = (np.uint32(0x1EA4), np.uint32(0x9A5E), np.uint32(0xF412), np.uint32(0xF413))
_TURN = 2 * np.pi

_THREE = UniTuple(float64, 3)


@compiled(_THREE(float64, float64, float64), forceinline=True)
def _unit(x, y, z):  # type: ignore[no-untyped-def]
    size = np.sqrt(x * x + y * y + z * z)
    if size > 1e-12:
        return x / size, y / size, z / size
    return 0.0, 0.0, 1.0


@compiled(_THREE(float64, float64, float64), forceinline=True)
def _beside(x, y, z):  # type: ignore[no-untyped-def]
    """A unit vector square to one."""
    if abs(z) < 0.9:
        return _unit(-y, x, 0.0)
    return _unit(0.0, -z, y)


@compiled(void(_F32_2D, _F32_2D, _F32, _WORDS, _FORM, uint32, float64, _IN_3D, _F32_2D, _F32, _I64, int64, int64,
               _OUT_3D))  # fmt: skip
def grow(roots, normals, lengths, numbers, form, seed, usual, guides, guide_roots, guide_lengths, guide_of, first, last,
         out):  # type: ignore[no-untyped-def]  # fmt: skip
    """The places of the points of the strands first to last, (c, m, 3).

    ``form`` are the numbers named above; ``usual`` is the length for which the droop is meant: longer strands are
    heavier. ``guides`` (g, m, 3) are the strands in the middle of clumps, ``guide_of`` (c,) which of them a strand
    joins, -1 for none. What a strand draws at random depends on its number and the seed alone.
    """
    many = out.shape[1]
    for c in range(first, last):
        nx, ny, nz = _unit(np.float64(normals[c, 0]), np.float64(normals[c, 1]), np.float64(normals[c, 2]))
        length = np.float64(lengths[c])
        a, b, _ = pcg3d(numbers[c], _LEANING, seed)
        lean = form[LEAN] + form[LEAN_VARIATION] * (2.0 * unit(a) - 1.0)
        # The way it leans: towards the place that is wanted, as far as that lies in the surface; else any.
        ux, uy, uz = _beside(nx, ny, nz)
        vx, vy, vz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
        round_ = _TURN * unit(b)
        wx, wy, wz = (np.cos(round_) * ux + np.sin(round_) * vx, np.cos(round_) * uy + np.sin(round_) * vy,
                      np.cos(round_) * uz + np.sin(round_) * vz)  # fmt: skip
        tx, ty, tz = form[TOWARD_X], form[TOWARD_Y], form[TOWARD_Z]
        dot = tx * nx + ty * ny + tz * nz
        tx, ty, tz = tx - dot * nx, ty - dot * ny, tz - dot * nz
        if tx * tx + ty * ty + tz * tz > 1e-8:
            wx, wy, wz = _unit(tx, ty, tz)
        s, k = np.sin(lean), np.cos(lean)
        dx, dy, dz = k * nx + s * wx, k * ny + s * wy, k * nz + s * wz
        p, q, r = pcg3d(numbers[c], _PHASES, seed)
        phase, hand = _TURN * unit(p), (1.0 if unit(q) < 0.5 else -1.0)
        swell = 0.7 + 0.6 * unit(r)
        e, f, g = pcg3d(numbers[c], _FRAYING, seed)
        h, i, j = pcg3d(numbers[c], _FRAYING_TOO, seed)
        slow, quick = 1.0 + 1.5 * unit(h), 3.0 + 3.0 * unit(i)
        heavy = form[DROOP] * length / usual
        x, y, z = np.float64(roots[c, 0]), np.float64(roots[c, 1]), np.float64(roots[c, 2])
        rx, ry, rz = x, y, z
        step = length / max(many - 1, 1)
        guide = guide_of[c]
        for n in range(many):
            t = n / max(many - 1, 1)
            if n > 0:
                middle = (n - 0.5) / (many - 1)
                ox, oy, oz = _unit(dx, dy, dz - heavy * middle)
                x, y, z = x + ox * step, y + oy * step, z + oz * step
            else:
                ox, oy, oz = _unit(dx, dy, dz)
            ax, ay, az = _beside(ox, oy, oz)
            bx, by, bz = oy * az - oz * ay, oz * ax - ox * az, ox * ay - oy * ax
            rise = t * t * (3.0 - 2.0 * t) if t < 1.0 else 1.0
            bow = form[WAVE] * swell * rise * np.sin(_TURN * form[WAVES] * t + phase)
            turn = _TURN * form[CURLS] * t * hand + phase
            # From nothing at the root, so that it stays where it is.
            one = bow + form[CURL] * swell * rise * np.cos(turn)
            two = form[CURL] * swell * rise * np.sin(turn)
            px, py, pz = x + one * ax + two * bx, y + one * ay + two * by, z + one * az + two * bz
            if guide >= 0:
                pull = form[TIGHTNESS] * t ** form[CLUMP_SHAPE]
                part = length / max(np.float64(guide_lengths[guide]), 1e-9)
                gx = rx + (np.float64(guides[guide, n, 0]) - np.float64(guide_roots[guide, 0])) * part
                gy = ry + (np.float64(guides[guide, n, 1]) - np.float64(guide_roots[guide, 1])) * part
                gz = rz + (np.float64(guides[guide, n, 2]) - np.float64(guide_roots[guide, 2])) * part
                # Beside the guide at the root, on it at the tip.
                gx += (np.float64(guide_roots[guide, 0]) - rx) * t
                gy += (np.float64(guide_roots[guide, 1]) - ry) * t
                gz += (np.float64(guide_roots[guide, 2]) - rz) * t
                px, py, pz = px + pull * (gx - px), py + pull * (gy - py), pz + pull * (gz - pz)
            fray = form[FRIZZ] * t * t
            if fray > 0.0:
                one = np.sin(_TURN * (slow * t + unit(e))) + 0.6 * np.sin(_TURN * (quick * t + unit(f)))
                two = np.sin(_TURN * (slow * t + unit(g))) + 0.6 * np.sin(_TURN * (quick * t + unit(j)))
                px, py, pz = (px + fray * (one * ax + two * bx), py + fray * (one * ay + two * by),
                              pz + fray * (one * az + two * bz))  # fmt: skip
            out[c, n, 0], out[c, n, 1], out[c, n, 2] = np.float32(px), np.float32(py), np.float32(pz)
