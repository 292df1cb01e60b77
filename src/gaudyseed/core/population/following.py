"""Where each point of a trail was left: by which particle, at which frame, between which of its states."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..digest import digest_of
from ..kernels import trailing as kernels
from ..kernels.parallel import over
from ..motion.trailing import Between

#: Values of so many particles of several states are held at once.
_MOST_ROWS = 4_000_000


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
    between
        Which two of these states each point lies between.
    """

    of: str
    states: str
    frames: np.ndarray
    between: Between

    @cached_property
    def digest(self) -> str:
        """Content digest."""
        return digest_of("following", self.of, self.states, self.frames, *self.between.arrays)

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return sum(array.nbytes for array in self.between.arrays)

    @property
    def last(self) -> np.ndarray:
        """(n,) int32: the row of each point's particle in the state of the last frame; -1 where it is gone."""
        return self.between.last

    def taken(self, rows: np.ndarray) -> Following:
        """That of these points only."""
        return replace(self, between=self.between.taken(rows))

    def then(self, values: Callable[[int], np.ndarray], width: int) -> np.ndarray:
        """(n,) or (n, w) float32: what the particles had where the points were left, mixed straight between states.

        ``values(frame)`` gives those of a frame's state, (m,) or (m, w); it is asked for each frame once, in order.
        """
        lying = self.between
        out = np.empty((len(lying.at), width), np.float32)
        held: list[np.ndarray] = []
        first, last = 0, len(self.frames) - 1
        for k, frame in enumerate(self.frames):
            held.append(np.ascontiguousarray(values(int(frame)), np.float32).reshape(-1, width))
            if k < last and (len(held) < 2 or sum(map(len, held)) < _MOST_ROWS):
                continue
            # Of points that lie before this frame; with the last one of all that are left.
            until = k + 1 if k == last else k
            starts, every = np.cumsum([0, *map(len, held)]), np.concatenate(held)
            where = (*lying.arrays[:5], starts[:-1].astype(np.int64), first, until)
            over(len(out), lambda a, b, w=where, e=every: kernels.mixed(*w, e, out, a, b))  # type: ignore[misc]
            held, first = held[-1:], k
        return out[:, 0] if width == 1 else out

    def now(self, values: np.ndarray, otherwise: np.ndarray) -> np.ndarray:
        """(n,) or (n, w) float32: what the particles have at the last frame; of those that are gone ``otherwise``."""
        gone = self.last < 0
        if not len(values):
            return otherwise
        found = values[np.maximum(self.last, 0)].astype(np.float32)
        found[gone] = otherwise[gone]
        return found
