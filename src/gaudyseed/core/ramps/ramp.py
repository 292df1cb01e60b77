"""Ramps: stops in the form the kernels want, and their bar.

Positions are compared with float32 values; a stop's place is taken as the least
float32 not below it, which decides exactly as the float64 place would.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np

from ..colour.mixing import POLAR, MixIn, to_space, turned
from ..colour.spaces import linear_to_oklab, parse_hex
from ..errors import BadInput
from ..kernels import ramps as kernels
from ..kernels.encoding import decode_values
from ..kernels.parallel import over
from ..runtime.buffers import empty
from ..runtime.task import UNWATCHED, Task
from .picking import Fill, picker

Interpolation = Literal["steps", "straight", "eased", "through", "soft"]

#: Turns coordinates of a space into linear RGB, in place, on flat arrays.
TO_LINEAR = {
    "linear_rgb": kernels.hold,
    "display_rgb": lambda flat: decode_values(flat, flat),
    "oklab": kernels.oklab_to_linear,
    "oklch": kernels.oklch_to_linear,
    "hsv": kernels.hsv_to_linear,
}


@dataclass(frozen=True)
class Ramp:
    """A compiled ramp.

    Attributes
    ----------
    positions
        (s,) float64 in 0..1, increasing.
    colours
        (s, 3) linear float64, not limited to 1.
    holds
        (s,) bool: the stop's colour holds until the next stop, where it changes at once.
    """

    positions: np.ndarray
    colours: np.ndarray
    interpolation: Interpolation = "straight"
    mix_in: MixIn = "oklab"
    longer: bool = False
    tension: float = 0.0
    holds: np.ndarray = field(default_factory=lambda: np.zeros(0, bool))

    @cached_property
    def edges(self) -> np.ndarray:
        """(s - 1,) float32: where each band but the first begins."""
        return least_float32_not_below(self.positions[1:])

    def banding(self, values: np.ndarray) -> Fill:
        """Fills (n,) uint8: the band of each value, counting from 0."""
        edges, table = self.edges, kernels.segment_table(self.edges)
        return lambda a, b, out: kernels.bands(values[a:b], edges, table, out)

    def colouring(self, values: np.ndarray) -> Fill:
        """Fills (n, 3) linear float32: the colours of values, between stops."""
        positions = self.positions.astype(np.float32)
        fill = self._filler(positions, kernels.segment_table(positions))
        finish = TO_LINEAR[self.mix_in]

        def work(a: int, b: int, out: np.ndarray) -> None:
            fill(values[a:b], out)
            finish(out.reshape(-1))

        return work

    def picking(self) -> Callable[[np.ndarray, int, int, np.ndarray], None]:
        """Returns ``pick(bands, start, stop, out)``: the colours of bands."""
        return picker(self.colours, {})

    def bands_of(self, values: np.ndarray, task: Task = UNWATCHED) -> np.ndarray:
        """(n,) uint8: the band of each value, counting from 0."""
        return _filled(self.banding(values), len(values), np.uint8, task)

    def colours_of(self, values: np.ndarray, task: Task = UNWATCHED) -> np.ndarray:
        """(n, 3) linear float32 colours of (n,) float32 values."""
        if self.interpolation != "steps":
            return _filled(self.colouring(values), (len(values), 3), np.float32, task)
        bands, pick = self.bands_of(values, task), self.picking()
        return _filled(lambda a, b, out: pick(bands[a:b], a, b, out), (len(values), 3), np.float32, task)

    def _filler(self, positions: np.ndarray, table: np.ndarray) -> Callable[..., None]:
        """A function that interpolates in the mixing space, into ``out``; the caller converts to RGB."""
        if self.interpolation == "straight":
            starts, slopes = self._straight(positions)
            return lambda v, out: kernels.linear_ramp(v, positions, table, starts, slopes, out)
        rows = self._cubics(positions)
        return lambda v, out: kernels.cubic_ramp(v, positions, table, rows, out)

    # Coefficients. Row k belongs to the segment that ends at stop k; row 0 and the last row are the flat ends.

    @cached_property
    def _coordinates(self) -> np.ndarray:
        return to_space(self.colours, self.mix_in)

    def _ends(self) -> tuple[np.ndarray, np.ndarray]:
        """The coordinates at the start and end of every segment, (s - 1, 3) each, hues ready to be mixed."""
        first, last = self._coordinates[:-1].copy(), self._coordinates[1:].copy()
        if self.mix_in in POLAR:
            first[:, 2], last[:, 2] = turned(first[:, 2], last[:, 2], self.longer)
        return first, last

    def _held(self) -> np.ndarray:
        """(s - 1,) bool: the segments that hold their first colour."""
        return self.holds[: len(self.positions) - 1] if len(self.holds) else np.zeros(len(self.positions) - 1, bool)

    def _flat_ends(self) -> tuple[np.ndarray, np.ndarray]:
        return np.nan_to_num(self._coordinates[0]), np.nan_to_num(self._coordinates[-1])

    def _straight(self, positions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Rows for ``kernels.linear_ramp``: starts (s + 1, 4) with the place, slopes (s + 1, 3)."""
        n = len(positions)
        starts, slopes = np.zeros((n + 1, 4), np.float32), np.zeros((n + 1, 3), np.float32)
        starts[0, :3], starts[-1, :3] = self._flat_ends()
        if n > 1:
            first, last = self._ends()
            last[self._held()] = first[self._held()]
            width = np.diff(positions.astype(np.float64))
            starts[1:-1, :3], starts[1:-1, 3] = first, positions[:-1]
            slopes[1:-1] = (last - first) / np.where(width > 0, width, 1)[:, None]
        return starts, slopes

    def weights(self) -> np.ndarray:
        """(s + 1, 4, 4) float64: what stops k - 2 to k + 1 weigh on row k, as cubics of the part t of the segment.

        Stops beyond the ends weigh nothing: what they would weigh is laid on those there are.
        """
        n = len(self.positions)
        rows = np.zeros((n + 1, 4, 4))
        rows[0, 2, 0] = rows[-1, 1, 0] = 1  # the flat ends: stop 0 and the last one
        for k in range(1, n):
            rows[k] = self._segment_weights(k - 1)
        return rows

    def _segment_weights(self, k: int) -> np.ndarray:
        """(4, 4): the weights of stops k - 1 to k + 2 between stops k and k + 1; columns are powers of t."""
        w = np.zeros((4, 4))
        if self._held()[k]:
            w[1, 0] = 1
        elif self.interpolation in ("straight", "eased"):
            rise = [0.0, 1, 0, 0] if self.interpolation == "straight" else [0.0, 0, 3, -2]
            w[2] = rise
            w[1] = [1, 0, 0, 0] - w[2]
        elif self.interpolation == "through":
            kernels.cardinal_weights(self.positions, k, self.tension, w)
        else:
            # Uniform cubic B-spline; the stop beyond an end lies as far outside, so that the ends are met.
            w[:] = np.array([[1, -3, 3, -1], [4, 0, -6, 3], [1, 3, 3, -3], [0, 0, 0, 1]]) / 6
            if k == 0:
                w[1] += 2 * w[0]
                w[2] -= w[0]
                w[0] = 0
            if k == len(self.positions) - 2:
                w[2] += 2 * w[3]
                w[1] -= w[3]
                w[3] = 0
        return w

    def _cubics(self, positions: np.ndarray) -> np.ndarray:
        """(s + 1, 14) float32 rows for ``kernels.cubic_ramp``: four powers of three coordinates, start, 1 / width."""
        n = len(positions)
        rows = np.zeros((n + 1, 14))
        rows[:, 12:] = _spans(positions)
        rows[0, 0:12:4], rows[-1, 0:12:4] = self._flat_ends()
        if n > 1 and self.interpolation == "eased":
            first, last = self._ends()
            last[self._held()] = first[self._held()]
            for c in range(3):
                rows[1:-1, 4 * c] = first[:, c]
                rows[1:-1, 4 * c + 2], rows[1:-1, 4 * c + 3] = 3 * (last - first)[:, c], -2 * (last - first)[:, c]
        elif n > 1:
            points, weights = self._unwound(), self.weights()
            for k in range(1, n):
                near = points[np.clip(np.arange(k - 2, k + 2), 0, n - 1)]
                rows[k, :12] = (near.T @ weights[k]).reshape(-1)
        return rows.astype(np.float32)

    def _unwound(self) -> np.ndarray:
        """(s, 3) coordinates whose hues go on from stop to stop; a grey takes the hue before it, else the next."""
        points = self._coordinates.copy()
        if self.mix_in not in POLAR:
            return points
        hues = points[:, 2]
        known = np.flatnonzero(~np.isnan(hues))
        # Each stop looks back to the last one that has a hue; those before the first such one take its.
        before = np.maximum.accumulate(np.where(np.isnan(hues), -1, np.arange(len(hues))))
        hues[:] = hues[np.where(before < 0, known[0], before)] if len(known) else 0
        first, last = turned(hues[:-1], hues[1:], self.longer)
        hues[1:] = hues[0] + np.cumsum(last - first)
        return points

    # Groups

    def nearest_stop_of(self, values: np.ndarray, task: Task = UNWATCHED) -> np.ndarray:
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

        over(len(out), work, task)
        return out

    def groups_of(self, values: np.ndarray, task: Task = UNWATCHED) -> np.ndarray:
        """(n,) uint8: which stop's colour an element counts for.

        Stepped: its band. Else: the stop with the nearest colour.
        """
        return self.bands_of(values, task) if self.interpolation == "steps" else self.nearest_stop_of(values, task)


