"""What clones are drawn as, for files that carry it."""

from __future__ import annotations

import numpy as np

from ..geometry.parted import thing
from ..geometry.shapes import part_mesh, shape_mesh
from ..population import Population
from .base import MeshPart, WriterContext

#: The word for the meshes that elements came with.
OWN = "own"
#: What the view draws particles as without a shape: light that adds up, and haze that takes some.
SOFT = ("glow", "haze")


def plain_shape(shape: str) -> str:
    """What elements are drawn as that came with no meshes, whatever is wished.

    >>> plain_shape("own"), plain_shape("glow"), plain_shape("ball")
    ('sequin', 'sequin', 'ball')
    """
    return "sequin" if shape == OWN or shape in SOFT else shape


def drawn_as(population: Population, shape: str) -> list[MeshPart]:
    """The meshes that the elements came with; else one shape for all, or one for each part of copies."""
    everyone = np.arange(population.count)
    models = population.models
    if models is not None and shape == OWN:
        names = model_names(population)
        return [MeshPart(names[k], mesh, np.flatnonzero(models.of == k)) for k, mesh in enumerate(models.meshes)]
    if not population.shape:
        word = plain_shape(shape)
        return [MeshPart(word, shape_mesh(word), everyone)]
    made = thing(population.shape)
    if population.elements.find("copy_position") is None:
        return [MeshPart(population.shape, part_mesh(made.vertices, made.normals, made.faces), everyone)]
    part = population.elements.attribute("part").values
    return [MeshPart(name, part_mesh(*made.piece(k)), np.flatnonzero(part == k)) for k, name in enumerate(made.parts)]


def model_names(population: Population) -> list[str]:
    """What the meshes that elements came with are called: as the texts of *shape*, else by their numbers."""
    assert population.models is not None
    texts = population.elements.find("part_name") or population.elements.find("shape")
    found = []
    for k in range(len(population.models.meshes)):
        rows = np.flatnonzero(population.models.of == k)[:1]
        told = texts is not None and texts.kind == "text" and len(rows)
        found.append(texts.labels[texts.values[rows[0]]] if told and texts is not None else f"shape {k + 1}")
    return found


def pieces_of(population: Population, context: WriterContext) -> list[MeshPart]:
    """The shapes that a file is told of, else what the population is drawn as."""
    return list(context.pieces) or drawn_as(population, context.shape)


def places_of(population: Population) -> np.ndarray:
    """(n, 3) float32: where the shapes of the elements stand; of parts of copies the places of these."""
    whole = population.elements.find("copy_position")
    return (whole or population.elements.attribute("position")).readable
