"""Put one layer of values over another.

Blend formulas of W3C Compositing and Blending Level 1 (section 10), for opaque layers, and
add, subtract, minimum, maximum and average. Colours do not go below 0, numbers and vectors may;
all stay within 1e30, and what is no number counts as 0. Values above 1
(emission) pass through the formulas; those that divide are held at 1, and the
non-separable ones clip to 0..1, as the standard writes them.
"""

from __future__ import annotations

import numpy as np
from numba import int32, int64, void
from numba.types import Array, boolean, float32

from . import compiled
from .components import has_hue
from .encoding import FLAT, FLAT_IN, LARGEST, decode_block, encode_block

#: The number of each mode in the kernels.
MODES = {
    name: k
    for k, name in enumerate(
        (
            "normal", "multiply", "screen", "overlay", "darken", "lighten", "colour_dodge", "colour_burn", "hard_light",
            "soft_light", "difference", "exclusion", "hue", "saturation", "colour", "luminosity", "add", "subtract",
            "average",
        )
    )
}  # fmt: skip
#: The same formula under the word that the trade uses for numbers.
MODES["minimum"], MODES["maximum"] = MODES["darken"], MODES["lighten"]
#: Modes that look at a whole colour.
NON_SEPARABLE = ("hue", "saturation", "colour", "luminosity")
_FIRST_WHOLE, _LAST_WHOLE = 12, 15

BLOCK = 512
_ZERO, _HALF, _ONE, _TWO = np.float32(0.0), np.float32(0.5), np.float32(1.0), np.float32(2.0)
_QUARTER, _THREE, _FOUR = np.float32(0.25), np.float32(3.0), np.float32(4.0)


@compiled(float32(float32, float32), forceinline=True)
def _hard_light(b, s):  # type: ignore[no-untyped-def]
    t = _TWO * s - _ONE
    return b * _TWO * s if s <= _HALF else b + t - b * t


@compiled(float32(float32, float32), forceinline=True)
def _soft_light(b, s):  # type: ignore[no-untyped-def]
    d = ((np.float32(16.0) * b - np.float32(12.0)) * b + _FOUR) * b if b <= _QUARTER else np.sqrt(max(b, _ZERO))
    return b - (_ONE - _TWO * s) * b * (_ONE - b) if s <= _HALF else b + (_TWO * s - _ONE) * (d - b)


@compiled(float32(float32, float32), forceinline=True)
def _dodge(b, s):  # type: ignore[no-untyped-def]
    if b <= _ZERO:
        return _ZERO
    return _ONE if s >= _ONE else min(_ONE, b / (_ONE - s))


@compiled(float32(float32, float32), forceinline=True)
def _burn(b, s):  # type: ignore[no-untyped-def]
    if b >= _ONE:
        return _ONE
    return _ZERO if s <= _ZERO else _ONE - min(_ONE, (_ONE - b) / s)


@compiled(void(FLAT_IN, FLAT_IN, int32, FLAT))
def _separable(b, s, mode, t):  # type: ignore[no-untyped-def]
    n = t.shape[0]
    if mode == 0:
        for j in range(n):
            t[j] = s[j]
    elif mode == 1:
        for j in range(n):
            t[j] = b[j] * s[j]
    elif mode == 2:
        for j in range(n):
            t[j] = b[j] + s[j] - b[j] * s[j]
    elif mode == 3:
        for j in range(n):
            t[j] = _hard_light(s[j], b[j])
    elif mode == 4:
        for j in range(n):
            t[j] = min(b[j], s[j])
    elif mode == 5:
        for j in range(n):
            t[j] = max(b[j], s[j])
    elif mode == 6:
        for j in range(n):
            t[j] = _dodge(b[j], s[j])
    elif mode == 7:
        for j in range(n):
            t[j] = _burn(b[j], s[j])
    elif mode == 8:
        for j in range(n):
            t[j] = _hard_light(b[j], s[j])
    elif mode == 9:
        for j in range(n):
            t[j] = _soft_light(b[j], s[j])
    elif mode == 10:
        for j in range(n):
            t[j] = abs(b[j] - s[j])
    elif mode == 11:
        for j in range(n):
            t[j] = b[j] + s[j] - _TWO * b[j] * s[j]
    elif mode == 16:
        for j in range(n):
            t[j] = b[j] + s[j]
    elif mode == 17:
        for j in range(n):
            t[j] = b[j] - s[j]
    else:
        for j in range(n):
            t[j] = (b[j] + s[j]) * _HALF


