"""What the elements got: distributions of numbers, swatches of colours, groups and shares.

All results are small and plain (JSON), whatever the number of elements.
"""

from __future__ import annotations

import base64
from typing import Any

import numpy as np

from ..colour.spaces import display_bytes, linear_to_oklab, to_hexes
from ..kernels import census as kernels
from ..kernels import ramps as ramp_kernels
from ..kernels.parallel import over
from ..ramps.ramp import Ramp

BINS = 64
COLUMNS = 96
ROWS = 3
BAR = 256
LINES = 28
_SAMPLE = 4096
#: Among so many a colour that tells is looked for.
_TELLING = 1024


def histogram(values: np.ndarray, low: float, high: float, bins: int = BINS) -> dict[str, Any]:
    """Counts of (n,) float32 values in equal bins of [low, high], and of those outside."""
    counts = np.zeros(bins + 2, np.int64)
    extremes = np.zeros(2, np.float32)
    kernels.histogram(values, low, high, counts, extremes)
    empty = len(values) == 0
    return {
        "low": low, "high": high, "bins": counts[:bins].tolist(),
        "below": int(counts[bins]), "above": int(counts[bins + 1]),
        "least": 0.0 if empty else float(extremes[0]), "greatest": 0.0 if empty else float(extremes[1]),
    }  # fmt: skip


def of_numbers(values: np.ndarray) -> dict[str, Any]:
    """The distribution of numbers: over 0..1 where all lie within, else over their own range."""
    inside = histogram(values, 0.0, 1.0)
    if inside["below"] or inside["above"]:
        return histogram(values, inside["least"], inside["greatest"])
    return inside


