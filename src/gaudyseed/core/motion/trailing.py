"""The points of trails out of the states of particles, known by their ids."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..kernels import trailing as kernels
from ..kernels.parallel import over


@dataclass(frozen=True)
class Seen:
    """The particles of a frame that leave trails: ids (m,), rows in their state (m,), places and velocities (m, 3),
    sizes (m,), and where and at which frame each was born, where that is known."""

    frame: int
    ids: np.ndarray
    rows: np.ndarray
    places: np.ndarray
    velocities: np.ndarray | None
    sizes: np.ndarray
    birth_places: np.ndarray | None
    births: np.ndarray | None


@dataclass(frozen=True)
class Trailed:
    """Points of trails, trail after trail, each from the oldest to the head.

    Attributes
    ----------
    starts
        (t + 1,) int64: where each trail begins.
    ids, fading
        (t,) of the trails: the particle's id, and 0 while it lives to 1 once its trail is to go.
    places, frames, sizes, sizes_now
        (n, 3) and (n,) float32 of the points: where, when, and how large the particle was then, and is now.
    low, high, at, part, same, last
        As in ``Following``.
    """

    starts: np.ndarray
    ids: np.ndarray
    fading: np.ndarray
    places: np.ndarray
    frames: np.ndarray
    sizes: np.ndarray
    sizes_now: np.ndarray
    low: np.ndarray
    high: np.ndarray
    at: np.ndarray
    part: np.ndarray
    same: np.ndarray
    last: np.ndarray


class _Points:
    """Points as they are found, in any order of trails but each trail's in order of time."""

    def __init__(self, trails: int) -> None:
        self.counts = np.zeros(trails, np.int64)
        self.found: list[tuple[Any, ...]] = []

    def add(self, trails: np.ndarray, places: np.ndarray, frames: np.ndarray, sizes: np.ndarray, low: np.ndarray,
            high: np.ndarray, at: int, part: float, same: bool) -> None:  # fmt: skip
        """A point for each of these trails, which are all different."""
        many = len(trails)
        if not many:
            return
        self.found.append((
            trails, self.counts[trails], np.ascontiguousarray(places, np.float32), np.asarray(frames, np.float32),
            np.ascontiguousarray(sizes), low, high, at, part, same,
        ))  # fmt: skip
        self.counts[trails] += 1


def trailed(seen: Sequence[Seen], rate: float, points: int, last: int, back: int, gone: str, fading: int) -> Trailed:
    """The trails that particles left over frames, which follow each other.

    Between two frames points lie on the cubic curve through both places with both velocities (Hermite); without
    velocities on the straight line. A trail begins at the birth where that is known.
    """
    every, there = _numbered([s.ids for s in seen])
    ends = np.full(len(every), -1, np.int64)
    for s, trails in zip(seen, there, strict=True):
        ends[trails] = s.frame
    # A trail reaches back from the last frame, or from the particle's own where it does not go with the time.
    since = (np.full(len(every), last) if gone == "drawn_in" else ends) - back
    faded = np.clip((last - ends) / fading, 0, 1) if gone == "fades" else np.zeros(len(every))
    found = _Points(len(every))
    row_before = np.full(len(every), -1, np.int64)
    before: Seen | None = None
    for k, (s, trails) in enumerate(zip(seen, there, strict=True)):
        wanted = (s.frame >= since[trails]) & (faded[trails] < 1)
        rows = np.flatnonzero(wanted)
        of = trails[rows]
        old = row_before[of] if before is not None else np.full(len(of), -1)
        known = old >= 0
        if s.births is not None and s.birth_places is not None:
            new = rows[
                ~known & (s.births[rows] > s.frame - 1) & (s.births[rows] < s.frame) & (s.births[rows] >= since[of])
            ]
            found.add(
                trails[new], s.birth_places[new], s.births[new], s.sizes[new], s.rows[new], s.rows[new], k, 0, True
            )
        if before is not None and points > 1:
            _between(found, before, s, of[known], old[known], rows[known], k, rate, points)
        found.add(
            of, s.places[rows], np.full(len(rows), s.frame), s.sizes[rows], s.rows[rows], s.rows[rows], k, 0, True
        )
        row_before[:] = -1
        row_before[trails] = np.arange(len(trails))
        before = s
    return _joined(found, every, faded, seen, there, last)


