"""PLY: ASCII and both binary forms, points and faces.

Greg Turk's format of 1994. Read here rather than by a library because a header
is a promise that a hostile file breaks: counts are held against the size of the
file before anything is allocated, and each error names the line or vertex.
"""

from __future__ import annotations

from pathlib import PurePath

import numpy as np

from ...errors import BadInput
from ...kernels import lists
from ...plurals import of_mesh
from ...population import Attribute, Field, Population
from ...population.meshes import PART
from ...runtime.task import UNWATCHED, Task
from ..base import ImportedItem, ReadOptions
from ..columns import (  # fmt: skip
    RawColumn,
    check_count,
    check_places,
    grouped,
    to_population,
)
from ..meshing import mesh_of, numbered_parts
from .columns import numbered, texted
from .header import (
    Element,
    check_vertex,
    read_header,
    too_few,
    too_many,
)
from .rows import Rows, cut_off
from .text import text_faces, text_vertices


def read(data: bytes, name: str, task: Task = UNWATCHED, options: ReadOptions = ReadOptions()) -> list[ImportedItem]:
    """The mesh in a PLY file, or its vertices as clones where it has no faces; BadInput names the line or vertex.

    ``task`` may raise to stop.
    """
    order, elements, start, texts = read_header(data, name)
    if not any(e.name == "vertex" for e in elements):
        found = ", ".join(e.name for e in elements) or "nothing"
        raise BadInput(f"{name} declares {found} but no element 'vertex'. Export its points.", place=name)
    index = next(k for k, e in enumerate(elements) if e.name == "vertex")
    vertex = elements[index]
    check_vertex(vertex, name)
    for e in elements:
        # More than the file can hold is told below, with what it holds.
        check_count(e.count if e.name in ("vertex", "face") and e.count <= len(data) else 0, name)
    face = next((k for k, e in enumerate(elements) if e.name == "face" and e.count and e.lists), None)
    body = memoryview(data)[start:]
    if face is not None and face < index:
        raise BadInput(
            f"The element 'face' (line {elements[face].line}) stands before 'vertex'. Export the vertices first.",
            place=f"{name}, line {elements[face].line}",
        )  # fmt: skip
    if order == "ascii":
        values, at = text_vertices(body, elements, index, name, task.part(0, 0.6))
        faces = text_faces(body, elements, index, face, at, name, task.part(0.6, 1)) if face is not None else None
    else:
        values, at = _binary(body, elements, index, order, name)
        faces = _binary_faces(body, elements, index, face, at, order, name) if face is not None else None
    notes = tuple(
        f"{e.count:,} of '{e.name}' were left out: only points and faces are read."
        for k, e in enumerate(elements)
        if e is not vertex and e.count and k != face
    )
    raw = [
        texted(numbered(RawColumn(p.name, np.ascontiguousarray(v))), texts.get(p.name, ()))
        for p, v in zip(vertex.properties, values, strict=True)
    ]
    stem = PurePath(name).stem
    if faces is None:
        return [ImportedItem(stem, to_population(raw, name, "vertex", notes), "clones, one a vertex")]
    population = _mesh(raw, faces, name, notes)
    parts = population.elements.owners[0].count
    return [ImportedItem(stem, population, of_mesh(elements[face or 0].count, parts))]


INDICES = ("vertex_indices", "vertex_index")


def _mesh(raw: list[RawColumn], faces: Rows, name: str, notes: tuple[str, ...]) -> Population:
    """The vertices with the faces over them."""
    check_places(raw, name, "vertex")
    key = next((k for k in INDICES if k in faces.items), None)
    if key is None:
        listed = ", ".join(faces.items)
        raise BadInput(
            f"The faces of {name} have the lists {listed}, but no 'vertex_indices'. Export again.", place=name
        )
    items, counts = faces.items[key], faces.counts[key]
    if items.dtype.kind == "f":
        raise BadInput(f"The lists {key!r} of {name} hold no whole numbers. Export the mesh again.", place=name)
    starts = np.concatenate([[0], np.cumsum(counts)])
    # Held within int32 before it is cut to that: what lies outside is refused with its face.
    corners = np.clip(items.astype(np.int64), -1, 2**31 - 1).astype(np.int32)
    left = [k for k in faces.items if k != key]
    of_corners: dict[str, Attribute] = {}
    uv = faces.items.get("texcoord")
    if uv is not None and uv.dtype.kind == "f" and (faces.counts["texcoord"] == 2 * counts).all():
        fields = (Field("u", uv.dtype.str), Field("v", uv.dtype.str))
        of_corners["uv"] = Attribute("uv", "vector", uv.reshape(-1, 2), (), fields)
        left.remove("texcoord")
    if left:
        notes = (*notes, f"Lists of the faces were left out: {', '.join(left)}.")
    of_faces = grouped([RawColumn(k, v) for k, v in faces.single.items()])
    if PART in of_faces:
        of_faces |= numbered_parts(of_faces.pop(PART))
    return mesh_of(grouped(raw), starts, corners, name, of_faces=of_faces, of_corners=of_corners, notes=notes)


