"""mesh: the vertices of polygons, owned by parts."""

from ..population import Polygons
from . import KINDS, PopulationKind

KINDS.add("mesh", PopulationKind("mesh", "Mesh", "vertex", "vertices", Polygons, "surface"))
