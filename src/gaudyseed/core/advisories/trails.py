"""Trails that bend in corners where particles turn faster than points follow them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..errors import Fix
from ..look.step.reported import Advisory
from ..population import Population
from .registered import ADVISERS, Adviser, Evidence

#: Degrees from which a bend is seen as a corner (common practice), and how many of them are told of.
CORNER = 20.0
FEW, PART = 12, 0.02


def corners(population: Population) -> int:
    """How many points of curves bend by more than a corner does."""
    form = population.form.curves
    assert form is not None
    at = population.elements.attribute("position").readable.astype(np.float64)
    ways = np.diff(at, axis=0)
    lengths = np.linalg.norm(ways, axis=1)
    inside = (form.curve_of[2:] == form.curve_of[:-2]) & (lengths[1:] > 0) & (lengths[:-1] > 0)
    dots = (ways[1:] * ways[:-1]).sum(axis=1)[inside] / (lengths[1:] * lengths[:-1])[inside]
    return int((dots < np.cos(np.radians(CORNER))).sum())


def _bent(evidence: Evidence) -> Iterator[Advisory]:
    population = evidence.evaluation.population
    if population.kind != "trails" or population.count < 3:
        return
    many = corners(population)
    if many < max(FEW, PART * population.count):
        return
    yield Advisory(
        "trail_corners", "",
        f"{many:,} of {population.count:,} points bend by more than {CORNER:.0f}°, which is seen as a corner: "
        "particles turn faster than their trails have points.",
        (Fix("Twice the points a frame", [], "more_points"),),
    )  # fmt: skip


ADVISERS.add("trail_corners", Adviser(90, of_all=_bent))
