"""Populations: sets of like elements with a table of typed attributes."""

from .table import Attribute, CoarserDomain, Domain, Field, Population

__all__ = ["Attribute", "CoarserDomain", "Domain", "Field", "Population"]
