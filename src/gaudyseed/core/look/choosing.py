"""Which of several things, shapes or finishes, each element gets, by a number and by weights."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from ..errors import BadInput

Choose = Literal["share", "number", "blend"]


def chosen(values: np.ndarray, weights: Sequence[float], by: Choose) -> np.ndarray:
    """(n,) float32: the number of what each element gets, from 0 on.

    Parameters
    ----------
    values
        (n,) float32. By ``share`` 0 to 1 falls into bands as wide as the weights; by ``number`` the nearest whole
        number picks, and what lies beyond picks the nearer end; by ``blend`` 0 to 1 goes from the first to the last,
        also between them.

    >>> chosen(np.array([0.1, 0.5, 0.9], np.float32), (1, 1, 2), "share").tolist()
    [0.0, 2.0, 2.0]
    >>> chosen(np.array([-1, 1.6, 40], np.float32), (1, 1, 1), "number").tolist()
    [0.0, 2.0, 2.0]
    >>> chosen(np.array([0.25], np.float32), (1, 1), "blend").tolist()
    [0.25]
    """
    last = np.float32(len(weights) - 1)
    if by == "blend":
        return np.clip(values, 0, 1).astype(np.float32) * last
    if by == "number":
        return np.clip(np.rint(values), 0, last).astype(np.float32)
    given = np.array(weights, np.float64)
    edges = np.cumsum(given / given.sum())[:-1]
    found = np.searchsorted(edges, np.clip(values, 0, 1).astype(np.float64), side="right")
    # The greatest value belongs to the last that has a weight at all.
    return np.minimum(found, np.flatnonzero(given).max()).astype(np.float32)


def weights_of(values: np.ndarray, shares: Sequence[float]) -> list[float]:
    """The weights by which elements with these values fall into parts of these sizes; their sum is 1.

    BadInput where the shares are none.
    """
    wanted = np.array(shares, np.float64)
    if not len(wanted) or not np.isfinite(wanted).all() or (wanted < 0).any() or wanted.sum() <= 0:
        raise BadInput("Shares are numbers of at least 0 that are not all 0.", place="shares")
    ends = np.cumsum(wanted / wanted.sum())[:-1]
    ordered = np.sort(np.clip(values, 0, 1).astype(np.float64))
    count = len(ordered)
    edges = []
    for end in ends:
        at = round(end * count)
        below = ordered[at - 1] if at > 0 else 0.0
        above = ordered[at] if at < count else 1.0
        edges.append(0.0 if at == 0 else 1.0 if at == count else (below + above) / 2)
    found: list[float] = np.diff([0.0, *edges, 1.0]).clip(0).tolist()
    return found


def between(table: np.ndarray, at: np.ndarray) -> np.ndarray:
    """(n, k) float32: rows of a table (m, k), mixed where ``at`` (n,) lies between two."""
    low = np.floor(at).astype(np.intp)
    high = np.minimum(low + 1, len(table) - 1)
    part = (at - low).astype(np.float32)[:, None]
    mixed: np.ndarray = table[low] * (1 - part) + table[high] * part
    return mixed.astype(np.float32)