def _filled(fill: Fill, shape: int | tuple[int, int], dtype: type, task: Task) -> np.ndarray:
    """An array of that shape, filled in chunks."""
    out = empty(shape, dtype)
    over(len(out), lambda a, b: fill(a, b, out[a:b]), task)
    return out


def compile_ramp(positions: np.ndarray, colours: Sequence[str], interpolation: str, mix_in: str) -> Ramp:
    """A ramp of stop places in 0..1, increasing, and their ``#rrggbb`` colours."""
    linear = np.array([parse_hex(c) for c in colours])
    return Ramp(np.asarray(positions, np.float64), linear, interpolation, mix_in)  # type: ignore[arg-type]


def least_float32_not_below(places: np.ndarray) -> np.ndarray:
    """float32 places that decide ``value >= place`` for float32 values exactly as the float64 places do."""
    near = places.astype(np.float32)
    return np.where(near < places, np.nextafter(near, np.float32(np.inf)), near).astype(np.float32)


def _spans(positions: np.ndarray) -> np.ndarray:
    """(s + 1, 2) float32: where each segment begins and 1 / its width; flat ends have width infinity."""
    spans = np.zeros((len(positions) + 1, 2), np.float32)
    if len(positions) > 1:
        widths = np.diff(positions.astype(np.float64))
        spans[1:-1, 0] = positions[:-1]
        spans[1:-1, 1] = np.where(widths > 0, 1 / np.where(widths > 0, widths, 1), 0)
    return spans


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
    largest remainder method and are met exactly wherever the values
    are distinct and lie within 0..1, else as nearly as equal values allow.

    Raises
    ------
    BadInput
        Where the shares do not fit, or a share of 0 at an end cannot be had: values of 0
        and below always take the first colour, those of 1 and above the last.
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
    if len(counts) > 1:
        _check_end(int(np.searchsorted(ordered, 0, side="right")), shares[0], "0 or less", "first")
        _check_end(len(ordered) - int(np.searchsorted(ordered, 1, side="left")), shares[-1], "1 or more", "last")
    return _increasing(np.array([_edge_after(ordered, c) for c in np.cumsum(counts)[:-1]]))


