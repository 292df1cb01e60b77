"""Trails that bend in corners, and those of files that are half as thick as their particles."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..errors import Fix
from ..look.step.base import whole_step
from ..look.step.reported import Advisory, put
from ..population import Population
from ..population.naming import fits
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


#: How near widths come to sizes where one was written for the other.
_NEAR = 0.01


def _half_as_thick(evidence: Evidence) -> Iterator[Advisory]:
    """Curves of a file whose widths are the sizes of what drew them: radii, where widths go from side to side."""
    population, look = evidence.evaluation.population, evidence.evaluation.look.document
    width, size = population.elements.find("width"), population.elements.find("size")
    if (
        population.kind != "strands"
        or "width" in look.lanes
        or width is None
        or size is None
        or not (fits(width) and fits(size))
    ):
        return
    wide, large = width.readable, size.readable
    if not len(wide) or not (large > 0).all() or np.abs(wide - large).max() > _NEAR * large.max():
        return
    double = {"name": "Twice as wide", "paint": [whole_step("formula", text="2")]}
    yield Advisory(
        "half_as_thick", "",
        "These curves are as wide as the *size* of what drew them. A size is a radius, so they are half as thick as "
        "their particles.",
        (Fix("Twice as wide", [put("/lanes/width", {"layers": [double]})]),),
    )  # fmt: skip


ADVISERS.add("half_as_thick", Adviser(91, of_all=_half_as_thick))
