"""A population: a form, and tables of what its elements and their owners carry."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..digest import digest_of
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
    """The form of elements that are the corners of faces.

    ``corners`` (c,) int32 are the elements around each face, one face after another; face k has those from
    ``starts[k]`` to ``starts[k + 1]``, (f + 1,) int64.
    """

    starts: np.ndarray
    corners: np.ndarray

    @cached_property
    def digest(self) -> str:
        """Content digest."""
        return digest_of("polygons", self.starts, self.corners)

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return self.starts.nbytes + self.corners.nbytes


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
class Population:
    """One set of like elements.

    Attributes
    ----------
    kind
        The word of its kind: ``clones``.
    notes
        Sentences about what was derived or left out when it was made.
    """

    kind: str
    elements: Elements
    form: Form = Points()
    notes: tuple[str, ...] = ()

    @property
    def count(self) -> int:
        """How many elements there are."""
        return self.elements.count

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return self.elements.nbytes + self.form.nbytes

    @cached_property
    def digest(self) -> str:
        """Content digest of the whole."""
        return digest_of(self.kind, self.elements.digest, self.form.digest)


def of_points(
    count: int, attributes: dict[str, Attribute], notes: tuple[str, ...] = (), owners: tuple[Owners, ...] = (),
    kind: str = "clones",
) -> Population:  # fmt: skip
    """A population of elements that stand alone.

    >>> of_points(2, {"position": Attribute("position", "vector", np.zeros((2, 3)))}).elements.level
    'clone'
    """
    return Population(kind, Elements("clone", count, attributes, owners), Points(), notes)
