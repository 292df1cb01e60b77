"""Tubes around curves: rings of vertices from end to end, closed by half balls or flat."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..errors import BadInput
from ..kernels import sweeping
from ..kernels.parallel import over

#: Vertices that tubes may have together.
MOST_VERTICES = 20_000_000
#: Curves that one worker has at a time.
_CHUNK = 256


class Tubes(NamedTuple):
    """The vertices of tubes, tube after tube and ring after ring.

    ``rows`` (m,) int64 is the point of the curve that each vertex belongs to, ``places`` and ``normals`` (m, 3)
    float32, and ``triangles`` (t, 3) int32, counter-clockwise as seen from outside.
    """

    rows: np.ndarray
    places: np.ndarray
    normals: np.ndarray
    triangles: np.ndarray


class _Rings(NamedTuple):
    """Of each ring: its point (r,), how far it is moved along and its size, in radii, how far its normals lean forward
    in radians, and whether a tube ends with it."""

    points: np.ndarray
    moved: np.ndarray
    sized: np.ndarray
    leaning: np.ndarray
    ends: np.ndarray


def across(places: np.ndarray, ways: np.ndarray, starts: np.ndarray) -> np.ndarray:
    """(n, 3) float32: at each point a unit vector square to its way; along its curve it turns as little as can be."""
    out = np.empty_like(places)
    over(len(starts) - 1, lambda a, b: sweeping.across(places, ways, starts, a, b, out), chunk=_CHUNK)
    return out


def caps(sides: int, rounded: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(e,) each, of the rings that close a tube, from the tip to its first ring: moved, sized and leaning.

    >>> [part.tolist() for part in caps(8, False)[:2]]
    [[0.0, 0.0], [0.0, 1.0]]
    """
    if not rounded:
        # The rim twice: its normals along the tube here, and outwards in the ring that follows.
        return np.zeros(2), np.array([0.0, 1.0]), np.full(2, np.pi / 2)
    leaning = np.linspace(np.pi / 2, 0, max(2, sides // 4), endpoint=False)
    sized = np.cos(leaning)
    sized[0] = 0.0
    return np.sin(leaning), sized, leaning


def tubes(
    places: np.ndarray, ways: np.ndarray, widths: np.ndarray, starts: np.ndarray, sides: int, rounded: bool
) -> Tubes:
    """Tubes around curves.

    Parameters
    ----------
    places, ways
        (n, 3) float32: the points of the curves, one curve after another, and the unit vectors along them.
    widths
        (n,) float32: how thick the tube is at each point.
    starts
        (c + 1,) int64: where each curve begins.
    sides, rounded
        How many vertices a ring has, and whether ends are half balls.

    Raises BadInput where there would be more than ``MOST_VERTICES``.

    Examples
    --------
    >>> line = np.array([[0, 0, 0], [0, 0, 1]], np.float32)
    >>> up = np.array([[0, 0, 1]] * 2, np.float32)
    >>> made = tubes(line, up, np.ones(2, np.float32), np.array([0, 2]), 4, rounded=False)
    >>> made.places.shape, made.triangles.shape
    ((24, 3), (16, 3))
    """
    rings = _rings(starts, sides, rounded)
    many = len(rings.points) * sides
    if many > MOST_VERTICES:
        raise BadInput(
            f"Tubes of {sides} sides would have {many:,} vertices; at most {MOST_VERTICES:,} are made. Take fewer "
            "sides or points, or one curve in several.", place="maker.sides", code="too_many",
        )  # fmt: skip
    first = across(places, ways, starts)
    second = np.cross(ways, first).astype(np.float32)
    angles = 2 * np.pi * np.arange(sides) / sides
    cosines, sines = (f(angles).astype(np.float32)[None, :, None] for f in (np.cos, np.sin))
    at = rings.points
    out = cosines * first[at][:, None] + sines * second[at][:, None]
    way = ways[at][:, None]
    radii = (widths[at] / 2)[:, None, None]
    lean = rings.leaning[:, None, None]
    made = places[at][:, None] + radii * (rings.sized[:, None, None] * out + rings.moved[:, None, None] * way)
    normals = np.cos(lean) * out + np.sin(lean) * way
    return Tubes(np.repeat(at, sides), made.astype(np.float32).reshape(-1, 3),
                 normals.astype(np.float32).reshape(-1, 3), _sides(rings, sides))  # fmt: skip


def _rings(starts: np.ndarray, sides: int, rounded: bool) -> _Rings:
    """The rings of all tubes in turn: those that close each at its root, one for each point, those at its tip."""
    moved, sized, leaning = caps(sides, rounded)
    more, sizes = len(moved), np.diff(starts)
    counts = sizes + 2 * more
    ends = np.cumsum(counts)
    curve = np.repeat(np.arange(len(sizes)), counts)
    j = np.arange(int(ends[-1]) if len(ends) else 0) - (ends - counts)[curve]
    body = sizes[curve]
    points = starts[:-1][curve] + np.clip(j - more, 0, body - 1)
    # Of a ring of a cap its number from the tip; the tables have a last row for all others.
    cap = np.minimum(np.minimum(j, counts[curve] - 1 - j), more)
    sign = np.where(j < more, np.float32(-1), np.float32(1))
    moves, sizes_of, leans = (
        np.append(t, last).astype(np.float32) for t, last in ((moved, 0), (sized, 1), (leaning, 0))
    )
    return _Rings(points, sign * moves[cap], sizes_of[cap], sign * leans[cap], j == counts[curve] - 1)


def _sides(rings: _Rings, sides: int) -> np.ndarray:
    """(t, 3) int32: two triangles from each side of a ring to the next, one where either ring is a point."""
    low = np.flatnonzero(~rings.ends)
    k = np.arange(sides)
    a, b = low[:, None] * sides + k, low[:, None] * sides + (k + 1) % sides
    c, d = a + sides, b + sides
    tip, root = rings.sized[low + 1] == 0, rings.sized[low] == 0
    # Between the two rims of a flat end lies nothing.
    rim = (rings.leaning[low] != rings.leaning[low + 1]) & (rings.moved[low] == rings.moved[low + 1])
    rim &= ~tip & ~root
    upper = np.stack([a, b, d], -1)[~root & ~rim]
    lower = np.stack([a, d, c], -1)[~tip & ~rim]
    return np.concatenate([upper.reshape(-1, 3), lower.reshape(-1, 3)]).astype(np.int32)
