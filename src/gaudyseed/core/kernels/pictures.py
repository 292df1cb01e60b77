"""Looking up pictures: bilinear between texels, and between two levels of a pyramid."""

from __future__ import annotations

import numpy as np
from numba import float32, float64, int64, void
from numba.types import Array, UniTuple

from . import compiled

FLOATS_IN = Array(float32, 1, "C", readonly=True)
#: (rows, columns, 4): linear light and alpha; row 0 is the top.
PICTURE = Array(float32, 3, "C", readonly=True)
TEXELS = Array(float32, 3, "C")
OUT = Array(float32, 2, "C")
_WHOLE, _DEPTHS = Array(int64, 1, "C", readonly=True), Array(float64, 1, "C", readonly=True)

_ONE, _ZERO, _HALF, _TWO = np.float32(1.0), np.float32(0.0), np.float32(0.5), np.float32(2.0)
REPEAT, MIRROR, HOLD = 0, 1, 2


@compiled(UniTuple(float32, 3)(float32, float32, int64), forceinline=True)
def _texels(t, size, edge):  # type: ignore[no-untyped-def]
    """The two texels on either side of a place along an axis of 0..1, and how far it lies from the first."""
    if edge == 0:
        t = t - np.floor(t)
    elif edge == 1:
        t = abs(t - _TWO * np.floor(t * _HALF + _HALF))
    else:
        t = min(max(t, _ZERO), _ONE)
    x = t * size - _HALF
    first = np.floor(x)
    part = x - first
    second = first + _ONE
    if edge == 0:
        first = first + size if first < _ZERO else first
        second = second - size if second >= size else second
    else:
        first = max(first, _ZERO)
        second = min(second, size - _ONE)
    # t of exactly 1, and rounding, may lead one too far.
    return min(max(first, _ZERO), size - _ONE), min(max(second, _ZERO), size - _ONE), part


@compiled(void(FLOATS_IN, FLOATS_IN, PICTURE, int64, OUT))
def look_up(us, vs, picture, edge, out):  # type: ignore[no-untyped-def]
    """(n, 4): the picture at (u, v) from its lower left corner, 0 to 1 across and up."""
    height, width = np.float32(picture.shape[0]), np.float32(picture.shape[1])
    for i in range(us.shape[0]):
        x0, x1, a = _texels(us[i], width, edge)
        y0, y1, b = _texels(_ONE - vs[i], height, edge)
        left, right, top, bottom = np.uint64(x0), np.uint64(x1), np.uint64(y0), np.uint64(y1)
        for c in range(np.uint64(4)):
            p, q = picture[top, left, c], picture[top, right, c]
            r, s = picture[bottom, left, c], picture[bottom, right, c]
            p, r = p + a * (q - p), r + a * (s - r)
            out[i, c] = p + b * (r - p)


@compiled(void(PICTURE, TEXELS))
def halve(picture, out):  # type: ignore[no-untyped-def]
    """The next level: each texel the mean of the area that it covers, of each channel alone; odd sizes cover parts."""
    rows, columns = picture.shape[0], picture.shape[1]
    high, wide = out.shape[0], out.shape[1]
    down, across = np.float64(rows) / high, np.float64(columns) / wide
    for y in range(high):
        y0, y1 = y * down, (y + 1) * down
        for x in range(wide):
            x0, x1 = x * across, (x + 1) * across
            r, g, b, alpha, area = 0.0, 0.0, 0.0, 0.0, 0.0
            for j in range(int(y0), min(rows, int(np.ceil(y1 - 1e-9)))):
                h = min(y1, j + 1.0) - max(y0, float(j))
                for i in range(int(x0), min(columns, int(np.ceil(x1 - 1e-9)))):
                    w = h * (min(x1, i + 1.0) - max(x0, float(i)))
                    r += w * picture[j, i, 0]
                    g += w * picture[j, i, 1]
                    b += w * picture[j, i, 2]
                    alpha += w * picture[j, i, 3]
                    area += w
            out[y, x, 0] = np.float32(r / area)
            out[y, x, 1] = np.float32(g / area)
            out[y, x, 2] = np.float32(b / area)
            out[y, x, 3] = np.float32(alpha / area)


@compiled(void(_WHOLE, _WHOLE, _DEPTHS, int64, int64, int64, Array(float64, 1, "C"), Array(int64, 1, "C")))
def splat(columns, rows, depths, radius, width, height, held, nearest):  # type: ignore[no-untyped-def]
    """Dots of a radius in pixels into (width * height,) pixels: which of them is seen in each, and how deep it lies.

    The one with the greatest depth is in front; of those that lie alike the later one.
    """
    for k in range(len(columns)):
        for dy in range(-radius, radius + 1):
            row = rows[k] + dy
            if row < 0 or row >= height:
                continue
            for dx in range(-radius, radius + 1):
                column = columns[k] + dx
                if column < 0 or column >= width or dx * dx + dy * dy > radius * radius + 1:
                    continue
                at = row * width + column
                if depths[k] >= held[at]:
                    held[at] = depths[k]
                    nearest[at] = k
