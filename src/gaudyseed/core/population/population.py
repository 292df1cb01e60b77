"""A population: a form, and tables of what its elements and their owners carry."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..digest import digest_of
from ..geometry.shapes import ShapeMesh
from .attribute import Attribute
from .elements import Elements, Owners
from .following import Following
from .forms import POINTS, Form


@dataclass(frozen=True)
class Standing:
    """Where elements stand on another population, each on a foot of its own or several on one.

    Attributes
    ----------
    on
        The id of that population.
    corners
        (f, 3) int32: the elements of it at the corners of the triangle under each foot.
    weights
        (f, 3) float32: how near the foot is to each; they sum to 1.
    foot_of
        (n,) int32: the foot of each element, never less than that of the one before it; None where each has its own.
    others
        Where the same elements stand on further populations: those that stand elsewhere have weights of 0 there.
    """

    on: str
    corners: np.ndarray
    weights: np.ndarray
    foot_of: np.ndarray | None = None
    others: tuple[Standing, ...] = ()

    @property
    def parts(self) -> tuple[Standing, ...]:
        """One for each population: this without the others, and those."""
        return (replace(self, others=()) if self.others else self, *self.others)

    @cached_property
    def digest(self) -> str:
        """Content digest."""
        shared = () if self.foot_of is None else (self.foot_of,)
        return digest_of("standing", self.on, self.corners, self.weights, *shared, *(o.digest for o in self.others))

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        shared = 0 if self.foot_of is None else self.foot_of.nbytes
        return self.corners.nbytes + self.weights.nbytes + shared + sum(other.nbytes for other in self.others)

    def taken(self, rows: np.ndarray) -> Standing:
        """The feet of these elements only, each on one of its own."""
        feet = rows if self.foot_of is None else self.foot_of[rows]
        others = tuple(other.taken(rows) for other in self.others)
        return Standing(self.on, self.corners[feet], self.weights[feet], others=others)

    def carried(self, values: np.ndarray, start: int = 0, stop: int | None = None) -> np.ndarray:
        """(m,) or (m, k) float32: values of the other population's elements, interpolated to the feet.

        Of the elements from start to stop, or of all.
        """
        if self.foot_of is None:
            return self._at_feet(values, slice(start, stop))
        feet = self.foot_of[start:stop]
        if not len(feet):
            return np.zeros((0, *values.shape[1:]), np.float32)
        first = int(feet[0])
        found: np.ndarray = self._at_feet(values, slice(first, int(feet[-1]) + 1))[feet - first]
        return found

    def _at_feet(self, values: np.ndarray, feet: slice) -> np.ndarray:
        corners, weights = self.corners[feet], self.weights[feet]
        weights = weights.reshape(*weights.shape, *[1] * (values.ndim - 1))
        return np.ascontiguousarray((values[corners] * weights).sum(axis=1, dtype=np.float32))


@dataclass(frozen=True)
class Models:
    """The meshes that clones came with, and which of them each is.

    Attributes
    ----------
    meshes
        In units of an element of size 1.
    of
        (n,) int32: the mesh of each element.
    keys
        Under what each mesh lies in the store; none where they lie in none.
    """

    meshes: tuple[ShapeMesh, ...]
    of: np.ndarray
    keys: tuple[str, ...] = ()

    @cached_property
    def digest(self) -> str:
        """Content digest."""
        return digest_of("models", [mesh.digest for mesh in self.meshes], self.of)

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return self.of.nbytes + sum(mesh.nbytes for mesh in self.meshes)

    def taken(self, rows: np.ndarray) -> Models:
        """The models of these elements only."""
        return replace(self, of=self.of[rows])


@dataclass(frozen=True)
class Population:
    """One set of like elements.

    Attributes
    ----------
    kind
        The word of its kind: ``clones``.
    notes
        Sentences about what was derived or left out when it was made.
    standing
        Where the elements stand on another population; None where they stand on none.
    shape
        The word of the thing of several parts that they are copies of; empty for a single shape.
    by_hand
        The names of the attributes that were painted.
    models
        The meshes that the elements came with; None where they came with none.
    following
        The states of another population that points were left between; None where there is no such.
    """

    kind: str
    elements: Elements
    form: Form = POINTS
    notes: tuple[str, ...] = ()
    standing: Standing | None = None
    shape: str = ""
    by_hand: frozenset[str] = frozenset()
    models: Models | None = None
    following: Following | None = None

    @property
    def count(self) -> int:
        """How many elements there are."""
        return self.elements.count

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        more = sum(part.nbytes for part in (self.standing, self.models, self.following) if part is not None)
        return self.elements.nbytes + self.form.nbytes + more

    def painted(self, columns: Mapping[str, Attribute]) -> Population:
        """The population with columns that were painted onto the elements."""
        return replace(self, elements=self.elements.with_more(columns), by_hand=frozenset(columns))

    @cached_property
    def body(self) -> str:
        """Content digest of places, form and owners alone: what others that stand on it depend on."""
        own = self.elements.own
        shaping = [own[name].digest for name in ("position", "normal", "width") if name in own]
        return digest_of(self.kind, shaping, self.form.digest, [above.digest for above in self.elements.owners])

    @cached_property
    def digest(self) -> str:
        """Content digest of the whole."""
        more = [part.digest for part in (self.standing, self.models, self.following) if part is not None]
        return digest_of(
            self.kind, self.elements.digest, self.form.digest, *more, *([self.shape] if self.shape else [])
        )


def of_points(
    count: int, attributes: dict[str, Attribute], notes: tuple[str, ...] = (), owners: tuple[Owners, ...] = (),
    kind: str = "clones",
) -> Population:  # fmt: skip
    """A population of elements that stand alone.

    >>> of_points(2, {"position": Attribute("position", "vector", np.zeros((2, 3)))}).elements.level
    'clone'
    """
    return Population(kind, Elements("clone", count, attributes, owners), POINTS, notes)
