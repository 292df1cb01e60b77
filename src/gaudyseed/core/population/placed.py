"""A population in another space: its points, directions, normals, turns and lengths go through a placement."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from ..geometry.placing import IDENTITY, moved
from .attribute import Attribute
from .population import Polygons, Population


def placed(population: Population, by: np.ndarray) -> Population:
    """The same where a (4, 4) matrix leads to; itself where that leads nowhere else."""
    if (by == IDENTITY).all():
        return population
    elements = population.elements
    owners = tuple(replace(above, attributes=_all(above.attributes, by)) for above in elements.owners)
    own = replace(elements, own=_all(elements.own, by), owners=owners)
    form = population.form
    if isinstance(form, Polygons):
        form = replace(form, of_corners=_all(form.of_corners, by))
    return replace(population, elements=own, form=form)


def _all(table: Mapping[str, Attribute], by: np.ndarray) -> dict[str, Attribute]:
    return {name: _moved(a, by) for name, a in table.items()}


def _moved(a: Attribute, by: np.ndarray) -> Attribute:
    return replace(a, values=moved(a.values, a.role, by)) if a.role else a
