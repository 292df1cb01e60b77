"""The nearest of many points, or the nearest place on a mesh, for many places."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from ..kernels import nearest as kernels
from ..kernels.parallel import CHUNK, over
from ..runtime.task import UNWATCHED, Task

#: Up to so many points it is quicker to try all than to search a tree.
FEW = 256
_POINTS_IN_LEAF, _TRIANGLES_IN_LEAF = 8, 4


@dataclass(frozen=True)
class Found:
    """The answer for m places.

    Attributes
    ----------
    items
        (m,) int32: the number of the nearest point or triangle; -1 where none lies within reach.
    distances
        (m,) float32: how far it is; the reach where there is none.
    weights
        (m, 3) float32: of the triangle's corners at its nearest place; None for points.
    """

    items: np.ndarray
    distances: np.ndarray
    weights: np.ndarray | None = None


@dataclass(frozen=True)
class _Tree:
    """Boxes in boxes: see the kernels."""

    order: np.ndarray
    starts: np.ndarray
    boxes: np.ndarray
    depth: int

    @property
    def parts(self) -> tuple[np.ndarray, np.ndarray, np.ndarray, int]:
        """The arguments of the kernels."""
        return self.order, self.starts, self.boxes, self.depth


def _tree(lows: np.ndarray, highs: np.ndarray, leaf: int) -> _Tree:
    n = lows.shape[1]
    depth = max(0, int(np.ceil(np.log2(max(1, n) / leaf))))
    nodes = 2 ** (depth + 1) - 1
    order, starts = np.empty(n, np.int32), np.zeros(2 * nodes, np.int32)
    boxes = np.empty((nodes, 6), np.float32)
    kernels.build(lows, highs, depth, order, starts, boxes)
    return _Tree(order, starts, boxes, depth)


@dataclass(frozen=True)
class NearestPoint:
    """Finds the nearest of (n, 3) points.

    Examples
    --------
    >>> near = NearestPoint(np.array([[0, 0, 0], [4, 0, 0]], np.float32))
    >>> near.to(np.array([[1, 0, 0], [9, 0, 0]], np.float32)).items.tolist()
    [0, 1]
    """

    points: np.ndarray
    _held: np.ndarray = field(init=False, repr=False)
    _tree: _Tree | None = field(init=False, repr=False)

    def __post_init__(self) -> None:
        tree = None
        if len(self.points) > FEW:
            columns = np.ascontiguousarray(self.points.T)
            tree = _tree(columns, columns, _POINTS_IN_LEAF)
        held = np.ascontiguousarray(self.points.T[:, tree.order] if tree else self.points, np.float32)
        object.__setattr__(self, "_tree", tree)
        object.__setattr__(self, "_held", held)

    def to(
        self, places: np.ndarray, reach: float = np.inf, task: Task = UNWATCHED,
        order: np.ndarray | None = None,
    ) -> Found:  # fmt: skip
        """The nearest point for each of (m, 3) places; ``order`` from ``along_curve`` where the places are kept."""
        found, squares = np.empty(len(places), np.int32), np.empty(len(places), np.float32)
        cap = np.float32(min(reach * reach, 3e38))
        tree = self._tree
        if tree is None:

            def tried(a: int, b: int) -> None:
                x, y, z = np.ascontiguousarray(places[a:b].T)
                kernels.few(x, y, z, self._held, found[a:b], squares[a:b])

            over(len(places), tried, task)
            found[~(squares <= cap)] = -1
            np.minimum(squares, cap, out=squares)
        else:

            def searched(a: int, b: int, places: np.ndarray, found: np.ndarray, squares: np.ndarray) -> None:
                kernels.points(self._held, *tree.parts, places[a:b], cap, found[a:b], squares[a:b])

            _in_order(places, searched, (found, squares), task, order)
        return Found(found, np.sqrt(squares))


@dataclass(frozen=True)
class NearestOnTriangles:
    """Finds the nearest place on (t, 3) triangles over (n, 3) points."""

    points: np.ndarray
    corners: np.ndarray
    _held: np.ndarray = field(init=False, repr=False)
    _tree: _Tree = field(init=False, repr=False)

    def __post_init__(self) -> None:
        triangles = self.points[self.corners].astype(np.float32)
        lows, highs = triangles.min(axis=1), triangles.max(axis=1)
        tree = _tree(np.ascontiguousarray(lows.T), np.ascontiguousarray(highs.T), _TRIANGLES_IN_LEAF)
        object.__setattr__(self, "_tree", tree)
        object.__setattr__(self, "_held", np.ascontiguousarray(triangles.reshape(-1, 9)[tree.order]))

    def to(
        self, places: np.ndarray, reach: float = np.inf, task: Task = UNWATCHED,
        order: np.ndarray | None = None,
    ) -> Found:  # fmt: skip
        """The nearest place for each of (m, 3) places."""
        found, squares = np.empty(len(places), np.int32), np.empty(len(places), np.float32)
        weights = np.empty((len(places), 3), np.float32)
        cap = np.float32(min(reach * reach, 3e38))

        def searched(
            a: int, b: int, places: np.ndarray, found: np.ndarray, squares: np.ndarray, weights: np.ndarray
        ) -> None:
            kernels.triangles(self._held, *self._tree.parts, places[a:b], cap, found[a:b], squares[a:b], weights[a:b])

        _in_order(places, searched, (found, squares, weights), task, order)
        return Found(found, np.sqrt(squares), weights)


def along_curve(places: np.ndarray) -> np.ndarray:
    """(m,) int64: the places in an order in which those that follow each other lie near each other."""
    if len(places) == 0:
        return np.empty(0, np.int64)
    low = places.min(axis=0)
    width = np.maximum(places.max(axis=0) - low, np.float32(1e-30))
    found = np.empty(len(places), np.int64)
    scale = (1024 / width).astype(np.float32)
    kernels.codes(np.ascontiguousarray(places, np.float32), low.astype(np.float32), scale, found)
    # The code above the number: sorting plain numbers is much quicker than sorting indices by them.
    return np.sort((found << 32) | np.arange(len(places))) & 0xFFFFFFFF


def _in_order(
    places: np.ndarray, searched: Callable[..., None], outs: tuple[np.ndarray, ...], task: Task,
    order: np.ndarray | None,
) -> None:  # fmt: skip
    """Search along the curve, and put the answers back where they belong."""
    order = along_curve(places) if order is None else order
    asked = np.ascontiguousarray(places[order], np.float32)
    sorted_outs = tuple(np.empty_like(out) for out in outs)
    over(len(places), lambda a, b: searched(a, b, asked, *sorted_outs), task, CHUNK // 4)
    for out, kept in zip(outs, sorted_outs, strict=True):
        out[order] = kept


def spacing(places: np.ndarray) -> float:
    """About how far neighbours lie apart: the median distance to the nearest place elsewhere, of up to 32 places.

    0 where all places are one.
    """
    n = len(places)
    if n < 2:
        return 0.0
    x, y, z = np.ascontiguousarray(places.T, np.float32)
    rows = np.unique(np.linspace(0, n - 1, min(n, 32)).astype(np.int64))
    squares = np.empty(len(rows))

    def work(a: int, b: int) -> None:
        for k in range(a, b):
            squares[k] = kernels.least_square(x, y, z, *places[rows[k]])

    over(len(rows), work, chunk=8)
    found = squares[np.isfinite(squares)]
    return float(np.median(np.sqrt(found))) if len(found) else 0.0
