"""A population in another space: its points, directions, normals, turns and lengths go through a placement."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from ..geometry.placing import IDENTITY
from .attribute import Attribute
from .population import Population


def placed(population: Population, by: np.ndarray) -> Population:
    """The population transformed by a (4, 4) matrix; unchanged for the identity."""
    if (by == IDENTITY).all():
        return population
    elements = population.elements
    owners = tuple(replace(above, attributes=_all(above.attributes, by)) for above in elements.owners)
    own = replace(elements, own=_all(elements.own, by), owners=owners)
    return replace(population, elements=own, form=population.form.transformed(by))


def _all(table: Mapping[str, Attribute], by: np.ndarray) -> dict[str, Attribute]:
    return {name: a.transformed(by) for name, a in table.items()}