def _binary(
    body: memoryview, elements: list[Element], index: int, order: str, name: str
) -> tuple[list[np.ndarray], int]:
    """The columns of the vertices, and where the next element begins."""
    skip = 0
    for e in elements[:index]:
        if e.lists and e.count:
            raise BadInput(
                f"The element '{e.name}' with lists stands before 'vertex' (line {e.line}). Export the vertices first.",
                place=f"{name}, line {e.line}",
            )
        skip += e.count * sum(int(p.type[1]) for p in e.properties)
    vertex = elements[index]
    row = np.dtype([(p.name, order + p.type) for p in vertex.properties])
    room = max(0, len(body) - skip) // row.itemsize
    if room < vertex.count:
        raise too_few(vertex, name, room)
    end = skip + vertex.count * row.itemsize
    if len(body) > end and not any(e.count for e in elements[index + 1 :]):
        raise too_many(vertex, name, f"{len(body) - end:,} bytes")
    table = np.frombuffer(body[skip:end], row)
    return [native(table[p.name], p.type) for p in vertex.properties], end


def native(values: np.ndarray, kind: str) -> np.ndarray:
    """The values in little endian."""
    return values.astype(("<" if int(kind[1]) > 1 else "|") + kind)


def _binary_faces(
    body: memoryview, elements: list[Element], index: int, face: int, at: int, order: str, name: str
) -> Rows:
    """The faces, after whatever stands between them and the vertices."""
    data = np.frombuffer(body, np.uint8)
    for e in elements[index + 1 : face]:
        _, _, at = _walked(data, e, at, order, name)
    element = elements[face]
    offsets, counts, at = _walked(data, element, at, order, name)
    if len(data) > at and not any(e.count for e in elements[face + 1 :]):
        raise too_many(element, name, f"{len(data) - at:,} bytes")
    found = Rows({}, {}, {})
    for k, p in enumerate(element.properties):
        where, many = np.ascontiguousarray(offsets[:, k]), np.ascontiguousarray(counts[:, k])
        held = np.empty(int(many.sum()) * int(p.type[1]), np.uint8)
        lists.gathered(data, where, many, int(p.type[1]), held)
        values = native(held.view(order + p.type), p.type)
        if p.counted:
            found.counts[p.name], found.items[p.name] = many, values
        else:
            found.single[p.name] = values
    return found


def _walked(data: np.ndarray, element: Element, at: int, order: str, name: str) -> tuple[np.ndarray, np.ndarray, int]:
    """Where each property of each row lies, how many items it has, and where the next element begins."""
    sizes = [int(p.type[1]) for p in element.properties]
    counted = [int(p.counted[1]) if p.counted else 0 for p in element.properties]
    least = sum(c or s for c, s in zip(counted, sizes, strict=True))
    if element.count > (len(data) - at) // max(least, 1):
        raise cut_off(element, name, (len(data) - at) // max(least, 1))
    offsets, counts = (np.empty((element.count, len(sizes)), np.int64) for _ in range(2))
    signed = [int(p.counted[:1] == "i") for p in element.properties]
    end = int(
        lists.walk(
            data, at, element.count, order == ">", np.array(sizes, np.int64), np.array(counted, np.int64),
            np.array(signed, np.int64), offsets, counts,
        )
    )  # fmt: skip
    if end < 0:
        raise cut_off(element, name, -1 - end)
    return offsets, counts, end


def is_ply(data: bytes) -> bool:
    """Whether these bytes are PLY."""
    return data.startswith(b"ply") and data[3:4] in (b"\n", b"\r")
