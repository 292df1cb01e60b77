"""A population: a form, and tables of what its elements and their owners carry."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from ..digest import digest_of
from ..geometry import polygons
from ..geometry.cubics import Basis, Wrap
from ..geometry.shapes import ShapeMesh
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
    """The form of elements that follow one another along curves.

    Curve k has the elements from ``starts[k]`` to ``starts[k + 1]``, (c + 1,) int64, one at least. With a cubic basis
    they are its control points (``geometry.cubics``).
    """

    starts: np.ndarray
    basis: Basis = "linear"
    wrap: Wrap = "nonperiodic"

    @property
    def count(self) -> int:
        """How many curves there are."""
        return len(self.starts) - 1

    @cached_property
    def sizes(self) -> np.ndarray:
        """(c,) int64: how many elements each has."""
        return np.diff(self.starts)

    @cached_property
    def curve_of(self) -> np.ndarray:
        """(n,) int32: the curve of each element."""
        return np.repeat(np.arange(self.count, dtype=np.int32), self.sizes)

    def rows_of(self, curves: np.ndarray) -> np.ndarray:
        """(m,) int64: the elements of these curves, one curve after another."""
        sizes = self.sizes[curves]
        ends = np.cumsum(sizes)
        return np.arange(int(sizes.sum())) + np.repeat(self.starts[curves] - (ends - sizes), sizes)

    @cached_property
    def digest(self) -> str:
        """Content digest."""
        return digest_of("curves", self.starts, self.basis, self.wrap)

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return self.starts.nbytes


Form = Points | Polygons | Curves


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
    """

    on: str
    corners: np.ndarray
    weights: np.ndarray
    foot_of: np.ndarray | None = None

    @cached_property
    def digest(self) -> str:
        """Content digest."""
        shared = () if self.foot_of is None else (self.foot_of,)
        return digest_of("standing", self.on, self.corners, self.weights, *shared)

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        shared = 0 if self.foot_of is None else self.foot_of.nbytes
        return self.corners.nbytes + self.weights.nbytes + shared

    def taken(self, rows: np.ndarray) -> Standing:
        """Of these elements only, each on a foot of its own."""
        feet = rows if self.foot_of is None else self.foot_of[rows]
        return Standing(self.on, self.corners[feet], self.weights[feet])

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
        """Of these elements only."""
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
    """

    kind: str
    elements: Elements
    form: Form = Points()
    notes: tuple[str, ...] = ()
    standing: Standing | None = None
    shape: str = ""
    by_hand: frozenset[str] = frozenset()
    models: Models | None = None

    @property
    def count(self) -> int:
        """How many elements there are."""
        return self.elements.count

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        more = sum(part.nbytes for part in (self.standing, self.models) if part is not None)
        return self.elements.nbytes + self.form.nbytes + more

    def painted(self, columns: Mapping[str, Attribute]) -> Population:
        """The same with columns that were painted onto the elements."""
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
        more = [part.digest for part in (self.standing, self.models) if part is not None]
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
    return Population(kind, Elements("clone", count, attributes, owners), Points(), notes)
