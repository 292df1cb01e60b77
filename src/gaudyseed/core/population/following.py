"""Where each point of a trail was left: by which particle, at which frame, between which of its states."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..digest import digest_of


@dataclass(frozen=True)
class Following:
    """The states of another population that points were left between.

    Attributes
    ----------
    of
        The id of that population.
    states
        Names all its states by content.
    frames
        (f,) int64, rising: those whose states are met.
    low, high
        (n,) int32: the rows of the two states that a point lies between, each counted in its own state.
    at
        (n,) int32: of the earlier one the place in ``frames``; the later one is the next, or the same where ``high``
        is the same row.
    part
        (n,) float32: how far from the earlier one to the later one.
    last
        (n,) int32: the row of the particle in the state of the last frame; -1 where it is gone.
    same
        (n,) bool: whether both are one state.
    """

    of: str
    states: str
    frames: np.ndarray
    low: np.ndarray
    high: np.ndarray
    at: np.ndarray
    part: np.ndarray
    same: np.ndarray
    last: np.ndarray

    @cached_property
    def digest(self) -> str:
        """Content digest."""
        return digest_of(
            "following", self.of, self.states, self.frames, self.low, self.high, self.at, self.part, self.last
        )

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return sum(a.nbytes for a in (self.low, self.high, self.at, self.part, self.same, self.last))

    def taken(self, rows: np.ndarray) -> Following:
        """That of these points only."""
        kept = {n: getattr(self, n)[rows] for n in ("low", "high", "at", "part", "same", "last")}
        return Following(self.of, self.states, self.frames, **kept)

    def then(self, values: Callable[[int], np.ndarray], width: int) -> np.ndarray:
        """(n,) or (n, w) float32: what the particles had where the points were left, mixed straight between states.

        ``values(frame)`` gives those of a frame's state, (m,) or (m, w); it is asked for each frame once, in order.
        """
        out = np.zeros((len(self.at),) if width == 1 else (len(self.at), width), np.float32)
        order = np.argsort(self.at, kind="stable")
        edges = np.searchsorted(self.at[order], np.arange(len(self.frames) + 1))
        early = values(int(self.frames[0])) if len(self.frames) else out
        for k in range(len(self.frames)):
            late = values(int(self.frames[k + 1])) if k + 1 < len(self.frames) else early
            rows = order[edges[k] : edges[k + 1]]
            same = rows[self.same[rows]]
            out[same] = early[self.low[same]]
            between = rows[~self.same[rows]]
            part = self.part[between].reshape(-1, *[1] * (out.ndim - 1))
            a, b = early[self.low[between]], late[self.high[between]]
            out[between] = a + part * (b - a)
            early = late
        return out

    def now(self, values: np.ndarray, otherwise: np.ndarray) -> np.ndarray:
        """(n,) or (n, w) float32: what the particles have at the last frame; of those that are gone ``otherwise``."""
        gone = self.last < 0
        if not len(values):
            return otherwise
        found = values[np.maximum(self.last, 0)].astype(np.float32)
        found[gone] = otherwise[gone]
        return found
