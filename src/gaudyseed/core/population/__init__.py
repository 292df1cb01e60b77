"""Populations: sets of like elements with a table of typed attributes."""

from .table import Attribute, Field, Population

__all__ = ["Attribute", "Field", "Population"]
