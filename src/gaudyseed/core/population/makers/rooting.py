"""Strands that came from a file, rooted in a mesh of the scene."""

from __future__ import annotations

import numpy as np

from ...errors import BadInput
from ...geometry.nearest import NearestOnTriangles
from ..attribute import Attribute
from ..population import Population
from ..strands import of_curves
from .base import MakerContext
from .footing import on_triangles

#: Of the longest side of a mesh: how far roots may lie from it where that is left out.
REACH = 0.02


def rooted(strands: Population, on: str, reach: float | None, context: MakerContext) -> Population:
    """Strands that stand each where its root is nearest to a mesh, in whose space they are.

    They carry its normal and uv there as *root_normal* and *root_uv*, and its parts where they have none of their own.
    BadInput where the mesh has no faces, or a root lies further from it than ``reach`` units.
    """
    mesh, form = context.population(on, "maker.on"), strands.form.curves
    faces = mesh.form.polygons
    assert form is not None
    if faces is None:
        raise BadInput("What the strands stand on has no faces. Choose a mesh.", place="maker.on", code="wrong_kind")
    above, *parts = strands.elements.owners
    roots = above.attributes["root_position"].readable
    places = mesh.elements.attribute("position").readable
    found = NearestOnTriangles(places, faces.triangles).to(roots, task=context.task)
    sides = places.max(axis=0).astype(np.float64) - places.min(axis=0)
    most = REACH * float(sides.max()) if reach is None else reach
    outside = np.flatnonzero(found.distances > most)
    if len(outside):
        furthest = int(outside[found.distances[outside].argmax()])
        raise BadInput(
            f"{len(outside):,} of {form.count:,} roots lie further than {most:.4g} units from that mesh: the furthest "
            f"is that of strand {furthest + 1}, at {found.distances[furthest]:.4g}. Raise the reach, or choose the "
            "mesh that they grew on.",
            place="maker.on", code="root_outside",
        )  # fmt: skip
    assert found.weights is not None
    below = on_triangles(mesh, on, found.items, found.weights)
    table = {
        **above.attributes,
        "root_normal": Attribute("root_normal", "vector", below.normals, stands_for="normal"),
        **({} if below.uvs is None else {"root_uv": Attribute("root_uv", "vector", below.uvs)}),
    }
    return of_curves(
        strands.elements.own, form, table, parts[0] if parts else below.parts, below.standing, strands.notes
    )
