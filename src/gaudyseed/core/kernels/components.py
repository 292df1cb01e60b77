"""One number out of a colour: HSV, luma, OKLCH."""

from __future__ import annotations

import numpy as np
from numba import int32, void
from numba.types import boolean, float32

from . import compiled
from .encoding import FLAT, FLAT_IN, encode
from .oklab import to_oklab

_ZERO = np.float32(0.0)
_ONE = np.float32(1.0)
_SIXTH = np.float32(1.0 / 6.0)
_TURN = np.float32(1.0 / (2.0 * np.pi))
#: A colour whose channels are not further apart than this part of the greatest is a grey: what is left of
#: rounding in OKLab is no hue. Neighbouring levels of 8 bits are 40 times as far apart.
_GREY = np.float32(1e-4)
#: Or than this, so that what divides by their distance stays finite.
_LEAST = np.float32(1e-20)

HUE, SATURATION, VALUE, LUMA = 0, 1, 2, 3
#: Rec. 709 weights (ITU-R BT.709).
WEIGHTS = (np.float32(0.2126), np.float32(0.7152), np.float32(0.0722))


@compiled(boolean(float32, float32), forceinline=True)
def has_hue(span, top):  # type: ignore[no-untyped-def]
    """Whether a colour is no grey, by its greatest channel and how far the least lies below it."""
    return span > max(_GREY * top, _LEAST)


@compiled(void(FLAT_IN, int32, FLAT))
def display_part(linear, part, out):  # type: ignore[no-untyped-def]
    """Hue (turns, 0 for greys), saturation, value or luma of (3n) linear values, display-encoded first."""
    for j in range(out.shape[0]):
        r, g, b = encode(linear[3 * j]), encode(linear[3 * j + 1]), encode(linear[3 * j + 2])
        top = max(r, max(g, b))
        span = top - min(r, min(g, b))
        if part == 3:
            out[j] = WEIGHTS[0] * r + WEIGHTS[1] * g + WEIGHTS[2] * b
        elif part == 2:
            out[j] = top
        elif part == 1:
            out[j] = span / top if top > _ZERO else _ZERO
        else:
            coloured = has_hue(span, top)
            inverse = _ONE / span if coloured else _ZERO
            h = (r - g) * inverse + np.float32(4.0)
            h = (b - r) * inverse + np.float32(2.0) if g == top else h
            h = (g - b) * inverse if r == top else h
            h = h * _SIXTH if coloured else _ZERO
            out[j] = h - np.floor(h)


@compiled(void(FLAT_IN, int32, FLAT))
def oklch_part(linear, part, out):  # type: ignore[no-untyped-def]
    """OKLCH lightness (0), chroma (1) or hue in turns (2) of (3n) linear values."""
    for j in range(out.shape[0]):
        r, g, b = linear[3 * j], linear[3 * j + 1], linear[3 * j + 2]
        lightness, a, c = to_oklab(r, g, b)
        if part == 0:
            out[j] = lightness
        else:
            chroma = np.sqrt(a * a + c * c)
            if part == 1:
                out[j] = chroma
            else:
                h = np.arctan2(c, a) * _TURN if chroma > np.float32(2e-4) else _ZERO
                out[j] = h - np.floor(h)
