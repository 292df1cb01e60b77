"""Value to colour through stops, and the nearest stop of a colour.

A small table over 0..1 gives the first segment that can hold a value, so that
finding the segment costs the same for six stops and for two hundred.
"""

from __future__ import annotations

import numpy as np
from numba import int32, int64, njit, uint8, void
from numba.types import Array, float32

from . import OPTIONS
from .encoding import COLOURS, COLOURS_IN, FLAT

NUMBERS_IN = Array(float32, 1, "C", readonly=True)
TABLE = Array(int32, 1, "C", readonly=True)
_ZERO = np.float32(0.0)
_ONE = np.float32(1.0)

#: Cells of the look-up table over 0..1.
CELLS = 1024
_CELLS = np.float32(CELLS)
_LAST_CELL = np.int32(CELLS - 1)

# OKLab to linear Rec. 709 RGB, Bjorn Ottosson 2020 ("A perceptual color space for image processing").
_LMS = tuple(np.float32(c) for c in (0.3963377774, 0.2158037573, -0.1055613458, -0.0638541728,
                                     -0.0894841775, -1.2914855480))  # fmt: skip
_RGB = tuple(np.float32(c) for c in (4.0767416621, -3.3077115913, 0.2309699292,
                                     -1.2684380046, 2.6097574011, -0.3413193965,
                                     -0.0041960863, -0.7034186147, 1.7076147010))  # fmt: skip


def segment_table(positions: np.ndarray) -> np.ndarray:
    """For each of ``CELLS`` cells of 0..1: how many positions lie at or below its lower edge."""
    edges = np.arange(CELLS, dtype=np.float64) / CELLS
    return np.searchsorted(positions.astype(np.float64), edges, side="right").astype(np.int32)


@njit(int64(float32, NUMBERS_IN, TABLE), inline="always", **OPTIONS)
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


@njit(void(NUMBERS_IN, NUMBERS_IN, TABLE, Array(int32, 1, "C")), **OPTIONS)
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


@njit(void(NUMBERS_IN, NUMBERS_IN, TABLE, Array(uint8, 1, "C")), **OPTIONS)
def bands(values, edges, table, out):  # type: ignore[no-untyped-def]
    """The band of each value: band k lies from edge k-1 (included) to edge k."""
    found = np.empty(BLOCK, np.int32)
    for start in range(0, out.shape[0], BLOCK):
        stop = min(start + BLOCK, out.shape[0])
        locate(values[start:stop], edges, table, found)
        for i in range(start, stop):
            out[i] = np.uint8(found[i - start])


@njit(void(Array(uint8, 1, "C", readonly=True), COLOURS_IN, COLOURS), **OPTIONS)
def pick(indices, colours, out):  # type: ignore[no-untyped-def]
    """Row ``indices[i]`` of ``colours``."""
    for i in range(out.shape[0]):
        k = indices[i]
        out[i, 0] = colours[k, 0]
        out[i, 1] = colours[k, 1]
        out[i, 2] = colours[k, 2]


@njit(void(NUMBERS_IN, NUMBERS_IN, TABLE, COLOURS_IN, COLOURS_IN, COLOURS), **OPTIONS)
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


@njit(void(FLAT), **OPTIONS)
def oklab_to_linear(colours):  # type: ignore[no-untyped-def]
    """OKLab to linear RGB, in place, flat (3n); negatives that rounding leaves at gamut edges stay."""
    for i in range(colours.shape[0] // 3):
        lightness, a, b = colours[3 * i], colours[3 * i + 1], colours[3 * i + 2]
        long = lightness + _LMS[0] * a + _LMS[1] * b
        medium = lightness + _LMS[2] * a + _LMS[3] * b
        short = lightness + _LMS[4] * a + _LMS[5] * b
        long = long * long * long
        medium = medium * medium * medium
        short = short * short * short
        colours[3 * i] = _RGB[0] * long + _RGB[1] * medium + _RGB[2] * short
        colours[3 * i + 1] = _RGB[3] * long + _RGB[4] * medium + _RGB[5] * short
        colours[3 * i + 2] = _RGB[6] * long + _RGB[7] * medium + _RGB[8] * short


@njit(void(COLOURS_IN, COLOURS_IN, Array(uint8, 1, "C")), **OPTIONS)
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
