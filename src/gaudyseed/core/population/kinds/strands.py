"""strands and trails: points along curves, owned by their curves: hair, wool, fringes, ways that were flown."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ...geometry.tubing import across
from ..attribute import Attribute
from ..elements import KEY
from ..forms import Curves
from ..population import Population
from ..strands import STRAND, directions, drawn_places, of_curves, widths_of
from . import KINDS, PopulationKind, parts_of


def ribbon_arrays(population: Population) -> dict[str, np.ndarray]:
    """Widths, where each strand begins, the normals at the roots, and the part of each point.

    Of tubes also a unit vector across each point, and *section*: their sides, and 1 where their ends are round.
    """
    form = population.form.curves
    assert form is not None
    made = {
        "widths": widths_of(population),
        "starts": form.starts.astype(np.int32),
        "normals": population.elements.attribute("root_normal").readable,
        **parts_of(population),
    }
    if form.section is not None:
        made["across"] = across(drawn_places(population), directions(population), form.starts)
        made["section"] = np.array([form.section.sides, form.section.rounded], np.int32)
    return made


def thinned_strands(population: Population, every: int) -> Population:
    """Every so many-th whole strand, from the first on; points keep their keys, so that what is random stays."""
    form = population.form.curves
    assert form is not None
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
    following = population.following and population.following.taken(rows)
    return replace(thin, kind=population.kind, by_hand=population.by_hand, following=following)


KINDS.add(
    "strands",
    PopulationKind(
        "strands", "Strands", "point", "points", Curves, "ribbons", ribbon_arrays, thinned_strands, drawn_places
    ),
)
KINDS.add(
    "trails",
    PopulationKind(
        "trails", "Trails", "point", "points", Curves, "ribbons", ribbon_arrays, thinned_strands, drawn_places
    ),
)
