"""Value to colour through stops, and the nearest stop of a colour.

A small table over 0..1 gives the first segment that can hold a value, so that
finding the segment costs the same for six stops and for two hundred.
"""

from __future__ import annotations

import numpy as np
from numba import int32, int64, uint8, void
from numba.types import Array, boolean, float32, float64

from . import compiled
from .encoding import COLOURS, COLOURS_IN, FLAT, LARGEST, decode_values
from .oklab import from_oklab
from .waves import cosine_and_sine

NUMBERS_IN = Array(float32, 1, "C", readonly=True)
TABLE = Array(int32, 1, "C", readonly=True)
_ZERO = np.float32(0.0)
_ONE = np.float32(1.0)
_SIX = np.float32(6.0)
_HALF = np.float32(0.5)

#: Cells of the look-up table over 0..1.
CELLS = 1024
_CELLS = np.float32(CELLS)
_LAST_CELL = np.int32(CELLS - 1)


@compiled(float32(float32), forceinline=True)
def hexcone(k):  # type: ignore[no-untyped-def]
    """How far a channel of HSV lies from its value: max(0, min(k, 4 - k, 1)), k = (n + 6 hue) mod 6."""
    k = k - _SIX if k >= _SIX else k
    return max(min(min(k, np.float32(4.0) - k), _ONE), _ZERO)


def segment_table(positions: np.ndarray) -> np.ndarray:
    """For each of ``CELLS`` cells of 0..1: how many positions lie at or below its lower edge."""
    edges = np.arange(CELLS, dtype=np.float64) / CELLS
    return np.searchsorted(positions.astype(np.float64), edges, side="right").astype(np.int32)


@compiled(int64(float32, NUMBERS_IN, TABLE), forceinline=True)
def place(value, positions, table):  # type: ignore[no-untyped-def]
    """How many positions are at or below the value (NaN: none)."""
    inside = min(value, _ONE) if value > _ZERO else _ZERO
    cell = min(np.int32(inside * _CELLS), _LAST_CELL)
    k = np.int64(table[cell])
    n = positions.shape[0]
    while k < n and positions[k] <= value:
        k += 1
    while k > 0 and positions[k - 1] > value:
        k -= 1
    return k


#: Values located at a time, and positions up to which counting beats the table: counting is free of branches.
BLOCK = 1024
FEW = 24


@compiled(void(NUMBERS_IN, NUMBERS_IN, TABLE, Array(int32, 1, "C")))
def locate(values, positions, table, found):  # type: ignore[no-untyped-def]
    """``place`` of each value of a block."""
    m = values.shape[0]
    n = positions.shape[0]
    if n > FEW:
        for j in range(m):
            found[j] = place(values[j], positions, table)
        return
    for j in range(m):
        found[j] = np.int32(0)
    for k in range(n):
        edge = positions[k]
        for j in range(m):
            found[j] += np.int32(1) if values[j] >= edge else np.int32(0)


@compiled(void(NUMBERS_IN, NUMBERS_IN, TABLE, Array(uint8, 1, "C")))
def bands(values, edges, table, out):  # type: ignore[no-untyped-def]
    """The band of each value: band k lies from edge k-1 (included) to edge k."""
    found = np.empty(BLOCK, np.int32)
    for start in range(0, out.shape[0], BLOCK):
        stop = min(start + BLOCK, out.shape[0])
        locate(values[start:stop], edges, table, found)
        for i in range(start, stop):
            out[i] = np.uint8(found[i - start])


@compiled(void(Array(uint8, 1, "C", readonly=True), COLOURS_IN, COLOURS))
def pick(indices, colours, out):  # type: ignore[no-untyped-def]
    """Row ``indices[i]`` of ``colours``."""
    for i in range(out.shape[0]):
        k = indices[i]
        out[i, 0] = colours[k, 0]
        out[i, 1] = colours[k, 1]
        out[i, 2] = colours[k, 2]