def _check_end(held: int, share: float, what: str, which: str) -> None:
    """BadInput where values that an end of the ramp always has would be left to a colour whose share is 0."""
    if held and share == 0:
        raise BadInput(
            f"{held:,} of the values are {what}, and these always take the {which} colour. Give it a share, remove it, "
            "or put Even out before the ramp, which leaves the ends free.",
            place="shares", code="bad_shares",
        )  # fmt: skip


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


#: Edges that fall together, because no value lies between them, are parted by so much: far less than float32 can
#: tell apart, so that they part no values.
_PARTED = 2.0**-40


def _increasing(edges: np.ndarray) -> np.ndarray:
    """Within (0, 1], equal edges parted by the least that float64 keeps apart in a document."""
    edges = np.clip(edges, _PARTED, 1.0)
    for k in range(1, len(edges)):
        edges[k] = max(edges[k], edges[k - 1] + _PARTED)
    for k in range(len(edges) - 1, -1, -1):
        edges[k] = min(edges[k], 1.0 - (len(edges) - 1 - k) * _PARTED)
    return edges


def flipped(positions: np.ndarray, interpolation: str) -> np.ndarray:
    """Places after exchanging left and right; the colours are reversed by the caller.

    Stepped: the bands keep their widths, in reversed order. Linear: places mirror.
    """
    if interpolation == "steps":
        edges = np.concatenate([[0.0], positions[1:], [1.0]])
        return (1.0 - edges)[::-1][:-1]
    return (1.0 - positions)[::-1]


def evenly_spaced(count: int, interpolation: str) -> np.ndarray:
    """Stepped: bands of equal width. Linear: from 0 to 1 inclusive."""
    if interpolation == "steps":
        return np.arange(count) / count
    return np.linspace(0, 1, count) if count > 1 else np.array([0.5])
