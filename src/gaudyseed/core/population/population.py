"""A population: a form, and tables of what its elements and their owners carry."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from ..digest import digest_of
from ..geometry import polygons
from .attribute import Attribute
from .elements import Elements, Owners


@dataclass(frozen=True)
class Points:
    """The form of elements that stand alone: places, and nothing between them."""

    @property
    def digest(self) -> str:
        """Content digest."""
        return "points"

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return 0


@dataclass(frozen=True)
class Polygons:
    """The form of elements that are the corners of faces, each of three or more.

    ``corners`` (c,) int32 are the elements around each face, one face after another; face k has those from
    ``starts[k]`` to ``starts[k + 1]``, (f + 1,) int64. ``of_faces`` and ``of_corners`` are attributes of faces and of
    corners: chains do not read them, files have them again.
    """

    starts: np.ndarray
    corners: np.ndarray
    of_faces: Mapping[str, Attribute] = field(default_factory=dict)
    of_corners: Mapping[str, Attribute] = field(default_factory=dict)

    @cached_property
    def digest(self) -> str:
        """Content digest."""
        carried = [[a.name, a.digest] for table in (self.of_faces, self.of_corners) for a in table.values()]
        return digest_of("polygons", self.starts, self.corners, carried)

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        carried = [*self.of_faces.values(), *self.of_corners.values()]
        return self.starts.nbytes + self.corners.nbytes + sum(a.values.nbytes for a in carried)

    @property
    def faces(self) -> int:
        """How many faces there are."""
        return len(self.starts) - 1

    @cached_property
    def face_of(self) -> np.ndarray:
        """(c,) int32: the face of each corner."""
        return np.repeat(np.arange(self.faces, dtype=np.int32), np.diff(self.starts))

    @cached_property
    def cut(self) -> tuple[np.ndarray, np.ndarray]:
        """The faces as triangles: (t, 3) int32 places among the corners, and (t,) int32 the face of each."""
        return polygons.triangles_of(self.starts, self.corners)

    @cached_property
    def triangles(self) -> np.ndarray:
        """(t, 3) int32: the elements at the corners of the triangles."""
        return np.ascontiguousarray(self.corners[self.cut[0]])

    def edges(self, elements: int) -> polygons.Edges:
        """All edges; kept once they were asked for."""
        found = self.__dict__.get("_edges")
        if found is None:
            found = self.__dict__["_edges"] = polygons.edges_of(self.starts, self.corners, elements)
        return found


@dataclass(frozen=True)
class Curves:
    """The form of elements that follow one another along curves: curve k has those from ``starts[k]`` on, (c + 1,)."""

    starts: np.ndarray

    @cached_property
    def digest(self) -> str:
        """Content digest."""
        return digest_of("curves", self.starts)

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return self.starts.nbytes


Form = Points | Polygons | Curves


@dataclass(frozen=True)
class Standing:
    """Where each element stands on another population.

    Attributes
    ----------
    on
        The id of that population.
    corners
        (n, 3) int32: the elements of it at the corners of the triangle under each element's foot.
    weights
        (n, 3) float32: how near the foot is to each; they sum to 1.
    """

    on: str
    corners: np.ndarray
    weights: np.ndarray

    @cached_property
    def digest(self) -> str:
        """Content digest."""
        return digest_of("standing", self.on, self.corners, self.weights)

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return self.corners.nbytes + self.weights.nbytes

    def taken(self, rows: np.ndarray) -> Standing:
        """Of these elements only."""
        return replace(self, corners=self.corners[rows], weights=self.weights[rows])

    def between(self, start: int, stop: int) -> Standing:
        """Of the elements from start to stop only."""
        return replace(self, corners=self.corners[start:stop], weights=self.weights[start:stop])

    def carried(self, values: np.ndarray) -> np.ndarray:
        """(n,) or (n, k) float32: values of the other population's elements, interpolated to the feet."""
        picked = values[self.corners]
        weights = self.weights.reshape(*self.weights.shape, *[1] * (values.ndim - 1))
        return np.ascontiguousarray((picked * weights).sum(axis=1, dtype=np.float32))


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
    """

    kind: str
    elements: Elements
    form: Form = Points()
    notes: tuple[str, ...] = ()
    standing: Standing | None = None
    shape: str = ""
    by_hand: frozenset[str] = frozenset()

    @property
    def count(self) -> int:
        """How many elements there are."""
        return self.elements.count

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        standing = self.standing.nbytes if self.standing else 0
        return self.elements.nbytes + self.form.nbytes + standing

    def painted(self, columns: Mapping[str, Attribute]) -> Population:
        """The same with columns that were painted onto the elements."""
        return replace(self, elements=self.elements.with_more(columns), by_hand=frozenset(columns))

    def thinned(self, every: int) -> Population:
        """The same with every so many-th element, from the first on; for elements that stand alone."""
        rows = np.arange(0, self.count, every)
        owners = tuple(
            above if above.below or above.index is None else replace(above, index=above.index[rows])
            for above in self.elements.owners
        )
        own = {name: a.taken(rows) for name, a in self.elements.own.items()}
        standing = self.standing and self.standing.taken(rows)
        elements = replace(self.elements, count=len(rows), own=own, owners=owners)
        return replace(self, elements=elements, standing=standing)

    @cached_property
    def digest(self) -> str:
        """Content digest of the whole."""
        standing = [self.standing.digest] if self.standing else []
        return digest_of(
            self.kind, self.elements.digest, self.form.digest, *standing, *([self.shape] if self.shape else [])
        )


def of_points(
    count: int, attributes: dict[str, Attribute], notes: tuple[str, ...] = (), owners: tuple[Owners, ...] = (),
    kind: str = "clones",
) -> Population:  # fmt: skip
    """A population of elements that stand alone.

    >>> of_points(2, {"position": Attribute("position", "vector", np.zeros((2, 3)))}).elements.level
    'clone'
    """
    return Population(kind, Elements("clone", count, attributes, owners), Points(), notes)