def flow(before: np.ndarray, after: np.ndarray) -> list[list[float]]:
    """A few pairs (value before, value after), evenly spread over the ranks of the values before."""
    stride = max(1, len(before) // _SAMPLE)
    sample, result = before[::stride], after[::stride]
    order = np.argsort(sample, kind="stable")
    picks = order[np.linspace(0, len(order) - 1, min(LINES, len(order))).round().astype(np.int64)]
    return np.stack([sample[picks], result[picks]], axis=1).astype(float).round(6).tolist()


def of_colours(colours: np.ndarray, places: np.ndarray | None) -> dict[str, Any]:
    """Swatches of colours along 0..1.

    Parameters
    ----------
    colours
        (n, 3) linear.
    places
        (n,) the numbers that led to the colours; None orders them by lightness.

    Returns
    -------
    ``swatches``: base64 of (ROWS, COLUMNS, 4) bytes, alpha 0 where no element lies.
    """
    if places is None:
        stride = max(1, len(colours) // _SAMPLE)
        colours = colours[::stride]
        order = np.argsort(linear_to_oklab(colours)[:, 0], kind="stable")
        places = np.empty(len(colours), np.float32)
        places[order] = (np.arange(len(colours)) + 0.5) / max(len(colours), 1)
    found = np.zeros((COLUMNS, ROWS), np.int64)
    filled = np.zeros(COLUMNS, np.int64)
    kernels.sample_columns(places, found, filled)
    rgba = np.zeros((COLUMNS, ROWS, 4), np.uint8)
    has = np.arange(ROWS)[None, :] < filled[:, None]
    picked = colours[found[has]]
    rgba[has, :3] = display_bytes(np.ascontiguousarray(picked, np.float32))
    rgba[has, 3] = 255
    # A column with fewer elements than rows repeats them, so that it is not drawn ragged.
    for row in range(1, ROWS):
        short = (filled > 0) & (filled <= row)
        rgba[short, row] = rgba[short, 0]
    return {"swatches": packed(rgba.transpose(1, 0, 2)), "columns": COLUMNS, "rows": ROWS}


def packed(array: np.ndarray) -> str:
    """The bytes of an array as base64."""
    return base64.b64encode(np.ascontiguousarray(array).tobytes()).decode("ascii")


def telling(colours: np.ndarray) -> np.ndarray:
    """(3,) linear: a colour that shows a change well, common among (n, 3), saturated and bright."""
    sample = np.ascontiguousarray(colours[:: max(1, len(colours) // _TELLING)])
    levels = display_bytes(sample)
    coarse = (levels >> 5).astype(np.int64)
    cells = (coarse[:, 0] << 6) | (coarse[:, 1] << 3) | coarse[:, 2]
    top, low = levels.max(axis=1).astype(float), levels.min(axis=1).astype(float)
    worth = np.bincount(cells, weights=1 + (top - low) * top)
    mean: np.ndarray = sample[cells == worth.argmax()].mean(axis=0)
    return mean


def of_ramp(ramp: Ramp, incoming: dict[str, Any], stops: np.ndarray) -> dict[str, Any]:
    """A ramp's bar, what comes in over 0..1, and how many of (n,) ``stops`` each stop has."""
    centres = ((np.arange(BAR) + 0.5) / BAR).astype(np.float32)
    counts = np.zeros(256, np.int64)
    kernels.count_groups(stops, counts)
    return {
        "bar": packed(display_bytes(ramp.colours_of(centres))), "incoming": incoming,
        "places": ramp.positions.tolist(),
        "counts": counts[: len(ramp.positions)].tolist(), "colours": to_hexes(ramp.colours),
        "reached": reached(incoming),
    }  # fmt: skip


def reached(incoming: dict[str, Any]) -> float:
    """The part of 0..1 that values reach: the bins with at least 1 % of the mean count."""
    counts = np.array(incoming["bins"])
    total = counts.sum() + incoming["below"] + incoming["above"]
    return float((counts > max(0.0, 0.01 * total / len(counts))).mean()) if total else 0.0


def outside(colours: np.ndarray, low: float, high: float) -> int:
    """How many of (n, 3) float32 colours have a channel below ``low`` or above ``high``."""
    parts: list[int] = []
    over(len(colours), lambda a, b: parts.append(kernels.outside(colours[a:b].reshape(-1), low, high)))
    return sum(parts)


def group_counts(groups: np.ndarray) -> np.ndarray:
    """(256,) int64: how many elements each group has."""
    counts = np.zeros(256, np.int64)
    kernels.count_groups(groups, counts)
    return counts


def mean_colours(colours: np.ndarray, groups: np.ndarray, count: int) -> list[str | None]:
    """The mean finished colour of each group, from an even sample; None for an empty one."""
    stride = max(1, len(colours) // _SAMPLE)
    sample, of = colours[::stride].astype(np.float64), groups[::stride]
    totals = np.stack([np.bincount(of, weights=sample[:, k], minlength=count) for k in range(3)], axis=1)
    numbers = np.bincount(of, minlength=count)
    codes = to_hexes(totals / np.maximum(numbers, 1)[:, None])
    return [code if number else None for code, number in zip(codes, numbers.tolist(), strict=True)]


def group_by_colour(colours: np.ndarray, most: int = 8) -> tuple[np.ndarray, int]:
    """Groups of like colours where no ramp says which belong together.

    The commonest cells of a coarse grid over display colours, at most ``most``;
    every other element joins the nearest of them in OKLab. Returns the groups (n,)
    uint8 and how many there are.
    """
    coarse = (display_bytes(colours) >> 5).astype(np.int64)
    cells = (coarse[:, 0] << 6) | (coarse[:, 1] << 3) | coarse[:, 2]
    counts = np.bincount(cells, minlength=512)
    commonest = np.argsort(-counts, kind="stable")[: min(most, max(1, int((counts > 0).sum())))]
    sums = np.stack([np.bincount(cells, weights=colours[:, k], minlength=512) for k in range(3)], axis=1)
    means = sums[commonest] / np.maximum(counts[commonest], 1)[:, None]
    means = means[np.argsort(linear_to_oklab(means)[:, 0], kind="stable")]
    groups = np.empty(len(colours), np.uint8)
    labs = np.ascontiguousarray(linear_to_oklab(colours), np.float32)
    ramp_kernels.nearest(labs, linear_to_oklab(means).astype(np.float32), groups)
    return groups, len(commonest)