@compiled(void(NUMBERS_IN, NUMBERS_IN, TABLE, COLOURS_IN, COLOURS_IN, COLOURS))
def linear_ramp(values, positions, table, starts, slopes, out):  # type: ignore[no-untyped-def]
    """Piecewise linear in the space of the rows.

    ``starts`` (s + 1, 4) and ``slopes`` (s + 1, 3) have one row more than there are
    stops: row k holds the segment that ends at stop k, row 0 and the last row the flat
    ends. A start is a colour and the place where its segment begins.
    """
    found = np.empty(BLOCK, np.int32)
    for start in range(0, out.shape[0], BLOCK):
        stop = min(start + BLOCK, out.shape[0])
        locate(values[start:stop], positions, table, found)
        for i in range(start, stop):
            k = np.uint64(found[i - start])  # unsigned: no test for an index counted from the end
            t = values[i] - starts[k, 3]
            out[i, 0] = starts[k, 0] + t * slopes[k, 0]
            out[i, 1] = starts[k, 1] + t * slopes[k, 1]
            out[i, 2] = starts[k, 2] + t * slopes[k, 2]


@compiled(void(NUMBERS_IN, NUMBERS_IN, TABLE, COLOURS_IN, COLOURS))
def cubic_ramp(values, positions, table, rows, out):  # type: ignore[no-untyped-def]
    """Piecewise cubic in the space of the rows.

    ``rows`` (s + 1, 14): for each of three coordinates four powers of the part t of the
    segment, then where it begins and 1 / its width. Rows are counted as in ``linear_ramp``.
    """
    found = np.empty(BLOCK, np.int32)
    for start in range(0, out.shape[0], BLOCK):
        stop = min(start + BLOCK, out.shape[0])
        locate(values[start:stop], positions, table, found)
        for i in range(start, stop):
            k = np.uint64(found[i - start])
            t = (values[i] - rows[k, 12]) * rows[k, 13]
            out[i, 0] = ((rows[k, 3] * t + rows[k, 2]) * t + rows[k, 1]) * t + rows[k, 0]
            out[i, 1] = ((rows[k, 7] * t + rows[k, 6]) * t + rows[k, 5]) * t + rows[k, 4]
            out[i, 2] = ((rows[k, 11] * t + rows[k, 10]) * t + rows[k, 9]) * t + rows[k, 8]


@compiled(float32(float32, float32, boolean), forceinline=True)
def _way(first, second, longer):  # type: ignore[no-untyped-def]
    """The way from one hue to another in turns, as CSS Color Module Level 4, 12.4 has it."""
    way = (second - np.floor(second)) - (first - np.floor(first))
    if longer:
        if way > _ZERO and way < _HALF:
            return way - _ONE
        return way + _ONE if way > -_HALF and way <= _ZERO else way
    return way - _ONE if way > _HALF else (way + _ONE if way < -_HALF else way)


@compiled(void(NUMBERS_IN, NUMBERS_IN, boolean, Array(float32, 1, "C")))
def hue_ways(first, second, longer, out):  # type: ignore[no-untyped-def]
    """The way from each hue to another, in turns."""
    for i in range(out.shape[0]):
        out[i] = _way(first[i], second[i], longer)


PLACES_IN = Array(float64, 1, "C", readonly=True)
WEIGHTS = Array(float64, 2, "C")
ROWS_IN = Array(float32, 2, "C", readonly=True)
WHICH = Array(int32, 1, "C", readonly=True)


@compiled(void(PLACES_IN, int64, float64, WEIGHTS))
def cardinal_weights(x, k, tension, w):  # type: ignore[no-untyped-def]
    """What stops k - 1 to k + 2 weigh between stops k and k + 1, (4, 4), columns are powers of t.

    Cubic Hermite with tangents (1 - tension) times the slope between the neighbours of a stop.
    """
    last = np.int64(x.shape[0] - 1)
    width = x[k + 1] - x[k]
    for j in range(4):
        w[j, 0] = w[j, 1] = w[j, 2] = w[j, 3] = 0.0
    w[1, 0], w[1, 2], w[1, 3] = 1.0, -3.0, 2.0
    w[2, 2], w[2, 3] = 3.0, -2.0
    for side in range(2):
        stop = k + side
        before, after = max(stop - 1, np.int64(0)), min(stop + 1, last)
        gap = x[after] - x[before]
        rate = (1.0 - tension) * width / gap if gap > 0.0 else 0.0
        first, second, third = (1.0, -2.0, 1.0) if side == 0 else (0.0, -1.0, 1.0)
        for row, sign in ((after - k + 1, rate), (before - k + 1, -rate)):
            w[row, 1] += sign * first
            w[row, 2] += sign * second
            w[row, 3] += sign * third


