"""clones: like things that stand alone, each with a place, a turn and a size."""

from ..population import Points
from . import KINDS, PopulationKind

KINDS.add("clones", PopulationKind("clones", "Clones", "clone", "clones", Points, "instances"))