@compiled(float32(float32, float32, float32), forceinline=True)
def _lum(r, g, b):  # type: ignore[no-untyped-def]
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@compiled()
def _set_lum(r, g, b, wanted):  # type: ignore[no-untyped-def]
    d = wanted - _lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    low, high = min(r, min(g, b)), max(r, max(g, b))
    l = _lum(r, g, b)  # noqa: E741
    if low < _ZERO:
        k = l / (l - low) if l > low else _ZERO
        r, g, b = l + (r - l) * k, l + (g - l) * k, l + (b - l) * k
    if high > _ONE:
        k = (_ONE - l) / (high - l) if has_hue(high - l, high) else _ZERO
        r, g, b = l + (r - l) * k, l + (g - l) * k, l + (b - l) * k
    return r, g, b


@compiled()
def _set_sat(r, g, b, wanted):  # type: ignore[no-untyped-def]
    """The standard's SetSat: the greatest channel gets the saturation, the least 0, the middle its part; greys: 0."""
    low, high = min(r, min(g, b)), max(r, max(g, b))
    k = wanted / (high - low) if has_hue(high - low, high) else _ZERO
    return (r - low) * k, (g - low) * k, (b - low) * k


@compiled(void(FLAT_IN, FLAT_IN, int32, FLAT))
def _whole(b, s, mode, t):  # type: ignore[no-untyped-def]
    for i in range(t.shape[0] // 3):
        br, bg, bb = b[3 * i], b[3 * i + 1], b[3 * i + 2]
        sr, sg, sb = s[3 * i], s[3 * i + 1], s[3 * i + 2]
        base_sat = max(br, max(bg, bb)) - min(br, min(bg, bb))
        top_sat = max(sr, max(sg, sb)) - min(sr, min(sg, sb))
        if mode == 12:
            r, g, u = _set_sat(sr, sg, sb, base_sat)
            r, g, u = _set_lum(r, g, u, _lum(br, bg, bb))
        elif mode == 13:
            r, g, u = _set_sat(br, bg, bb, top_sat)
            r, g, u = _set_lum(r, g, u, _lum(br, bg, bb))
        elif mode == 14:
            r, g, u = _set_lum(sr, sg, sb, _lum(br, bg, bb))
        else:
            r, g, u = _set_lum(br, bg, bb, _lum(sr, sg, sb))
        t[3 * i], t[3 * i + 1], t[3 * i + 2] = r, g, u


@compiled(void(FLAT_IN, FLAT_IN, FLAT_IN, int32, FLAT))
def _blended(b, s, part, mode, t):  # type: ignore[no-untyped-def]
    """What the mode makes of flat values, mixed in by each one's part."""
    if _FIRST_WHOLE <= mode <= _LAST_WHOLE:
        _whole(b, s, mode, t)
    else:
        _separable(b, s, mode, t)
    for j in range(t.shape[0]):
        top = t[j] if t[j] == t[j] else _ZERO
        top = min(max(top, -LARGEST), LARGEST)
        mixed = b[j] + (top - b[j]) * part[j]
        t[j] = mixed if part[j] < _ONE else top


@compiled(void(FLAT_IN, FLAT_IN, Array(float32, 1, "C", readonly=True), int64, int32, boolean, FLAT))
def blend(base, paint, amounts, width, mode, display, out):  # type: ignore[no-untyped-def]
    """Blend flat rows of ``width`` numbers, mixed in by ``amounts``.

    ``amounts`` holds one number for all rows or one for each. With ``display`` the formula
    and the mixing work on display-encoded values.
    """
    n = out.shape[0] // width
    each = amounts.shape[0] > 1
    scratch = np.empty((4, BLOCK * width), np.float32)
    t, part = scratch[2], scratch[3]
    part[:] = amounts[0] if amounts.shape[0] > 0 else _ONE
    for start in range(0, n, BLOCK):
        rows = min(BLOCK, n - start)
        m, first = rows * width, start * width
        if each:
            for k in range(width):
                for i in range(rows):
                    part[i * width + k] = amounts[start + i]
        below, above, result = base[first : first + m], paint[first : first + m], out[first : first + m]
        if display:
            encode_block(below, scratch[0, :m])
            encode_block(above, scratch[1, :m])
            _blended(scratch[0, :m], scratch[1, :m], part[:m], mode, t[:m])
            decode_block(t[:m], result)
        else:
            _blended(below, above, part[:m], mode, result)
            if width > 1:
                for j in range(m):
                    result[j] = max(result[j], _ZERO)
