"""strands: points along curves, owned by their strands: hair, wool, fur, fringes."""

from ..population import Curves
from . import KINDS, PopulationKind

KINDS.add("strands", PopulationKind("strands", "Strands", "point", "points", Curves, "ribbons"))
