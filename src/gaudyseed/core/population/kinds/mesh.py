"""mesh: the vertices of polygons, owned by parts."""

from __future__ import annotations

import numpy as np

from ..forms import Polygons
from ..population import Population
from . import KINDS, PopulationKind, parts_of


def surface_arrays(population: Population) -> dict[str, np.ndarray]:
    """Normals, triangles, the part of each vertex, and uv where vertices have them."""
    form = population.form.polygons
    assert form is not None
    uv = population.elements.find("uv")
    return {
        **({"uv": uv.readable} if uv is not None and uv.kind == "vector" and uv.width == 2 else {}),
        "normals": population.elements.attribute("normal").readable,
        "triangles": form.triangles,
        **parts_of(population),
    }


KINDS.add("mesh", PopulationKind("mesh", "Mesh", "vertex", "vertices", Polygons, "surface", surface_arrays))
