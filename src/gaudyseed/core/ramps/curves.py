"""Curves through points of the unit square, as piecewise cubics."""

from __future__ import annotations

import numpy as np

from ..kernels import curves as kernels

#: Straight pieces that a Bezier curve is laid out in, between two points.
PIECES = 256


def coefficients(knots: np.ndarray, heights: np.ndarray, slopes: np.ndarray | None) -> np.ndarray:
    """(k + 1, 5) rows for ``kernels.shaping.cubics``: constant ends, cubic Hermite between.

    ``slopes`` (k,) at the knots; None joins them straight.
    """
    rows = np.zeros((len(knots) + 1, 5))
    rows[1:, 4] = knots
    rows[0, 0], rows[-1, 0] = heights[0], heights[-1]
    if len(knots) < 2:
        return rows.astype(np.float32)
    width, rise = np.diff(knots), np.diff(heights)
    secant = rise / width
    inner = rows[1:-1]
    inner[:, 0] = heights[:-1]
    if slopes is None:
        inner[:, 1] = secant
    else:
        start, end = slopes[:-1], slopes[1:]
        inner[:, 1] = start
        inner[:, 2] = (3 * secant - 2 * start - end) / width
        inner[:, 3] = (start + end - 2 * secant) / width**2
    return rows.astype(np.float32)


def monotone_slopes(knots: np.ndarray, heights: np.ndarray) -> np.ndarray:
    """(k,) float64 slopes that keep each piece monotone; see ``kernels.curves.monotone_slope``."""
    return np.array([kernels.monotone_slope(knots, heights, k) for k in range(len(knots))])


def bezier_polyline(points: np.ndarray, left: np.ndarray, right: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Knots and heights of cubic Bezier pieces between points.

    Parameters
    ----------
    points, left, right
        (k, 2): the points, and their handles relative to them. Handles are kept
        within their piece, so that the curve stays a function of x.
    """
    knots, heights = [points[:1, 0]], [points[:1, 1]]
    t = (np.arange(1, PIECES + 1) / PIECES)[:, None]
    for k in range(len(points) - 1):
        start, end = points[k], points[k + 1]
        width = end[0] - start[0]
        one = start + np.array([np.clip(right[k, 0], 0, width), right[k, 1]])
        two = end + np.array([np.clip(left[k + 1, 0], -width, 0), left[k + 1, 1]])
        place = (1 - t) ** 3 * start + 3 * (1 - t) ** 2 * t * one + 3 * (1 - t) * t**2 * two + t**3 * end
        knots.append(place[:, 0])
        heights.append(place[:, 1])
    return np.concatenate(knots), np.concatenate(heights)
