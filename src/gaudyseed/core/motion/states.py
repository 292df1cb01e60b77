"""The state of an emission at a frame, how it goes on to the next one, and where states are kept."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Any, Protocol

import numpy as np

from ..kernels import flying
from ..kernels.hashing import pcg3d
from ..kernels.parallel import over
from ..runtime.cache import ResultCache
from ..runtime.task import UNWATCHED, Task
from .births import Born
from .sources import Forces, Source

#: Told apart from other uses of the same seed.
_SALT = 0x464C5931
#: The root of the mean square of the curl, before it is brought to 1 (measured over a million places).
_STRENGTH = 1.2203


class StateStore(Protocol):
    """Where states are kept for all windows: the time cache."""

    def get(self, key: str) -> tuple[dict[str, Any], dict[str, np.ndarray]] | None:
        """What was told with a state, and its arrays; None where it is not kept."""

    def put(self, key: str, told: Mapping[str, Any], arrays: Mapping[str, np.ndarray]) -> None:
        """Keep a state."""

    def has(self, key: str) -> bool:
        """Whether a state is kept, without reading it."""


@dataclass(frozen=True)
class State:
    """All particles that live at a frame, in the order of their births, in the space of the scene.

    Attributes
    ----------
    numbers
        (n,) int32: which of its source each is.
    sources
        (n,) uint8.
    births
        (n,) float64: when each was born, in frames.
    lives, sizes
        (n,) float32: seconds that it lives, and its radius.
    places, velocities
        (3, n) float32, a row for each axis.
    birth_places, birth_normals, birth_uv
        (n, 3), (n, 3) and (n, 2) float32.
    corners, weights
        (n, 3) int32 and float32: the elements that it left, and how near it was to each; weights of 0 where it left no
        population.
    given
        How many each source has given so far.
    """

    numbers: np.ndarray
    sources: np.ndarray
    births: np.ndarray
    lives: np.ndarray
    sizes: np.ndarray
    places: np.ndarray
    velocities: np.ndarray
    birth_places: np.ndarray
    birth_normals: np.ndarray
    birth_uv: np.ndarray
    corners: np.ndarray
    weights: np.ndarray
    given: tuple[float, ...]

    @property
    def count(self) -> int:
        """How many live."""
        return len(self.numbers)

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return sum(array.nbytes for array in self.arrays.values())

    @property
    def arrays(self) -> dict[str, np.ndarray]:
        """All arrays by name."""
        return {f.name: getattr(self, f.name) for f in fields(self) if f.name != "given"}

    def taken(self, rows: np.ndarray) -> State:
        """Those of these rows only."""
        kept = {name: np.ascontiguousarray(a[..., rows] if name in _ROWS else a[rows])
                for name, a in self.arrays.items()}  # fmt: skip
        return State(**kept, given=self.given)

    def with_born(self, found: Sequence[tuple[int, Born]], given: tuple[float, ...]) -> tuple[State, np.ndarray]:
        """The state with those that were born, by source, and when, (m,) in frames: earlier ones first."""
        times = np.concatenate([b.times for _, b in found])
        order = np.argsort(times, kind="stable")

        def joined(of: str) -> np.ndarray:
            return np.concatenate([getattr(b, of) for _, b in found])[order]

        def left(of: str) -> np.ndarray:
            nothing = [np.zeros((len(b.numbers), 3), _LEFT[of]) for _, b in found]
            own = [getattr(b, of) for _, b in found]
            return np.concatenate([n if a is None else a for n, a in zip(nothing, own, strict=True)])[order]

        more = {
            "numbers": joined("numbers").astype(np.int32),
            "sources": np.repeat([k for k, _ in found], [len(b.numbers) for _, b in found]).astype(np.uint8)[order],
            "births": times[order], "lives": joined("lives"), "sizes": joined("sizes"),
            "places": joined("places").T, "velocities": joined("velocities").T, "birth_places": joined("places"),
            "birth_normals": joined("normals"), "birth_uv": joined("uv"), "corners": left("corners"),
            "weights": left("weights"),
        }  # fmt: skip
        whole = {
            name: np.concatenate([array, more[name]], axis=1 if name in _ROWS else 0)
            for name, array in self.arrays.items()
        }
        return State(**whole, given=given), times[order]


_ROWS = ("places", "velocities")
_LEFT = {"corners": np.int32, "weights": np.float32}


def nobody(sources: int) -> State:
    """The state before anything was born."""
    flat, three = np.zeros(0, np.float32), np.zeros((0, 3), np.float32)
    return State(
        np.zeros(0, np.int32), np.zeros(0, np.uint8), np.zeros(0), flat, flat, three.T.copy(), three.T.copy(), three,
        three, np.zeros((0, 2), np.float32), np.zeros((0, 3), np.int32), three, (0.0,) * sources,
    )  # fmt: skip


@dataclass(frozen=True)
class Acting:
    """What acts within a frame, as the kernel takes it: at its middle, in units and seconds.

    ``about`` and ``towards`` (3,): the points that orbit and attraction name.
    """

    sources: Sequence[Source]
    forces: Forces
    towards: np.ndarray
    about: np.ndarray
    seed: int

    def table(self) -> np.ndarray:
        """(s, 8) float32: a row for each source."""
        f = self.forces
        return np.array(
            [[f.gravity * s.feels.gravity, f.drag * s.feels.drag, *(w * s.feels.wind for w in f.wind),
              f.turbulence * s.feels.turbulence, f.attraction * s.feels.attraction,
              2 * np.pi * f.orbit * s.feels.orbit] for s in self.sources],
            np.float32,
        )  # fmt: skip

    def common(self) -> np.ndarray:
        """(13,) float32: what is the same for all."""
        f = self.forces
        axis = np.array(f.orbit_axis, np.float64)
        length = float(np.linalg.norm(axis))
        axis = axis / length if length > 0 else np.array([0.0, 0.0, 1.0])
        floor = f.floor_height if f.floor else flying.NO_FLOOR
        return np.array([*self.towards, f.attract_within, *self.about, *axis, floor, f.bounce, f.grip], np.float32)

    def octaves(self, seconds: float) -> tuple[np.ndarray, np.ndarray]:
        """(o, 5) float32 and (o, 3) uint32: scale, offset and gain of each octave of turbulence, and its words."""
        f = self.forces
        if not f.turbulence or not self.sources:
            return np.zeros((0, 5), np.float32), np.zeros((0, 3), np.uint32)
        gains = 0.5 ** np.arange(f.turbulence_octaves)
        gains = gains / (np.sqrt((gains**2).sum()) * _STRENGTH)
        rows, words = [], []
        for octave, gain in enumerate(gains):
            scale = 2.0**octave / f.turbulence_size
            starts = [float(x) * 2.0**-32 for x in pcg3d(np.uint32(self.seed), np.uint32(octave), np.uint32(_SALT + 1))]
            at = [start - scale * flow * seconds for start, flow in zip(starts, f.turbulence_flow, strict=True)]
            # Lattices are the same beyond every whole number of cells, so only the part that is left is needed.
            wholes = [int(np.floor(a)) for a in at]
            own = pcg3d(np.uint32(self.seed), np.uint32(octave), np.uint32(_SALT))
            words.append([(int(w) + k) % 2**32 for w, k in zip(own, wholes, strict=True)])
            rows.append([scale, *(a - k for a, k in zip(at, wholes, strict=True)), gain])
        return np.array(rows, np.float32), np.array(words, np.uint32)


def flown(
    state: State, newborn: np.ndarray, acting: Sequence[Acting], frame: int, rate: float, task: Task = UNWATCHED
) -> State:
    """The state a frame on: ``acting`` for each of its substeps, in turn.

    Parameters
    ----------
    newborn
        (m,) float64: when the last m were born, in frames, in order: each flies from then on.
    frame
        At whose end it is.

    Returns
    -------
    A state with places and velocities of its own; those whose life is over are gone.
    """
    places, velocities = state.places.copy(), state.velocities.copy()
    old, substeps = state.count - len(newborn), len(acting)
    edges = frame - 1 + np.arange(substeps + 1) / substeps
    #: Those that are there when a substep begins, and when it ends.
    there = old + np.searchsorted(newborn, edges, side="right")
    there[0], there[-1] = old, state.count
    whole = 1 / (rate * substeps)
    for k, now in enumerate(acting):
        first, last = int(there[k]), int(there[k + 1])
        steps = np.full(last, whole, np.float32)
        steps[first:] = (edges[k + 1] - newborn[first - old : last - old]) / rate
        table, common = now.table(), now.common()
        octaves, words = now.octaves((edges[k] + edges[k + 1]) / (2 * rate))
        over(last, lambda a, b, s=steps, t=table, c=common, o=octaves, w=words: flying.advance(  # type: ignore[misc]
            places, velocities, state.sources, s, t, c, o, w, a, b), task)  # fmt: skip
    alive = (frame - state.births) / rate < state.lives
    moved = State(**{**state.arrays, "places": places, "velocities": velocities}, given=state.given)
    return moved if alive.all() else moved.taken(np.flatnonzero(alive))


#: States that were worked out lately, for those that go on from them.
_lately = ResultCache(192 * 1024 * 1024, grows=2)


#: Bytes of the state of one particle.
A_PARTICLE = sum(a.itemsize * int(np.prod([n for n in a.shape if n])) for a in nobody(1).arrays.values())


def is_kept(key: str, store: StateStore | None) -> bool:
    """Whether memory or the store has the state of that key."""
    return _lately.get(key) is not None or (store is not None and store.has(key))


def kept(key: str, store: StateStore | None) -> State | None:
    """The state of that key, from memory or the store; None where neither has it."""
    found: State | None = _lately.get(key)
    if found is None and store is not None:
        held = store.get(key)
        if held is not None and set(held[1]) == set(nobody(0).arrays):
            found = State(**held[1], given=tuple(held[0].get("given", ())))
            _lately.put(key, found, found.nbytes)
    return found


def keep(key: str, state: State, store: StateStore | None) -> None:
    """Keep a state in memory, and in the store where there is one."""
    _lately.put(key, state, state.nbytes)
    if store is not None:
        store.put(key, {"given": list(state.given)}, state.arrays)
