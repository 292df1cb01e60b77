"""Shapes as bytes, as they lie in the store: a line of JSON, then the arrays."""

from __future__ import annotations

import json

import numpy as np

from .shapes import ShapeMesh, shape_mesh

#: Vertices, and triangles, that a shape of a file may have.
LARGEST = 4_000_000
#: The first bytes, by which a shape is told from a file that holds one.
MAGIC = b"gaudyseed shape\n"


def packed(mesh: ShapeMesh) -> bytes:
    """A shape as bytes.

    >>> unpacked(packed(shape_mesh("card"))).digest == shape_mesh("card").digest
    True
    """
    head = {"vertices": len(mesh.vertices), "faces": len(mesh.faces), "materials": mesh.materials}
    arrays = [mesh.vertices.astype("<f4"), mesh.normals.astype("<f4"), mesh.uv.astype("<f4"), mesh.faces.astype("<i4")]
    return b"".join([MAGIC, json.dumps(head).encode(), b"\n", *(a.tobytes() for a in arrays)])


def unpacked(data: bytes) -> ShapeMesh:
    """The inverse; ValueError for bytes that are no shape, and for one whose faces or materials do not fit."""
    if not data.startswith(MAGIC):
        raise ValueError("no shape")
    end = data.index(b"\n", len(MAGIC))
    try:
        head = json.loads(data[len(MAGIC) : end])
        vertices, faces = int(head["vertices"]), int(head["faces"])
        materials = tuple((str(name), int(count)) for name, count in head["materials"])
    except (KeyError, TypeError, OverflowError, RecursionError) as error:
        raise ValueError("no head") from error
    if not (0 < vertices <= LARGEST and 0 < faces <= LARGEST) or len(data) != end + 1 + 32 * vertices + 12 * faces:
        raise ValueError("cut off")
    floats = np.frombuffer(data, "<f4", 8 * vertices, end + 1)
    corners = np.frombuffer(data, "<i4", 3 * faces, end + 1 + 32 * vertices).reshape(-1, 3)
    if corners.min() < 0 or corners.max() >= vertices or not np.isfinite(floats).all():
        raise ValueError("faces of other vertices")
    if any(count < 0 for _, count in materials) or (materials and sum(count for _, count in materials) != faces):
        raise ValueError("materials of other faces")
    return ShapeMesh(
        floats[: 3 * vertices].reshape(-1, 3), floats[3 * vertices : 6 * vertices].reshape(-1, 3),
        floats[6 * vertices :].reshape(-1, 2), corners, materials,
    )  # fmt: skip


def drawable(mesh: ShapeMesh, most: int) -> ShapeMesh:
    """The shape as a view can draw it many times: itself, or the box around it where it has more triangles."""
    if len(mesh.faces) <= most:
        return mesh
    block = shape_mesh("block")
    low, high = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
    placed = ((low + high) / 2 + block.vertices * (high - low)).astype(np.float32)
    return ShapeMesh(placed, block.normals, block.uv, block.faces)