@compiled(void(ROWS_IN, WHICH, NUMBERS_IN, int64, Array(float64, 1, "C")), forceinline=True)
def _own_places(own, which, places, i, x):  # type: ignore[no-untyped-def]
    """Where the stops stand for element i, into ``x``; none stands before the one before it."""
    high = -np.inf
    for k in range(x.shape[0]):
        f = which[k]
        high = max(high, np.float64(places[k] if f < 0 else own[f, i]))
        x[k] = high


@compiled(void(NUMBERS_IN, NUMBERS_IN, WHICH, ROWS_IN, Array(uint8, 1, "C")))
def bands_each(values, places, which_place, own_places, out):  # type: ignore[no-untyped-def]
    """The band of each value where places may differ from element to element; see ``ramp_each``."""
    x = np.empty(places.shape[0], np.float64)
    for i in range(out.shape[0]):
        _own_places(own_places, which_place, places, i, x)
        band = 0
        for k in range(1, x.shape[0]):
            band += 1 if values[i] >= x[k] else 0
        out[i] = np.uint8(band)


@compiled(float32(COLOURS_IN, WHICH, Array(float32, 3, "C", readonly=True), int64, int64), forceinline=True)
def _hue_of(colours, which, own, s, i):  # type: ignore[no-untyped-def]
    """The hue of stop s for element i, in turns; NaN for a grey."""
    f = which[s]
    return colours[s, 2] if f < 0 else own[f, i, 2]


@compiled(void(COLOURS_IN, WHICH, Array(float32, 3, "C", readonly=True), int64, Array(float32, 1, "C")))
def _filled_hues(colours, which, own, i, hues):  # type: ignore[no-untyped-def]
    """The hues of all stops for element i: a grey takes that of the stop before it, the first ones the next."""
    n = hues.shape[0]
    known = np.float32(0.0)
    for s in range(n - 1, -1, -1):
        hue = _hue_of(colours, which, own, s, i)
        known = known if np.isnan(hue) else hue
    for s in range(n):
        hue = _hue_of(colours, which, own, s, i)
        known = known if np.isnan(hue) else hue
        hues[s] = known


@compiled(void(NUMBERS_IN, NUMBERS_IN, WHICH, ROWS_IN, NUMBERS_IN, boolean, Array(float64, 3, "C", readonly=True),
           Array(boolean, 1, "C", readonly=True), COLOURS_IN, WHICH, Array(float32, 3, "C", readonly=True),
           boolean, boolean, boolean, COLOURS))  # fmt: skip
def ramp_each(values, places, which_place, own_places, tensions, cardinal, weights, holds, colours, which_colour,
              own_colours, polar, unwinds, longer, out):  # type: ignore[no-untyped-def]  # fmt: skip
    """A ramp whose stops may differ from element to element, by the weights of four neighbouring stops.

    ``places`` (s,) and ``colours`` (s, 3), coordinates, hold for all elements but where ``which_place[k]`` or
    ``which_colour[k]`` is not -1: that row of ``own_places`` (p, n) or ``own_colours`` (f, n, 3) takes their place.
    ``weights`` (s + 1, 4, 4): for stops k - 2 to k + 1 four powers of t; between stops that do not hold they are
    those of a ``cardinal`` spline with each element's tension, if that is wanted. With ``polar`` the last
    coordinate is a hue in turns, NaN for a grey, which takes its neighbour's: that of the other end of the segment,
    or where the hues ``unwind`` from stop to stop that of the stop before it.
    """
    n = np.int64(places.shape[0])
    x = np.empty(n, np.float64)
    near = np.empty((4, 3), np.float32)
    w = np.empty((4, 4), np.float64)
    hues = np.empty(n, np.float32)
    for i in range(out.shape[0]):
        _own_places(own_places, which_place, places, i, x)
        k = np.int64(0)
        while k < n and values[i] >= x[k]:
            k += 1
        inside = k > 0 and k < n
        t = (values[i] - x[k - 1]) / (x[k] - x[k - 1]) if inside else 0.0
        if inside and cardinal and not holds[k - 1]:
            cardinal_weights(x, k - 1, np.float64(tensions[i]), w)
        else:
            w[:] = weights[k]
        if polar and unwinds:
            _filled_hues(colours, which_colour, own_colours, i, hues)
        for j in range(4):
            s = min(max(k - 2 + j, np.int64(0)), n - 1)
            f = which_colour[s]
            for c in range(3):
                near[j, c] = colours[s, c] if f < 0 else own_colours[f, i, c]
            if polar and unwinds:
                near[j, 2] = hues[s]
        if polar:
            if not unwinds:  # only the two ends of the segment weigh anything
                first, last = near[1, 2], near[2, 2]
                near[1, 2] = (_ZERO if np.isnan(last) else last) if np.isnan(first) else first
                near[2, 2] = near[1, 2] if np.isnan(last) else last
                near[0, 2], near[3, 2] = near[1, 2], near[2, 2]
            middle, last, before, after = near[1, 2], near[2, 2], near[0, 2], near[3, 2]
            near[2, 2] = middle + (_way(middle, last, longer) if inside else _ZERO)
            near[0, 2] = middle - (_way(before, middle, longer) if k > 1 else _ZERO)
            near[3, 2] = near[2, 2] + (_way(last, after, longer) if k < n - 1 else _ZERO)
        for c in range(3):
            total = 0.0
            for j in range(4):
                total += (((w[j, 3] * t + w[j, 2]) * t + w[j, 1]) * t + w[j, 0]) * near[j, c]
            out[i, c] = np.float32(total)


