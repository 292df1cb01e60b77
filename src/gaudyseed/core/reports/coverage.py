"""How many times over elements cover what they stand on, and how much of them lies under others."""

from __future__ import annotations

import math

import numpy as np

from ..look.results import Evaluation
from ..population.derive import standing

#: The part of its square that a round element fills.
_ROUND = math.pi / 4


def coverage(evaluation: Evaluation) -> float | None:
    """The areas of all elements together over the area that they stand on; None for what is no set of clones.

    The area is estimated from the box around them: of a flat one its two longest sides, of others the surface of the
    ellipsoid within.
    """
    population = evaluation.population
    if population.kind != "clones" or population.count < 2:
        return None
    places = population.elements.attribute("position").readable
    sides = np.sort((places.max(axis=0) - places.min(axis=0)).astype(np.float64))
    sizes = standing(population)[1].astype(np.float64)
    factors = evaluation.size_factors
    if factors is not None:
        sizes = sizes * factors
    area = float((sizes**2).sum()) * _ROUND
    under = _area(sides)
    return area / under if under > 0 else None


def _area(sides: np.ndarray) -> float:
    """Of a flat box the face; of others the surface of an ellipsoid in it (Knud Thomsen's approximation, 2004)."""
    low, middle, high = sides
    if low < 0.05 * high:
        return float(middle * high)
    p = 1.6075
    a, b, c = (half**p for half in sides / 2)
    return float(4 * math.pi * ((a * b + a * c + b * c) / 3) ** (1 / p))


def hidden(covered: float) -> float:
    """The part of elements that lies under others where they lie at random: 1 - (1 - exp(-c)) / c.

    Of points thrown at random the part exp(-c) of a surface stays bare (the Poisson distribution's zero term).

    >>> round(hidden(1.6), 2), round(hidden(0.1), 2)
    (0.5, 0.05)
    """
    return 1 - (1 - math.exp(-covered)) / covered if covered > 1e-9 else 0.0
