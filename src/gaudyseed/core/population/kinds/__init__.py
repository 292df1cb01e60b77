"""The kinds of population: one file a kind, which registers itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ...registry import Registry, import_all
from ..forms import Form
from ..population import Population

#: What a kind is drawn and written as.
Drawn = Literal["instances", "surface", "ribbons"]


def places_of(population: Population) -> np.ndarray:
    """(n, 3) float32: where the elements are."""
    return population.elements.attribute("position").readable


def parts_of(population: Population) -> dict[str, np.ndarray]:
    """The part of each element by the name *parts*, (n,) int32; empty where elements have no parts."""
    parts = population.elements.owner_of("part")
    return {} if parts is None else {"parts": np.ascontiguousarray(parts, np.int32)}


def unthinned(population: Population, every: int) -> Population:
    """The whole population: of what has faces none can be left out."""
    return population


@dataclass(frozen=True)
class PopulationKind:
    """What a population can be.

    Attributes
    ----------
    word
        As it stands in a population and in the table of channels.
    element
        What one of its elements is called; the level that chains run on.
    elements
        What several are called.
    form
        What its elements make together: a subclass of ``forms.Form``.
    drawn
        What the view and files have it as: instances of shapes, a surface, or ribbons along curves.
    arrays
        ``arrays(population)`` gives the arrays by name that the view draws it with, beside its positions.
    thinned
        ``thinned(population, every)`` keeps every so many-th element, from the first on.
    positions
        ``positions(population)`` gives (n, 3) float32: where the view draws the elements.
    bare
        Whether files have each element as a bare point with its values, and no shape.
    """

    word: str
    title: str
    element: str
    elements: str
    form: type[Form]
    drawn: Drawn
    arrays: Callable[[Population], dict[str, np.ndarray]]
    thinned: Callable[[Population, int], Population] = unthinned
    positions: Callable[[Population], np.ndarray] = places_of
    bare: bool = False

    @property
    def written(self) -> str:
        """What files have it as: what the view has, or points."""
        return "points" if self.bare else self.drawn


KINDS: Registry[PopulationKind] = Registry("kind of population")


def thinned(population: Population, every: int) -> Population:
    """Every so many-th element, from the first on; of strands every so many-th whole one, of a mesh all.

    Elements keep their keys, so that what is random stays.
    """
    return KINDS[population.kind].thinned(population, every)


import_all(__name__, list(__path__))
