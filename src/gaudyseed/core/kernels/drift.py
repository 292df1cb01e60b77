"""A small random change of hue, saturation, lightness and gamma around each colour.

HSV after A. R. Smith 1978, on display-encoded values, as ``colorsys`` has it; or OKLCH (Bjorn Ottosson 2020).
"""

from __future__ import annotations

import numpy as np
from numba import uint32, void
from numba.types import boolean

from . import compiled
from .components import has_hue
from .encoding import FLAT, FLAT_IN, TOP, decode_block, encode_block
from .hashing import WORDS, pcg3d, unit
from .oklab import from_oklab, to_oklab
from .ramps import NUMBERS_IN, hexcone
from .shaping import NUMBERS
from .waves import cosine_and_sine

#: Elements worked on at a time. Short plain loops over flat scratch arrays are what the compiler turns
#: into vector instructions; one long loop over (n, 3) rows is four times as slow.
BLOCK = 512

_ZERO = np.float32(0.0)
_FAR = np.float32(1e30)
_ONE = np.float32(1.0)
_SIXTH = np.float32(1.0 / 6.0)
_SIX = np.float32(6.0)
#: OKLCH chroma that counts as a saturation of 1: 100 % in CSS Color Module Level 4.
FULL_CHROMA = np.float32(0.4)


@compiled(forceinline=True)
def _draw(keys, tops, seed, stream, h0, h1, s0, s1, v0, v1, g0, g1, chance, hues, saturations, values, bends, moves):  # type: ignore[no-untyped-def]
    for j in range(keys.shape[0]):
        x, y, z = pcg3d(keys[j], np.uint32(tops[j] + stream), seed)
        w, q, _r = pcg3d(x, y, z)
        move = _ONE if unit(w) < chance[j] else _ZERO
        moves[j] = move
        hues[j] = (h0[j] + h1[j] * unit(x)) * move
        saturations[j] = (s0[j] + s1[j] * unit(y)) * move
        values[j] = (v0[j] + v1[j] * unit(z)) * move
        bends[j] = (g0[j] + g1[j] * unit(q)) * move


@compiled(forceinline=True)
def _bend(encoded, bends, m):  # type: ignore[no-untyped-def]
    for j in range(m):
        power = np.float32(2.0 ** (-bends[j]))
        for k in range(3 * j, 3 * j + 3):
            encoded[k] = min(np.float32(max(encoded[k], _ZERO) ** power), TOP)


@compiled(forceinline=True)
def _keep_still(linear, moves, result, m):  # type: ignore[no-untyped-def]
    for j in range(m):
        if moves[j] == _ZERO:
            result[3 * j] = linear[3 * j]
            result[3 * j + 1] = linear[3 * j + 1]
            result[3 * j + 2] = linear[3 * j + 2]


@compiled(forceinline=True)
def _move_hsv(encoded, hues, saturations, values, m):  # type: ignore[no-untyped-def]
    """Display-encoded colours moved in HSV, in place."""
    for j in range(m):
        r, g, b = encoded[3 * j], encoded[3 * j + 1], encoded[3 * j + 2]
        top = max(r, max(g, b))
        span = top - min(r, min(g, b))
        coloured = has_hue(span, top)
        inverse = _ONE / (span if coloured else _ONE)
        s = span / top if coloured else _ZERO
        h = (r - g) * inverse + np.float32(4.0)
        h = (b - r) * inverse + np.float32(2.0) if g == top else h
        h = (g - b) * inverse if r == top else h
        h = h * _SIXTH + hues[j]
        h = (h - np.floor(h)) * _SIX
        s = min(max(s + saturations[j], _ZERO), _ONE) if coloured else s
        v = min(max(top + values[j], _ZERO), max(_ONE, top))
        # f(n) = v - v s max(0, min(k, 4 - k, 1)), k = (n + 6 h) mod 6: the hexcone without branches.
        vs = v * s
        encoded[3 * j] = v - vs * hexcone(h + np.float32(5.0))
        encoded[3 * j + 1] = v - vs * hexcone(h + np.float32(3.0))
        encoded[3 * j + 2] = v - vs * hexcone(h + np.float32(1.0))


