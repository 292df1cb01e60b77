"""Small meshes that are brought in as shapes: OBJ, GLB and PLY, of up to 20,000 triangles."""

from __future__ import annotations

import numpy as np

from ..errors import BadInput
from ..geometry.shapes import MOST_TRIANGLES, ShapeMesh, fitted
from ..population import Polygons, Population
from ..runtime.task import UNWATCHED, Task

#: Of a file; twenty thousand triangles in text take less.
LARGEST_MESH = 32 * 1024 * 1024


def read_shape(data: bytes, name: str, task: Task = UNWATCHED) -> ShapeMesh:
    """The meshes of a file as one shape: one unit along the longest side, its middle at 0.

    Without uv a picture lies on it from above.

    Raises
    ------
    BadInput
        Where it holds no faces, or too many.
    """
    from . import read_items  # the package imports this module

    if len(data) > LARGEST_MESH:
        raise BadInput(f"{name} has {len(data) / 2**20:.0f} MB; at most 32 MB are taken for a shape.", place=name)
    meshes = [t.population for t in read_items(data, name, task) if t.population.form.polygons is not None]
    count = sum(len(_form(p).triangles) for p in meshes)
    if not count:
        raise BadInput(f"{name} holds no faces, so nothing can be drawn. Choose a mesh.", place=name, code="no_faces")
    if count > MOST_TRIANGLES:
        raise BadInput(
            f"{name} has {count:,} triangles; a shape has at most {MOST_TRIANGLES:,}, since it is drawn many times. "
            "Reduce it first.",
            place=name, code="too_many_triangles",
        )  # fmt: skip
    vertices, faces, uv, first = [], [], [], 0
    for population in meshes:
        places, corners = population.elements.attribute("position").readable, _form(population).triangles
        vertices.append(places)
        faces.append(corners + first)
        uv.append(_uv_of(population))
        first += len(places)
    flat = None if any(part is None for part in uv) else np.concatenate([part for part in uv if part is not None])
    # Twenty thousand triangles use sixty thousand vertices at most; what is in none is not drawn.
    used, corners = np.unique(np.concatenate(faces), return_inverse=True)
    return fitted(
        np.concatenate(vertices)[used], corners.reshape(-1, 3).astype(np.int32), None if flat is None else flat[used]
    )


def _form(population: Population) -> Polygons:
    form = population.form.polygons
    assert form is not None
    return form


def _uv_of(population: Population) -> np.ndarray | None:
    """(v, 2) of vertices; of corners that of the last one at each vertex."""
    own = population.elements.find("uv")
    if own is not None and own.width == 2:
        return own.readable
    corners = _form(population).of_corners.get("uv")
    if corners is None or corners.width != 2:
        return None
    found = np.zeros((population.count, 2), np.float32)
    found[_form(population).corners] = corners.readable
    return found
