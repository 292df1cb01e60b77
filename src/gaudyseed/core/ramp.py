"""Ramps: stops in the form the kernels want, their bar, and their edits.

Positions are compared with float32 values; a stop's place is taken as the least
float32 not below it, which decides exactly as the float64 place would.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from .buffers import empty
from .colour.spaces import linear_to_oklab, parse_hex
from .errors import BadInput
from .kernels import ramps as kernels
from .kernels.parallel import over

Check = Callable[[], None] | None


@dataclass(frozen=True)
class Ramp:
    """A compiled ramp. ``positions`` (s,) and ``colours`` (s, 3), linear, are float64."""

    positions: np.ndarray
    colours: np.ndarray
    interpolation: Literal["step", "linear"]
    mix_in: Literal["oklab", "linear_rgb"]

    @cached_property
    def edges(self) -> np.ndarray:
        """(s - 1,) float32: where each band but the first begins."""
        return _least_float32_not_below(self.positions[1:])

    def bands_of(self, values: np.ndarray, check: Check = None) -> np.ndarray:
        """(n,) uint8: the band of each value, counting from 0."""
        out = empty(len(values), np.uint8)
        edges, table = self.edges, kernels.segment_table(self.edges)
        over(len(out), lambda a, b: kernels.bands(values[a:b], edges, table, out[a:b]), check)
        return out

    def colours_of(self, values: np.ndarray, check: Check = None) -> np.ndarray:
        """(n, 3) linear float32 colours of (n,) float32 values."""
        if self.interpolation == "step":
            return self.colours_of_bands(self.bands_of(values, check), check)
        out = empty((len(values), 3))
        self._fill_linear(values, out, check)
        return out

    def colours_of_bands(self, bands: np.ndarray, check: Check = None) -> np.ndarray:
        """(n, 3) linear float32 colours of (n,) uint8 bands."""
        out = empty((len(bands), 3))
        colours = self.colours.astype(np.float32)
        over(len(out), lambda a, b: kernels.pick(bands[a:b], colours, out[a:b]), check)
        return out

    def _fill_linear(self, values: np.ndarray, out: np.ndarray, check: Check) -> None:
        in_oklab = self.mix_in == "oklab"
        rows = linear_to_oklab(self.colours) if in_oklab else self.colours
        positions = self.positions.astype(np.float32)
        starts, slopes = _segments(positions, rows)
        table = kernels.segment_table(positions)

        def work(a: int, b: int) -> None:
            kernels.linear_ramp(values[a:b], positions, table, starts, slopes, out[a:b])
            if in_oklab:
                kernels.oklab_to_linear(out[a:b].reshape(-1))

        over(len(values), work, check)

    def nearest_stop_of(self, values: np.ndarray, check: Check = None) -> np.ndarray:
        """(n,) uint8: the stop whose colour is nearest in OKLab to the ramp's colour at each value."""
        out = np.empty(len(values), np.uint8)
        steps = 4096
        centres = ((np.arange(steps) + 0.5) / steps).astype(np.float32)
        labs = linear_to_oklab(self.colours_of(centres)).astype(np.float32)
        table = np.empty(steps, np.uint8)
        kernels.nearest(labs, linear_to_oklab(self.colours).astype(np.float32), table)
        # The nearest stop changes at a few places only: they become band edges.
        turns = np.flatnonzero(table[1:] != table[:-1]) + 1
        edges = (turns / steps).astype(np.float32)
        of_band = table[np.concatenate([[0], turns])]
        cells = kernels.segment_table(edges)

        def work(a: int, b: int) -> None:
            if len(edges) < 256:
                kernels.bands(values[a:b], edges, cells, out[a:b])
                np.take(of_band, out[a:b], out=out[a:b])
            else:
                out[a:b] = of_band[np.searchsorted(edges, values[a:b], side="right")]

        over(len(out), work, check)
        return out

    def groups_of(self, values: np.ndarray, check: Check = None) -> np.ndarray:
        """(n,) uint8: which stop's colour an element counts for.

        Stepped: its band. Linear: the stop with the nearest colour.
        """
        return self.bands_of(values, check) if self.interpolation == "step" else self.nearest_stop_of(values, check)


def compile_ramp(positions: np.ndarray, colours: list[str], interpolation: str, mix_in: str) -> Ramp:
    """A ramp of stop places in 0..1, increasing, and their ``#rrggbb`` colours."""
    linear = np.array([parse_hex(c) for c in colours])
    return Ramp(np.asarray(positions, np.float64), linear, interpolation, mix_in)  # type: ignore[arg-type]


