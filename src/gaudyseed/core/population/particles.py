"""Populations of kind particles: points of a moment, with what each was born with, owned by their sources."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from ..kernels.parallel import over
from ..motion.states import State
from ..runtime.buffers import empty
from ..scene.timeline import Moment
from .attribute import Attribute, Field
from .elements import Elements, Owners
from .forms import POINTS
from .population import Population, Standing

#: Ids of a source begin at its number times this; a source gives fewer.
A_SOURCE = 2**27
#: The level above particles, and the attribute that tells its rows apart.
SOURCE = "source"


def ids_of(numbers: np.ndarray, sources: np.ndarray) -> np.ndarray:
    """(n,) int32: the ids of particles, by source and number; they never change."""
    return (sources.astype(np.int64) * A_SOURCE + numbers).astype(np.int32)


def of_state(state: State, names: Sequence[str], moment: Moment, left: Sequence[str | None] = ()) -> Population:
    """The population of a state.

    Parameters
    ----------
    names
        Of the sources, in turn.
    left
        The population that the particles of each source left, by its id; None where they left none.
    """
    places, velocities = _rows(state.places), _rows(state.velocities)
    age = np.maximum((moment.frame - state.births) / moment.rate, 0).astype(np.float32)
    ids = ids_of(state.numbers, state.sources)
    table = [
        Attribute("id", "integer", ids, fields=(Field("id", "<i4"),)),
        _vector("position", places, "x y z"),
        _vector("velocity", velocities, "vx vy vz"),
        Attribute("age", "number", age, fields=(Field("age", "<f4"),)),
        Attribute("lifetime", "number", state.lives, fields=(Field("lifetime", "<f4"),)),
        Attribute("birth_frame", "number", state.births.astype(np.float32), fields=(Field("birth_frame", "<f4"),)),
        Attribute("size", "number", state.sizes, fields=(Field("size", "<f4"),)),
        _vector("birth_position", state.birth_places, "birth_x birth_y birth_z", "point"),
        _vector("birth_normal", state.birth_normals, "birth_nx birth_ny birth_nz", "normal"),
        _vector("birth_uv", state.birth_uv, "birth_u birth_v"),
    ]
    named = np.arange(len(names), dtype=np.int32)
    owners = Owners(SOURCE, state.sources.astype(np.int32), {
        SOURCE: Attribute(SOURCE, "integer", named, fields=(Field(SOURCE, "<i4"),)),
        "source_name": Attribute("source_name", "text", named, tuple(names), fields=(Field("source_name", "<i4"),)),
    }, named=f"{SOURCE} {len(ids)}" if len(names) == 1 else "")  # fmt: skip
    elements = Elements("particle", len(ids), {a.name: a for a in table}, (owners,), _derived(state, age))
    return Population("particles", elements, POINTS, (), _left(state, left))


def _rows(axes: np.ndarray) -> np.ndarray:
    """(n, 3) float32 out of (3, n): a row for each particle."""
    found = empty((axes.shape[1], 3), np.float32)
    over(len(found), lambda a, b: np.copyto(found[a:b], axes[:, a:b].T))
    return found


def _left(state: State, left: Sequence[str | None]) -> Standing | None:
    """Where particles were on the populations that they left; None where they left none."""
    found = []
    for on in dict.fromkeys(of for of in left if of is not None):
        there = np.isin(state.sources, [k for k, of in enumerate(left) if of == on])[:, None]
        found.append(Standing(on, np.where(there, state.corners, 0), np.where(there, state.weights, np.float32(0))))
    return replace(found[0], others=tuple(found[1:])) if found else None


def _derived(state: State, age: np.ndarray) -> dict[str, Callable[[], Attribute]]:
    """What is worked out when it is first read."""

    def speed() -> np.ndarray:
        x, y, z = state.velocities
        found: np.ndarray = np.sqrt(x * x + y * y + z * z)
        return found

    return {
        "speed": lambda: Attribute("speed", "number", speed(), stands_for="length"),
        "lived": lambda: Attribute("lived", "number", np.clip(age / state.lives, 0, 1)),
    }


def _vector(name: str, values: np.ndarray, columns: str, stands_for: str = "") -> Attribute:
    fields = tuple(Field(column, "<f4") for column in columns.split())
    return Attribute(name, "vector", values, fields=fields, stands_for=stands_for)  # type: ignore[arg-type]