@compiled(forceinline=True)
def _move_oklch(linear, hues, saturations, values, result, m):  # type: ignore[no-untyped-def]
    """Linear colours moved in OKLCH; those outside the gamut are cut at its faces."""
    for j in range(m):
        r, g, b = linear[3 * j], linear[3 * j + 1], linear[3 * j + 2]
        lightness, a, c = to_oklab(r, g, b)
        chroma = np.sqrt(a * a + c * c)
        coloured = chroma > np.float32(2e-4)
        scale = max(chroma + saturations[j] * FULL_CHROMA, _ZERO) / chroma if coloured else _ONE
        cosine, sine = cosine_and_sine(hues[j])
        cosine, sine = cosine * scale, sine * scale
        lightness = min(max(lightness + values[j], _ZERO), max(_ONE, lightness))
        a, c = a * cosine - c * sine, a * sine + c * cosine
        top = max(_ONE, max(r, max(g, b)))
        r, g, b = from_oklab(lightness, a, c)
        result[3 * j] = min(max(r, _ZERO), top)
        result[3 * j + 1] = min(max(g, _ZERO), top)
        result[3 * j + 2] = min(max(b, _ZERO), top)


@compiled(void(FLAT_IN, WORDS, WORDS, uint32, uint32, *(NUMBERS_IN for _ in range(9)), boolean, boolean, FLAT))
def drift(colours, low, high, seed, stream, h0, h1, s0, s1, v0, v1, g0, g1, chance, oklch, bend, out):  # type: ignore[no-untyped-def]
    """Move each colour by random parts of ranges, in HSV or OKLCH.

    A part is ``base + span * u`` with u in [0, 1), each element with its own base and
    span. Hue is in turns; gamma is in powers of two, on display-encoded values, and
    moves where ``bend`` says so. In OKLCH a saturation of 1 is a chroma of ``FULL_CHROMA``,
    and what comes above 1 (emission) may stay there. ``chance`` is the probability that an
    element moves at all; one that does not keeps its exact value. ``colours`` and ``out``
    are flat (3n). Greys have no hue and keep their zero saturation.
    """
    n = low.shape[0]
    parts = np.empty((5, BLOCK), np.float32)
    hues, saturations, values, bends, moves = parts[0], parts[1], parts[2], parts[3], parts[4]
    encoded = np.empty(3 * BLOCK, np.float32)
    for start in range(0, n, BLOCK):
        m = min(BLOCK, n - start)
        e = start + m
        linear, result = colours[3 * start : 3 * e], out[3 * start : 3 * e]
        _draw(low[start:e], high[start:e], seed, stream, h0[start:e], h1[start:e], s0[start:e], s1[start:e],
              v0[start:e], v1[start:e], g0[start:e], g1[start:e], chance[start:e],
              hues, saturations, values, bends, moves)  # fmt: skip
        if oklch:
            _move_oklch(linear, hues, saturations, values, result, m)
            if bend:
                encode_block(result, encoded[: 3 * m])
        else:
            encode_block(linear, encoded[: 3 * m])
            _move_hsv(encoded, hues, saturations, values, m)
        if bend:
            _bend(encoded, bends, m)
        if bend or not oklch:
            decode_block(encoded[: 3 * m], result)
        _keep_still(linear, moves, result, m)


@compiled(void(NUMBERS_IN, WORDS, WORDS, uint32, uint32, NUMBERS_IN, NUMBERS_IN, NUMBERS_IN, NUMBERS))
def shift(values, low, high, seed, stream, base, span, chance, out):  # type: ignore[no-untyped-def]
    """Move each number by a random part of its interval, drawn as that of a colour's hue; held within 1e30."""
    for j in range(out.shape[0]):
        x, y, z = pcg3d(low[j], np.uint32(high[j] + stream), seed)
        w, _q, _r = pcg3d(x, y, z)
        move = _ONE if unit(w) < chance[j] else _ZERO
        out[j] = min(max(values[j] + (base[j] + span[j] * unit(x)) * move, -_FAR), _FAR)
