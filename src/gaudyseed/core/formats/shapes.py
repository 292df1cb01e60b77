"""What clones are drawn as, for files that carry it."""

from __future__ import annotations

import numpy as np

from ..geometry.shapes import part_mesh, shape_mesh
from ..geometry.things import thing
from ..population import Population
from .base import About, Piece


def drawn_as(population: Population, shape: str) -> list[Piece]:
    """One shape for all elements, or one for each part where they are parts of copies."""
    everyone = np.arange(population.count)
    if not population.shape:
        return [Piece(shape, shape_mesh(shape), everyone)]
    made = thing(population.shape)
    if population.elements.find("copy_position") is None:
        return [Piece(population.shape, part_mesh(made.vertices, made.normals, made.faces), everyone)]
    part = population.elements.attribute("part").values
    return [Piece(name, part_mesh(*made.piece(k)), np.flatnonzero(part == k)) for k, name in enumerate(made.parts)]


def pieces_of(population: Population, about: About) -> list[Piece]:
    """The shapes that a file is told of, else what the population is drawn as."""
    return list(about.pieces) or drawn_as(population, about.shape)


def places_of(population: Population) -> np.ndarray:
    """(n, 3) float32: where the shapes of the elements stand; of parts of copies the places of these."""
    whole = population.elements.find("copy_position")
    return (whole or population.elements.attribute("position")).readable
