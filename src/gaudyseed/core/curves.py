"""Curves through points of the unit square, as piecewise cubics."""

from __future__ import annotations

import numpy as np

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
    """Slopes that keep each piece monotone.

    The condition of Fritsch and Carlson 1980 ("Monotone Piecewise Cubic
    Interpolation"), met by the weighted harmonic mean of Fritsch and Butland 1984,
    with three-point ends.
    """
    if len(knots) < 2:
        return np.zeros(len(knots))
    width = np.diff(knots)
    secant = np.diff(heights) / width
    if len(knots) == 2:
        return np.repeat(secant, 2)
    slopes = np.zeros(len(knots))
    left, right = 2 * width[1:] + width[:-1], width[1:] + 2 * width[:-1]
    same = secant[:-1] * secant[1:] > 0
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = (left + right) / (left / secant[:-1] + right / secant[1:])
    slopes[1:-1] = np.where(same, mean, 0)
    slopes[0] = _end_slope(width[0], width[1], secant[0], secant[1])
    slopes[-1] = _end_slope(width[-1], width[-2], secant[-1], secant[-2])
    return slopes


def _end_slope(near: float, far: float, secant: float, other: float) -> float:
    slope = ((2 * near + far) * secant - near * other) / (near + far)
    if np.sign(slope) != np.sign(secant):
        return 0.0
    if np.sign(secant) != np.sign(other) and abs(slope) > 3 * abs(secant):
        return float(3 * secant)
    return float(slope)


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