@compiled(float32(float32), forceinline=True)
def _held(light):  # type: ignore[no-untyped-def]
    """Light is never below 0."""
    return min(max(light, _ZERO), LARGEST)


@compiled(void(FLAT))
def hold(colours):  # type: ignore[no-untyped-def]
    """Linear RGB that a curve took below 0, cut there, in place, flat (3n)."""
    for i in range(colours.shape[0]):
        colours[i] = _held(colours[i])


@compiled(void(FLAT))
def oklab_to_linear(colours):  # type: ignore[no-untyped-def]
    """OKLab to linear RGB, in place, flat (3n); what lies outside the gamut is cut at 0."""
    for i in range(colours.shape[0] // 3):
        red, green, blue = from_oklab(colours[3 * i], colours[3 * i + 1], colours[3 * i + 2])
        colours[3 * i], colours[3 * i + 1], colours[3 * i + 2] = _held(red), _held(green), _held(blue)


@compiled(void(FLAT))
def oklch_to_linear(colours):  # type: ignore[no-untyped-def]
    """Lightness, chroma and hue in turns to linear RGB, in place, flat (3n)."""
    for i in range(colours.shape[0] // 3):
        chroma, hue = colours[3 * i + 1], colours[3 * i + 2]
        cosine, sine = cosine_and_sine(hue)
        colours[3 * i + 1], colours[3 * i + 2] = chroma * cosine, chroma * sine
    oklab_to_linear(colours)


@compiled(void(FLAT))
def hsv_to_linear(colours):  # type: ignore[no-untyped-def]
    """Saturation, value and hue in turns to linear RGB, in place, flat (3n); A. R. Smith 1978."""
    for i in range(colours.shape[0] // 3):
        value, hue = colours[3 * i + 1], colours[3 * i + 2]
        vs = value * min(max(colours[3 * i], _ZERO), _ONE)
        h = (hue - np.floor(hue)) * np.float32(6.0)
        colours[3 * i] = value - vs * hexcone(h + np.float32(5.0))
        colours[3 * i + 1] = value - vs * hexcone(h + np.float32(3.0))
        colours[3 * i + 2] = value - vs * hexcone(h + np.float32(1.0))
    decode_values(colours, colours)


@compiled(void(COLOURS_IN, COLOURS_IN, Array(uint8, 1, "C")))
def nearest(labs, stops, out):  # type: ignore[no-untyped-def]
    """Index of the stop with the smallest OKLab distance; the first of equals."""
    for i in range(out.shape[0]):
        best = np.float32(np.inf)
        found = 0
        for k in range(stops.shape[0]):
            d0 = labs[i, 0] - stops[k, 0]
            d1 = labs[i, 1] - stops[k, 1]
            d2 = labs[i, 2] - stops[k, 2]
            d = d0 * d0 + d1 * d1 + d2 * d2
            if d < best:
                best = d
                found = k
        out[i] = np.uint8(found)
