"""Populations: sets of like elements with a table of typed attributes."""

from .table import Attribute, CoarserLevel, Field, Level, Population

__all__ = ["Attribute", "CoarserLevel", "Field", "Level", "Population"]
