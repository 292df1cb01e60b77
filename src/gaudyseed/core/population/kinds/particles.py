"""particles: points of a moment that were born, fly and end."""

from __future__ import annotations

import numpy as np

from ...geometry.frames import orientations
from ..forms import Points
from ..population import Population
from . import KINDS, PopulationKind
from .clones import thinned_clones


def flying_arrays(population: Population) -> dict[str, np.ndarray]:
    """Turns that lay the shape's axis along the velocity, and sizes: a particle's size is its radius."""
    elements = population.elements
    velocity = elements.find("velocity")
    fit = velocity is not None and velocity.kind == "vector" and velocity.width == 3
    ways = velocity.readable if fit and velocity is not None else np.zeros((population.count, 3), np.float32)
    size = elements.find("size")
    plain = size is not None and size.kind in ("number", "integer") and size.width == 1
    radius = np.abs(size.readable) if plain and size is not None else np.full(population.count, 0.01, np.float32)
    return {"orientations": orientations(ways), "sizes": 2 * radius}


KINDS.add(
    "particles",
    PopulationKind(
        "particles", "Particles", "particle", "particles", Points, "instances", flying_arrays, thinned_clones, bare=True
    ),
)
