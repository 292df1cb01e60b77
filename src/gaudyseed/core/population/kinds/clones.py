"""clones: like things that stand alone, each with a place, a turn and a size."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ...geometry.parted import thing
from ..derive import standing
from ..forms import Points
from ..population import Population
from . import KINDS, PopulationKind, parts_of


def instance_arrays(population: Population) -> dict[str, np.ndarray]:
    """Turns, sizes and parts; the meshes that copies are, and where those stand of which the elements are pieces."""
    orientations, sizes = standing(population)
    found = {"orientations": orientations, "sizes": sizes, **parts_of(population)}
    if population.models is not None:
        found["models"] = population.models.of
        if population.elements.find("copy_position") is not None:
            found["places"] = population.elements.attribute("copy_position").readable
    if not population.shape:
        return found
    shape = thing(population.shape)
    found |= {"shape_positions": shape.vertices, "shape_normals": shape.normals, "shape_faces": shape.faces,
              "shape_pieces": shape.part_of}  # fmt: skip
    if population.elements.find("copy_position") is not None:
        # Drawn as a piece of its copy, which stands at the copy's place.
        found["pieces"] = population.elements.attribute("part").values.astype(np.uint8)
        found["places"] = population.elements.attribute("copy_position").readable
    return found


def thinned_clones(population: Population, every: int) -> Population:
    """Every so many-th clone, from the first on."""
    return taken_clones(population, np.arange(0, population.count, every))


def taken_clones(population: Population, rows: np.ndarray) -> Population:
    """Clones, or other points, of these rows."""
    elements = population.elements
    owners = tuple(
        above if above.below or above.index is None else replace(above, index=above.index[rows])
        for above in elements.owners
    )
    own = {name: a.taken(rows) for name, a in elements.own.items()}
    return replace(
        population,
        elements=replace(elements, count=len(rows), own=own, owners=owners),
        standing=population.standing and population.standing.taken(rows),
        models=population.models and population.models.taken(rows),
    )


KINDS.add(
    "clones",
    PopulationKind("clones", "Clones", "clone", "clones", Points, "instances", instance_arrays, thinned_clones),
)
