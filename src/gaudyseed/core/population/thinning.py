"""Every nth element of a population, for the view."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from .attribute import Attribute
from .elements import KEY
from .population import Curves, Points, Population
from .strands import STRAND, of_curves


def thinned(population: Population, every: int) -> Population:
    """The same with every so many-th element, from the first on; of strands every so many-th whole one.

    Elements keep their keys, so that what is random stays. What has faces stays as it is.
    """
    form, elements = population.form, population.elements
    if isinstance(form, Points):
        rows = np.arange(0, population.count, every)
        owners = tuple(
            above if above.below or above.index is None else replace(above, index=above.index[rows])
            for above in elements.owners
        )
        own = {name: a.taken(rows) for name, a in elements.own.items()}
        standing = population.standing and population.standing.taken(rows)
        models = population.models and population.models.taken(rows)
        return replace(population, elements=replace(elements, count=len(rows), own=own, owners=owners),
                       standing=standing, models=models)  # fmt: skip
    return _of_strands(population, form, every) if isinstance(form, Curves) else population


def _of_strands(population: Population, form: Curves, every: int) -> Population:
    kept = np.arange(0, form.count, every)
    rows = form.rows_of(kept)
    own = {name: a.taken(rows) for name, a in population.elements.own.items()}
    own.setdefault(KEY, Attribute(KEY, "integer", rows))
    above, *more = population.elements.owners
    parts = more[0] if more else None
    if parts is not None and parts.index is not None:
        parts = replace(parts, index=parts.index[kept])
    standing = population.standing
    if standing is not None:
        standing = replace(standing, corners=standing.corners[kept], weights=standing.weights[kept], foot_of=None)
    table = {name: a.taken(kept) for name, a in above.attributes.items()}
    assert above.level == STRAND
    thin_form = replace(form, starts=np.concatenate([[0], np.cumsum(form.sizes[kept])]))
    thin = of_curves(own, thin_form, table, parts, standing, population.notes)
    return replace(thin, by_hand=population.by_hand)
