"""Forms: what elements make together. Each form answers for itself what others ask of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np

from ..digest import digest_of
from ..geometry.cubics import Basis, Wrap
from ..geometry.polygons import Edges, edges_of, triangles_of
from .attribute import Attribute


class Form:
    """What elements make together.

    A form of another kind is a subclass; what asks for faces or curves gets None from it unless it has some.
    """

    @property
    def digest(self) -> str:
        """Content digest."""
        raise NotImplementedError

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return 0

    @property
    def alone(self) -> bool:
        """Whether elements stand alone, so that each has a size and a shape of its own."""
        return False

    @property
    def polygons(self) -> Polygons | None:
        """The faces that the elements are corners of; None where there are none."""
        return None

    @property
    def curves(self) -> Curves | None:
        """The curves that the elements lie on; None where there are none."""
        return None

    def transformed(self, by: np.ndarray) -> Form:
        """The form with what it carries in space transformed by a (4, 4) matrix; unchanged where that is nothing."""
        return self


@dataclass(frozen=True)
class Points(Form):
    """The form of elements that stand alone: places, and nothing between them."""

    @property
    def digest(self) -> str:
        """Content digest."""
        return "points"

    @property
    def alone(self) -> bool:
        """True: each point stands by itself."""
        return True


#: The form of all elements that stand alone.
POINTS = Points()


@dataclass(frozen=True)
class Polygons(Form):
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
    def polygons(self) -> Polygons:
        """The form itself, which has faces."""
        return self

    def transformed(self, by: np.ndarray) -> Polygons:
        """The faces with the attributes of their corners transformed."""
        return replace(self, of_corners={name: a.transformed(by) for name, a in self.of_corners.items()})

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
        return triangles_of(self.starts, self.corners)

    @cached_property
    def triangles(self) -> np.ndarray:
        """(t, 3) int32: the elements at the corners of the triangles."""
        return np.ascontiguousarray(self.corners[self.cut[0]])

    def edges(self, elements: int) -> Edges:
        """All edges; kept once they were asked for."""
        found = self.__dict__.get("_edges")
        if found is None:
            found = self.__dict__["_edges"] = edges_of(self.starts, self.corners, elements)
        return found


class Section(NamedTuple):
    """What tubes around curves are like: their sides, from 3 on, and whether their ends are half balls or flat."""

    sides: int
    rounded: bool


@dataclass(frozen=True)
class Curves(Form):
    """The form of elements that follow one another along curves.

    Curve k has the elements from ``starts[k]`` to ``starts[k + 1]``, (c + 1,) int64, one at least. With a cubic basis
    they are its control points (``geometry.cubics``). Flat curves are drawn as ribbons that face the eye; those of a
    section as tubes of so many sides.
    """

    starts: np.ndarray
    basis: Basis = "linear"
    wrap: Wrap = "nonperiodic"
    section: Section | None = None

    @property
    def curves(self) -> Curves:
        """The form itself, which has curves."""
        return self

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
        return digest_of("curves", self.starts, self.basis, self.wrap, *(self.section or ()))

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return self.starts.nbytes