#: Ids are looked up in tables of so many at a time.
_BLOCK = 2**18


def _numbered(ids: list[np.ndarray]) -> tuple[np.ndarray, list[np.ndarray]]:
    """(t,) all ids, rising, and of each list the places of its ids among them.

    By tables for those blocks of numbers in which there are any: several times as fast as sorting and searching.
    """
    largest = max((int(i.max(initial=0)) for i in ids), default=0)
    if largest >= 2**31 or any(len(i) and int(i.min()) < 0 for i in ids):
        every = np.unique(np.concatenate(ids))
        return every, [np.searchsorted(every, i) for i in ids]
    used = np.zeros(largest // _BLOCK + 1, bool)
    for i in ids:
        used[i // _BLOCK] = True
    blocks = np.flatnonzero(used)
    first = np.zeros(len(used), np.int64)
    first[blocks] = np.arange(len(blocks)) * _BLOCK
    places = [first[i // _BLOCK] + i % _BLOCK for i in ids]
    known = np.zeros(len(blocks) * _BLOCK, bool)
    for p in places:
        known[p] = True
    at = np.flatnonzero(known)
    number = np.zeros(len(known), np.int64)
    number[at] = np.arange(len(at))
    return blocks[at // _BLOCK] * _BLOCK + at % _BLOCK, [number[p] for p in places]


def _between(found: _Points, a: Seen, b: Seen, trails: np.ndarray, old: np.ndarray, new: np.ndarray, k: int,
             rate: float, points: int) -> None:  # fmt: skip
    """The points between two frames of those that are there at both."""
    steps = b.frame - a.frame
    for j in range(1, points):
        t = j / points
        places = a.places[old] + np.float32(t) * (b.places[new] - a.places[old])
        if a.velocities is not None and b.velocities is not None:
            span = steps / rate
            h00, h01 = 2 * t**3 - 3 * t**2 + 1, 3 * t**2 - 2 * t**3
            h10, h11 = t**3 - 2 * t**2 + t, t**3 - t**2
            places = (h00 * a.places[old] + h01 * b.places[new]
                      + span * (h10 * a.velocities[old] + h11 * b.velocities[new])).astype(np.float32)  # fmt: skip
        sizes = a.sizes[old] + np.float32(t) * (b.sizes[new] - a.sizes[old])
        frames = np.full(len(trails), a.frame + t * steps)
        found.add(trails, places, frames, sizes, a.rows[old], b.rows[new], k - 1, t, False)


def _joined(found: _Points, every: np.ndarray, faded: np.ndarray, seen: Sequence[Seen], there: list[np.ndarray],
            last: int) -> Trailed:  # fmt: skip
    """All points, trail after trail."""
    kept = np.flatnonzero(found.counts)
    starts = np.concatenate([[0], np.cumsum(found.counts[kept])]).astype(np.int64)
    total = int(starts[-1])
    first = np.zeros(len(every), np.int64)
    first[kept] = starts[:-1]
    out: dict[str, np.ndarray] = {
        "places": np.empty((total, 3), np.float32), "frames": np.empty(total, np.float32),
        "sizes": np.empty(total, np.float32), "low": np.empty(total, np.int32), "high": np.empty(total, np.int32),
        "at": np.empty(total, np.int32), "part": np.empty(total, np.float32), "same": np.empty(total, np.bool_),
    }  # fmt: skip
    for trails, slots, *values in found.found:
        where = first[trails] + slots
        over(len(where), lambda a, b, w=where, v=values: kernels.lay(w, *v, a, b, *out.values()))  # type: ignore[misc]
    newest = np.full(len(every), -1, np.int32)
    now = np.zeros(len(every), np.float32)
    for s, trails in zip(seen, there, strict=True):
        now[trails] = s.sizes
        if s.frame == last:
            newest[trails] = s.rows
    of = np.repeat(kept, found.counts[kept])
    return Trailed(starts, every[kept].astype(np.int32), faded[kept].astype(np.float32), sizes_now=now[of],
                   last=newest[of], **out)  # fmt: skip
