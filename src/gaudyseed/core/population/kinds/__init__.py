"""The kinds of population: one file a kind, which registers itself."""

from __future__ import annotations

from dataclasses import dataclass

from ...registry import Registry, import_all
from ..population import Form


@dataclass(frozen=True)
class PopulationKind:
    """What a population can be.

    Attributes
    ----------
    word
        As it stands in a population and in the table of channels.
    element
        What one of its elements is called; the level that chains run on.
    elements
        What several are called.
    form
        What its elements make together: a class of ``population.Form``.
    drawn
        What the view draws it with.
    """

    word: str
    title: str
    element: str
    elements: str
    form: type[Form]
    drawn: str


KINDS: Registry[PopulationKind] = Registry("kind of population")

import_all(__name__, list(__path__))