def _least_float32_not_below(places: np.ndarray) -> np.ndarray:
    near = places.astype(np.float32)
    return np.where(near < places, np.nextafter(near, np.float32(np.inf)), near).astype(np.float32)


def _segments(positions: np.ndarray, rows: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Start and slope of each segment, with flat ones before the first and after the last stop."""
    widths = np.diff(positions.astype(np.float64))[:, None]
    slopes = np.zeros((len(rows) + 1, 3))
    slopes[1:-1] = np.diff(rows, axis=0) / np.where(widths > 0, widths, 1)
    colours = np.concatenate([rows[:1], rows[:-1], rows[-1:]])
    places = np.concatenate([positions[:1], positions])[:, None]
    return np.hstack([colours, places]).astype(np.float32), slopes.astype(np.float32)


def edges_for_shares(values: np.ndarray, shares: np.ndarray) -> np.ndarray:
    """Band edges that give each band its share of the actual values.

    Parameters
    ----------
    values
        (n,) float32, the numbers that reach the ramp.
    shares
        (k,) wanted shares; they must be at least 0 and sum to 1 within 0.001.

    Returns
    -------
    (k - 1,) float64 edges, strictly increasing within (0, 1]. Counts follow the
    largest remainder method and are met to within one element wherever the values
    are distinct and lie within 0..1.
    """
    if len(shares) == 0 or not np.all(np.isfinite(shares)) or shares.min() < 0:
        raise BadInput("Every share must be a number from 0 to 100 %.", place="shares", code="bad_shares")
    if abs(shares.sum() - 1) > 1e-3:
        raise BadInput(
            f"The shares add up to {100 * shares.sum():.4g} %; they must make 100 %.",
            place="shares",
            code="bad_shares",
        )
    if len(values) == 0:
        raise BadInput("There are no elements to share out.", place="shares", code="bad_shares")
    counts = largest_remainder(shares / shares.sum(), len(values))
    ordered = np.sort(values).astype(np.float64)
    return _increasing(np.array([_edge_after(ordered, c) for c in np.cumsum(counts)[:-1]]))


def largest_remainder(shares: np.ndarray, total: int) -> np.ndarray:
    """(k,) whole numbers that sum to ``total``, as near to ``shares * total`` as that allows."""
    exact = shares * total
    counts = np.floor(exact).astype(np.int64)
    order = np.argsort(-(exact - counts), kind="stable")
    counts[order[: total - counts.sum()]] += 1
    return counts


def _edge_after(ordered: np.ndarray, count: int) -> float:
    """A place that has ``count`` of the sorted values below it, or as near as ties allow."""
    n = len(ordered)
    if count <= 0:
        return float(np.clip(ordered[0], 0, 1)) / 2
    if count >= n:
        return float((np.clip(ordered[-1], 0, 1) + 1) / 2)
    low, high = ordered[count - 1], ordered[count]
    if low == high:
        first = int(np.searchsorted(ordered, low, side="left"))
        last = int(np.searchsorted(ordered, low, side="right"))
        near = first if count - first <= last - count else last
        return _edge_after(ordered, near) if near in (0, n) else float((ordered[near - 1] + ordered[near]) / 2)
    return float((low + high) / 2)


def _increasing(edges: np.ndarray) -> np.ndarray:
    """Clip to (0, 1] and part equal edges by the least steps that float32 can tell apart."""
    step = 2.0**-22
    edges = np.clip(edges, step, 1.0)
    for k in range(1, len(edges)):
        edges[k] = max(edges[k], edges[k - 1] + step) if edges[k] <= edges[k - 1] else edges[k]
    for k in range(len(edges) - 1, -1, -1):
        limit = 1.0 - (len(edges) - 1 - k) * step
        edges[k] = min(edges[k], limit)
    return edges


def flipped(positions: np.ndarray, interpolation: str) -> np.ndarray:
    """Places after exchanging left and right; the colours are reversed by the caller.

    Stepped: the bands keep their widths, in reversed order. Linear: places mirror.
    """
    if interpolation == "step":
        edges = np.concatenate([[0.0], positions[1:], [1.0]])
        return (1.0 - edges)[::-1][:-1]
    return (1.0 - positions)[::-1]


def evenly_spaced(count: int, interpolation: str) -> np.ndarray:
    """Stepped: bands of equal width. Linear: from 0 to 1 inclusive."""
    if interpolation == "step":
        return np.arange(count) / count
    return np.linspace(0, 1, count) if count > 1 else np.array([0.5])
