"""Populations: sets of like elements with tables of typed attributes."""

from .attribute import Attribute, Field
from .elements import Elements, Owners
from .forms import Curves, Points, Polygons
from .population import Models, Population, Standing, of_points

__all__ = [
    "Attribute",
    "Curves",
    "Elements",
    "Field",
    "Models",
    "Owners",
    "Points",
    "Polygons",
    "Population",
    "Standing",
    "of_points",
]
