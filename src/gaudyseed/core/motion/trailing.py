"""The points of trails out of the states of particles, known by their ids."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

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

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return sum(array.nbytes for array in vars(self).values() if isinstance(array, np.ndarray))


@dataclass(frozen=True)
class Between:
    """Of each point of trails the two states of its particle that it lies between.

    Attributes
    ----------
    low, high
        (n,) int32: the rows of the particle, each counted in its own state.
    at
        (n,) int32: which of the frames that are met the earlier state is of; the later one is of the next.
    part
        (n,) float32: how far from the earlier one to the later one.
    same
        (n,) bool: whether both are one state.
    last
        (n,) int32: the row of the particle in the state of the last frame; -1 where it is gone.
    """

    low: np.ndarray
    high: np.ndarray
    at: np.ndarray
    part: np.ndarray
    same: np.ndarray
    last: np.ndarray

    @property
    def arrays(self) -> tuple[np.ndarray, ...]:
        """All six."""
        return self.low, self.high, self.at, self.part, self.same, self.last

    def taken(self, rows: np.ndarray) -> Between:
        """That of these points only."""
        return Between(*(array[rows] for array in self.arrays))


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
    between
        The states that each point lies between.
    """

    starts: np.ndarray
    ids: np.ndarray
    fading: np.ndarray
    places: np.ndarray
    frames: np.ndarray
    sizes: np.ndarray
    sizes_now: np.ndarray
    between: Between


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
    left = _left(seen, there, since, faded)
    counts = np.zeros(len(every), np.int64)
    for trails, rows in zip(there, left, strict=True):
        over(len(trails), lambda a, b, t=trails, r=rows: kernels.count(t, *r, points, counts, a, b))  # type: ignore[misc]
    kept = np.flatnonzero(counts)
    starts = np.concatenate([[0], np.cumsum(counts[kept])]).astype(np.int64)
    first = np.zeros(len(every), np.int64)
    first[kept] = starts[:-1]
    laid = _laid(seen, there, left, first, int(starts[-1]), rate, points)
    newest, now = (np.repeat(of[kept], counts[kept]) for of in _newest(seen, there, len(every), last))
    between = Between(last=newest, **{name: laid.pop(name) for name in ("low", "high", "at", "part", "same")})
    return Trailed(starts, every[kept].astype(np.int32), faded[kept].astype(np.float32), **laid, sizes_now=now,
                   between=between)  # fmt: skip


#: Of the rows of a frame: whether each leaves points, whether its birth is one, and its row in the frame before or -1.
_Left = tuple[np.ndarray, np.ndarray, np.ndarray]


def _left(seen: Sequence[Seen], there: list[np.ndarray], since: np.ndarray, faded: np.ndarray) -> list[_Left]:
    """What the rows of each frame leave."""
    found: list[_Left] = []
    row_before = np.full(len(since), -1, np.int32)
    for s, trails in zip(seen, there, strict=True):
        wanted = (s.frame >= since[trails]) & (faded[trails] < 1)
        before = row_before[trails]
        begins = np.zeros(len(trails), bool)
        if s.births is not None and s.birth_places is not None:
            begins = (before < 0) & (s.births > s.frame - 1) & (s.births < s.frame) & (s.births >= since[trails])
        found.append((wanted, begins, before))
        row_before[:] = -1
        row_before[trails] = np.arange(len(trails), dtype=np.int32)
    return found


#: Points of so many trails are laid before those of others.
_TRAILS = 1024


def _laid(seen: Sequence[Seen], there: list[np.ndarray], left: list[_Left], first: np.ndarray, total: int, rate: float,
          points: int) -> dict[str, np.ndarray]:  # fmt: skip
    """All points, trail after trail; ``first`` (t,) is where each trail begins."""
    out: dict[str, np.ndarray] = {
        "places": np.empty((total, 3), np.float32), "frames": np.empty(total, np.float32),
        "sizes": np.empty(total, np.float32), "low": np.empty(total, np.int32), "high": np.empty(total, np.int32),
        "at": np.empty(total, np.int32), "part": np.empty(total, np.float32), "same": np.empty(total, np.bool_),
    }  # fmt: skip
    steps = []
    before = seen[0] if seen else None
    for k, (s, trails, rows) in enumerate(zip(seen, there, left, strict=True)):
        a = before or s
        moving = a.velocities is not None and s.velocities is not None
        given = (s.places, _or_none(s.velocities, s.places), s.sizes, s.rows, _or_none(s.birth_places, s.places),
                 _or_none(s.births, s.sizes), a.places, _or_none(a.velocities, a.places), a.sizes, a.rows)  # fmt: skip
        step = (k, s.frame, a.frame, (s.frame - a.frame) / rate, moving)
        steps.append((trails, rows, step, given))
        before = s
    blocks = -(-len(first) // _TRAILS)
    ordered = [_by_block(trails, blocks) for trails in there]

    def lay(start: int, stop: int) -> None:
        # Some trails after others: each frame for itself would write a little of all of them, far apart in memory.
        for block in range(start, stop):
            for (trails, rows, step, given), (order, edge) in zip(steps, ordered, strict=True):
                kernels.lay(order, trails, *rows, points, first, edge[block], edge[block + 1], *step, *given,
                            *out.values())  # fmt: skip

    over(blocks, lay, chunk=1)
    return out


def _by_block(trails: np.ndarray, blocks: int) -> tuple[np.ndarray, list[int]]:
    """The rows (m,) of a frame by the blocks of their trails, and where each block begins and the last one ends."""
    # Whole numbers of sixteen bits are sorted by their digits, ten times as fast as others.
    of = trails // _TRAILS
    of = of.astype(np.uint16) if blocks <= 2**16 else of
    order = np.argsort(of, kind="stable").astype(np.int32)
    return order, np.concatenate([[0], np.cumsum(np.bincount(of, minlength=blocks))]).tolist()


def _or_none(values: np.ndarray | None, like: np.ndarray) -> np.ndarray:
    """The values, or where there are none an array that is never read."""
    return like if values is None else np.ascontiguousarray(values, np.float32)


def _newest(seen: Sequence[Seen], there: list[np.ndarray], trails: int, last: int) -> tuple[np.ndarray, np.ndarray]:
    """(t,) int32 and float32 of the trails: the particle's row at the last frame, or -1, and its newest size."""
    newest, now = np.full(trails, -1, np.int32), np.zeros(trails, np.float32)
    for s, of in zip(seen, there, strict=True):
        now[of] = s.sizes
        if s.frame == last:
            newest[of] = s.rows
    return newest, now


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
