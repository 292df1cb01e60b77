"""Counts over numbers and colours."""

from __future__ import annotations

import numpy as np
from numba import int64, uint8, void
from numba.types import Array, float32

from . import compiled
from .encoding import FLAT_IN

NUMBERS_IN = Array(float32, 1, "C", readonly=True)
COUNTS = Array(int64, 1, "C")


@compiled(void(NUMBERS_IN, float32, float32, COUNTS, Array(float32, 1, "C")))
def histogram(values, low, high, counts, extremes):  # type: ignore[no-untyped-def]
    """Count values into equal bins of [low, high], both ends included.

    ``counts`` has two more cells than bins: the values below and those above.
    ``extremes`` receives the least and the greatest value.
    """
    bins = counts.shape[0] - 2
    width = high - low
    scale = np.float32(bins) / width if width > np.float32(0.0) else np.float32(0.0)
    last = np.float32(bins - 1)
    least = np.float32(np.inf)
    greatest = np.float32(-np.inf)
    for i in range(values.shape[0]):
        v = values[i]
        least = min(least, v)
        greatest = max(greatest, v)
        if v < low:
            counts[bins] += 1
        elif v > high:
            counts[bins + 1] += 1
        elif v >= low:
            counts[np.int64(min((v - low) * scale, last))] += 1
    extremes[0] = least
    extremes[1] = greatest


@compiled(void(Array(uint8, 1, "C", readonly=True), COUNTS))
def count_groups(groups, counts):  # type: ignore[no-untyped-def]
    """How many elements each group has."""
    for i in range(groups.shape[0]):
        counts[groups[i]] += 1


@compiled(int64(NUMBERS_IN, Array(int64, 2, "C"), COUNTS))
def sample_columns(values, found, filled):  # type: ignore[no-untyped-def]
    """The first few elements of each column of 0..1, in element order.

    ``found`` is (columns, rows), filled with element numbers; ``filled`` counts
    them. Stops as soon as every column is full. Returns how many it looked at.
    """
    columns, rows = found.shape
    full = 0
    for i in range(values.shape[0]):
        v = min(values[i], np.float32(1.0)) if values[i] > np.float32(0.0) else np.float32(0.0)
        column = np.int64(min(v * np.float32(columns), np.float32(columns - 1)))
        k = filled[column]
        if k < rows:
            found[column, k] = i
            filled[column] = k + 1
            if k + 1 == rows:
                full += 1
                if full == columns:
                    return i + 1
    return values.shape[0]


@compiled(int64(FLAT_IN, float32, float32))
def outside(colours, low, high):  # type: ignore[no-untyped-def]
    """How many rows of three of the flat (3n) numbers have one below ``low`` or above ``high``."""
    found = 0
    for i in range(colours.shape[0] // 3):
        a, b, c = colours[3 * i], colours[3 * i + 1], colours[3 * i + 2]
        found += 1 if min(a, min(b, c)) < low or max(a, max(b, c)) > high else 0
    return found
