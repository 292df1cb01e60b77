"""Cubic curves through, or near, control points: Bezier, B-spline and Catmull-Rom, as USD names them."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..errors import BadInput
from ..kernels import cubics as kernels
from ..kernels.parallel import over

Basis = Literal["linear", "bezier", "bspline", "catmullRom"]
Wrap = Literal["nonperiodic", "periodic", "pinned"]

#: Rows for the powers 1, t, t^2, t^3, columns for four control points (common textbook forms, as in OpenUSD's
#: documentation of BasisCurves).
_MATRICES = {
    "bezier": np.array([[1, 0, 0, 0], [-3, 3, 0, 0], [3, -6, 3, 0], [-1, 3, -3, 1]], np.float64),
    "bspline": np.array([[1, 4, 1, 0], [-3, 0, 3, 0], [3, -6, 3, 0], [-1, 3, -3, 1]], np.float64) / 6,
    "catmullRom": np.array([[0, 2, 0, 0], [-1, 0, 1, 0], [2, -5, 4, -1], [-1, 3, -3, 1]], np.float64) / 2,
}
_WRAPS = {"nonperiodic": kernels.OPEN, "periodic": kernels.CLOSED, "pinned": kernels.PINNED}
#: Curves that a thread takes at a time.
_CHUNK = 2048


def check_cubics(sizes: np.ndarray, basis: Basis, wrap: Wrap, place: str) -> None:
    """BadInput where some curve has not as many control points as its basis wants; the sentence names the first."""
    sizes = np.asarray(sizes, np.int64)
    if basis == "linear":
        return
    if basis == "bezier":
        closed = wrap == "periodic"
        bad = (sizes < 3) | (sizes % 3 != 0) if closed else (sizes < 4) | (sizes % 3 != 1)
        wanted = "3, 6, 9 and so on" if closed else "4, 7, 10 and so on"
    else:
        least = {"nonperiodic": 4, "periodic": 3, "pinned": 2}[wrap]
        bad, wanted = sizes < least, f"{least} or more"
    wrong = np.flatnonzero(bad)
    if len(wrong):
        raise BadInput(
            f"Curve {wrong[0] + 1} has {sizes[wrong[0]]:,} points; a cubic {basis} curve has {wanted}. "
            f"{len(wrong):,} curves are so. Export them again, or as linear curves.",
            place=f"{place}, curve {wrong[0] + 1}", code="bad_strands",
        )  # fmt: skip


def segments(sizes: np.ndarray, basis: Basis, wrap: Wrap) -> np.ndarray:
    """(c,) int64: pieces of each curve of so many control points."""
    sizes = np.asarray(sizes, np.int64)
    if basis == "bezier":
        return sizes // 3 if wrap == "periodic" else (sizes - 4) // 3 + 1
    return sizes - {"nonperiodic": 3, "pinned": 1, "periodic": 0}[wrap]


def at_controls(values: np.ndarray, sizes: np.ndarray, basis: Basis, wrap: Wrap, nearest: bool) -> np.ndarray:
    """(n,) or (n, k): values of the ends of the segments of cubic curves, brought to the control points.

    Linearly between the ends, or those of the nearer end; as they came where they are not as many as the ends.
    """
    sizes = np.asarray(sizes, np.int64)
    whole = segments(sizes, basis, wrap)
    ends = whole + (0 if wrap == "periodic" else 1)
    if len(values) != ends.sum():
        return values
    curve = np.repeat(np.arange(len(sizes)), sizes)
    at = np.arange(len(curve)) - np.repeat(np.cumsum(sizes) - sizes, sizes)
    place = at / 3 if basis == "bezier" else np.clip(at - 1, 0, whole[curve]) if wrap == "nonperiodic" else at
    first = (np.cumsum(ends) - ends)[curve]
    low = np.minimum(np.floor(place).astype(np.int64), ends[curve] - 1)
    high = (low + 1) % ends[curve] if wrap == "periodic" else np.minimum(low + 1, ends[curve] - 1)
    part = (place - low).astype(np.float32)
    if nearest:
        return values[first + np.where(part < 0.5, low, high)]
    part = part.reshape(-1, *[1] * (values.ndim - 1))
    found: np.ndarray = (values[first + low] * (1 - part) + values[first + high] * part).astype(values.dtype)
    return found


def on_cubics(
    controls: np.ndarray, starts: np.ndarray, basis: Basis, wrap: Wrap
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Where on its curve each control point counts, and how far along that is.

    A Bezier point and its handles count at thirds of a segment, the points of the others at their own knot; ends that
    lie beyond an open curve count at its end.

    Returns
    -------
    (n, 3) float32 places, (n,) distances from the root and (n,) their part of the whole, (c,) whole lengths; of eight
    straight pieces between one control point and the next.

    >>> line = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [3, 0, 0]], np.float32)
    >>> on_cubics(line, np.array([0, 4]), "bezier", "nonperiodic")[2].round(3).tolist()
    [0.0, 0.3330000042915344, 0.6669999957084656, 1.0]
    """
    n, count = len(controls), len(starts) - 1
    places, distance, along = np.empty((n, 3), np.float32), np.empty(n, np.float32), np.empty(n, np.float32)
    lengths = np.empty(count, np.float32)
    matrix, bezier, closing = _MATRICES[basis], basis == "bezier", _WRAPS[wrap]

    def work(a: int, b: int) -> None:
        kernels.measure(controls, starts, a, b, matrix, bezier, closing, places, distance, along, lengths)

    over(count, work, chunk=_CHUNK)
    return places, distance, along, lengths
