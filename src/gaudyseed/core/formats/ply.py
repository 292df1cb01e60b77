"""PLY: ASCII and both binary forms, points and faces.

Greg Turk's format of 1994. Read here rather than by a library because a header
is a promise that a hostile file breaks: counts are held against the size of the
file before anything is allocated, and each error names the line or vertex.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import PurePath
from typing import Any

import numpy as np

from ..errors import BadInput
from ..kernels import lists, text
from ..plurals import of_mesh
from ..population import Attribute, Field, Polygons, Population
from ..population.attribute import WHOLE_FLOAT64
from ..population.elements import KEY
from ..population.meshes import PART
from ..population.naming import LONGEST_NAME, fits, sayable
from ..runtime.task import UNWATCHED, Task
from .base import FORMATS, Format, ImportedItem, ReadOptions, WriterContext
from .blocks import ROWS, clones_in_block
from .cells import BATCH, Batch, is_number, runs_as_formula
from .columns import (
    LARGEST_COLUMNS,
    RawColumn,
    Results,
    check_count,
    check_places,
    grouped,
    outgoing,
    own_columns,
    to_population,
)  # fmt: skip
from .lines import Cells, lines, list_cells, number_cells, number_lines
from .meshing import mesh_of, numbered_parts

_TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2",
    "ushort": "u2", "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4",
    "float": "f4", "float32": "f4", "double": "f8", "float64": "f8",
}  # fmt: skip
_NAMES = {"i1": "char", "u1": "uchar", "i2": "short", "u2": "ushort", "i4": "int", "u4": "uint",
          "f4": "float", "f8": "double"}  # fmt: skip
_ORDERS = {"binary_little_endian": "<", "binary_big_endian": ">"}
_LONGEST_HEADER = 1 << 20
#: Characters of texts that are listed in a head.
MOST_LISTED = 1 << 18
_PLURALS = {"vertex": "vertices", "face": "faces"}
#: Characters that a value of an ASCII file may have.
LONGEST = 400


@dataclass
class _Property:
    name: str
    type: str
    line: int
    #: Of a list the type of its count; empty for a single value.
    counted: str = ""


@dataclass
class _Element:
    name: str
    count: int
    line: int
    properties: list[_Property] = field(default_factory=list)

    @property
    def lists(self) -> list[_Property]:
        """Its properties that are lists."""
        return [p for p in self.properties if p.counted]


@dataclass
class _Rows:
    """What the rows of an element hold: of single values (n,), of lists how many items each row has and all items."""

    single: dict[str, np.ndarray]
    counts: dict[str, np.ndarray]
    items: dict[str, np.ndarray]


def read(data: bytes, name: str, task: Task = UNWATCHED, options: ReadOptions = ReadOptions()) -> list[ImportedItem]:
    """The mesh in a PLY file, or its vertices as clones where it has no faces; BadInput names the line or vertex.

    ``task`` may raise to stop.
    """
    order, elements, start, texts = _header(data, name)
    if not any(e.name == "vertex" for e in elements):
        found = ", ".join(e.name for e in elements) or "nothing"
        raise BadInput(f"{name} declares {found} but no element 'vertex'. Export its points.", place=name)
    index = next(k for k, e in enumerate(elements) if e.name == "vertex")
    vertex = elements[index]
    _check_vertex(vertex, name)
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
        values, at = _ascii(body, elements, index, name, task.part(0, 0.6))
        faces = _ascii_faces(body, elements, index, face, at, name, task.part(0.6, 1)) if face is not None else None
    else:
        values, at = _binary(body, elements, index, order, name)
        faces = _binary_faces(body, elements, index, face, at, order, name) if face is not None else None
    notes = tuple(
        f"{e.count:,} of '{e.name}' were left out: only points and faces are read."
        for k, e in enumerate(elements)
        if e is not vertex and e.count and k != face
    )
    raw = [
        _texted(_numbered(RawColumn(p.name, np.ascontiguousarray(v))), texts.get(p.name, ()))
        for p, v in zip(vertex.properties, values, strict=True)
    ]
    stem = PurePath(name).stem
    if faces is None:
        return [ImportedItem(stem, to_population(raw, name, "vertex", notes), "clones, one a vertex")]
    population = _mesh(raw, faces, name, notes)
    parts = population.elements.owners[0].count
    return [ImportedItem(stem, population, of_mesh(elements[face or 0].count, parts))]


class _Table:
    """The vertices of a binary PLY file in blocks of rows."""

    def __init__(self, data: np.ndarray, name: str, task: Task) -> None:
        order, elements, start, self._texts = _header(bytes(data[:_LONGEST_HEADER]), name)
        index = next((k for k, e in enumerate(elements) if e.name == "vertex"), None)
        other = [e for e in elements if e.name != "vertex" and e.count]
        if order == "ascii" or index is None or other:
            raise BadInput(
                f"{name} is no binary PLY of vertices alone, so it is read whole. Colour it without blocks.",
                place=name, code="not_in_blocks",
            )  # fmt: skip
        self._vertex, self._name = elements[index], name
        _check_vertex(self._vertex, name)
        row = np.dtype([(p.name, order + p.type) for p in self._vertex.properties])
        room = (len(data) - start) // row.itemsize
        if room < self._vertex.count:
            raise _too_few(self._vertex, name, room)
        self.count = self._vertex.count
        self._rows = data[start : start + self.count * row.itemsize].view(row)
        # What the numbers of a column stand for is seen by all of them, as where the file is read whole.
        self._read_as = {p.name: self._kind_of(p) for p in self._vertex.properties}

    def _kind_of(self, p: _Property) -> str:
        """The type of a column once its ids and texts are known as such: ``<i8``, ``texts`` or its own."""
        labels = self._texts.get(p.name, ())
        found = {_typed_as(_plain_read(part, p, labels)) for part in self._parts(p)}
        return found.pop() if len(found) == 1 else p.type

    def _parts(self, p: _Property) -> Iterator[np.ndarray]:
        for a in range(0, self.count, ROWS):
            yield _native(self._rows[p.name][a : a + ROWS], p.type)

    def blocks(self) -> Iterator[Population]:
        """All vertices as clones."""
        for a in range(0, self.count, ROWS):
            raw = []
            for p in self._vertex.properties:
                values, labels = _native(self._rows[p.name][a : a + ROWS], p.type), self._texts.get(p.name, ())
                column = _plain_read(values, p, labels)
                raw.append(column if _typed_as(column) == self._read_as[p.name] else RawColumn(p.name, values))
            yield clones_in_block(raw, self._name, "vertex", a)


def _plain_read(values: np.ndarray, p: _Property, labels: tuple[str, ...]) -> RawColumn:
    return _texted(_numbered(RawColumn(p.name, values)), labels)


def _typed_as(column: RawColumn) -> str:
    return "texts" if column.labels else column.values.dtype.str


_INDICES = ("vertex_indices", "vertex_index")


def _numbered(column: RawColumn) -> RawColumn:
    """Ids beyond 32 bits, which PLY has no whole numbers for and which came as doubles, as what they are."""
    values = column.values
    if column.name != KEY or values.dtype.kind != "f" or values.dtype.itemsize < 8:
        return column
    whole = np.isfinite(values).all() and (np.abs(values) <= WHOLE_FLOAT64).all() and (values == np.rint(values)).all()
    return RawColumn(column.name, values.astype("<i8")) if whole else column


def _texted(column: RawColumn, labels: tuple[str, ...]) -> RawColumn:
    """Numbers of texts that our own writer listed in a comment as these texts; as they came where they are no such."""
    values = column.values
    if not labels or values.dtype.kind not in "iu" or not len(values):
        return column
    if int(values.min()) < 0 or int(values.max()) >= len(labels):
        return column
    return RawColumn(column.name, values.astype(np.int32), labels)


def _texts_of(line: str) -> tuple[str, tuple[str, ...]]:
    """The column and the texts of a comment ``texts NAME ["a", "b"]``; no texts where it is none of these."""
    parts = line.split(None, 3)
    try:
        found = json.loads(parts[3]) if len(parts) == 4 else None
    except (ValueError, RecursionError):
        found = None
    if not isinstance(found, list) or not all(isinstance(t, str) and sayable(t) == t for t in found):
        return "", ()
    return parts[2], tuple(found)


def _mesh(raw: list[RawColumn], faces: _Rows, name: str, notes: tuple[str, ...]) -> Population:
    """The vertices with the faces over them."""
    check_places(raw, name, "vertex")
    key = next((k for k in _INDICES if k in faces.items), None)
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


def _header(data: bytes, name: str) -> tuple[str, list[_Element], int, dict[str, tuple[str, ...]]]:
    end = re.search(rb"(?:\r\n|\n|\r)end_header[ \t]*(\r\n|\n|\r)", data[:_LONGEST_HEADER])
    if not end:
        raise BadInput(
            f"The header of {name} has no line 'end_header'; the file may have been cut off. Export it again.",
            place=f"{name}, header",
        )  # fmt: skip
    try:
        lines = re.split(r"\r\n|\n|\r", data[: end.start()].decode("ascii"))
    except UnicodeDecodeError as error:
        raise BadInput(
            f"The header of {name} has a byte outside ASCII at {error.start}. Export it again.",
            place=f"{name}, header",
        ) from None
    order = ""
    elements: list[_Element] = []
    texts: dict[str, tuple[str, ...]] = {}
    for number, line in enumerate(lines[1:], 2):
        words = line.split()
        if words[:2] == ["comment", "texts"]:
            column, labels = _texts_of(line)
            texts[column] = labels
        if not words or words[0] in ("comment", "obj_info"):
            continue
        if words[0] == "format" and len(words) == 3:
            order = _format(words[1], name, number)
        elif words[0] == "element" and len(words) == 3:
            elements.append(_element(words, name, number))
        elif words[0] == "property" and elements and len(words) >= 3:
            _property(words, elements[-1], name, number)
        else:
            raise BadInput(f"Line {number} is not PLY: {line[:60]!r}. Export it again.", place=f"{name}, line {number}")
    if not order:
        raise BadInput(f"The header of {name} has no line 'format'. Export it again.", place=f"{name}, header")
    return order, elements, end.end(), texts


def _format(word: str, name: str, number: int) -> str:
    if word == "ascii":
        return word
    if word in _ORDERS:
        return _ORDERS[word]
    raise BadInput(
        f"Line {number} names the format {word[:40]!r}; known are ascii, binary_little_endian and binary_big_endian.",
        place=f"{name}, line {number}",
    )


def _element(words: list[str], name: str, number: int) -> _Element:
    if not re.fullmatch(r"\d{1,18}", words[2]):
        raise BadInput(
            f"Line {number} gives the count {words[2][:40]!r}; a whole number is wanted.",
            place=f"{name}, line {number}",
        )
    return _Element(words[1], int(words[2]), number)


def _property(words: list[str], element: _Element, name: str, number: int) -> None:
    place = f"{name}, line {number}"
    listed = words[1] == "list"
    if listed and (len(words) != 5 or words[2] not in _TYPES or words[3] not in _TYPES or _TYPES[words[2]][0] == "f"):
        raise BadInput(f"Line {number} is not a list property: {' '.join(words)[:60]!r}.", place=place)
    if not listed and (words[1] not in _TYPES or len(words) != 3):
        raise BadInput(
            f"Line {number} has the unknown type {words[1][:40]!r}. Use a PLY type, such as float.",
            place=place,
        )
    title = words[-1]
    if any(p.name == title for p in element.properties):
        raise BadInput(
            f"Line {number} declares the property {title!r} a second time. Give every property its own name.",
            place=place,
        )
    if len(title) > LONGEST_NAME:
        raise BadInput(
            f"Line {number} has a property name of {len(title)} characters; at most {LONGEST_NAME}.", place=place
        )
    if runs_as_formula(title):
        raise BadInput(
            f"Line {number} has the property name {title[:40]!r}, which a spreadsheet would run as a formula. "
            "Give it another name.",
            place=place, code="formula_cell",
        )  # fmt: skip
    counted = _TYPES[words[2]] if listed else ""
    element.properties.append(_Property(title, _TYPES[words[3] if listed else words[1]], number, counted))
    if own_columns(p.name for p in element.properties) > LARGEST_COLUMNS:
        raise BadInput(
            f"'{element.name}' has more than {LARGEST_COLUMNS} properties beside those of results. Leave out some.",
            place=place, code="too_many",
        )  # fmt: skip


def _check_vertex(vertex: _Element, name: str) -> None:
    if vertex.lists:
        listed = vertex.lists[0]
        raise BadInput(
            f"Line {listed.line} gives each vertex a list, {listed.name!r}; an element carries single values. "
            "Leave the list out.",
            place=f"{name}, line {listed.line}",
        )
    if vertex.count == 0:
        raise BadInput(
            f"Line {vertex.line} declares 0 vertices. Export at least one point.",
            place=f"{name}, line {vertex.line}",
        )
    if not vertex.properties:
        raise BadInput("The vertices have no properties. Export their places.", place=f"{name}, line {vertex.line}")


def _too_few(vertex: _Element, name: str, found: int) -> BadInput:
    return BadInput(
        f"Line {vertex.line} declares {vertex.count:,} vertices, but the file holds only {found:,}. "
        "The count is wrong or the file was cut off: export it again.",
        place=f"{name}, vertex {found + 1}", code="truncated",
    )  # fmt: skip


def _binary(
    body: memoryview, elements: list[_Element], index: int, order: str, name: str
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
        raise _too_few(vertex, name, room)
    end = skip + vertex.count * row.itemsize
    if len(body) > end and not any(e.count for e in elements[index + 1 :]):
        raise _too_many(vertex, name, f"{len(body) - end:,} bytes")
    table = np.frombuffer(body[skip:end], row)
    return [_native(table[p.name], p.type) for p in vertex.properties], end


def _native(values: np.ndarray, kind: str) -> np.ndarray:
    """The values in little endian."""
    return values.astype(("<" if int(kind[1]) > 1 else "|") + kind)


def _binary_faces(
    body: memoryview, elements: list[_Element], index: int, face: int, at: int, order: str, name: str
) -> _Rows:
    """The faces, after whatever stands between them and the vertices."""
    data = np.frombuffer(body, np.uint8)
    for e in elements[index + 1 : face]:
        _, _, at = _walked(data, e, at, order, name)
    element = elements[face]
    offsets, counts, at = _walked(data, element, at, order, name)
    if len(data) > at and not any(e.count for e in elements[face + 1 :]):
        raise _too_many(element, name, f"{len(data) - at:,} bytes")
    found = _Rows({}, {}, {})
    for k, p in enumerate(element.properties):
        where, many = np.ascontiguousarray(offsets[:, k]), np.ascontiguousarray(counts[:, k])
        held = np.empty(int(many.sum()) * int(p.type[1]), np.uint8)
        lists.gathered(data, where, many, int(p.type[1]), held)
        values = _native(held.view(order + p.type), p.type)
        if p.counted:
            found.counts[p.name], found.items[p.name] = many, values
        else:
            found.single[p.name] = values
    return found


def _walked(data: np.ndarray, element: _Element, at: int, order: str, name: str) -> tuple[np.ndarray, np.ndarray, int]:
    """Where each property of each row lies, how many items it has, and where the next element begins."""
    sizes = [int(p.type[1]) for p in element.properties]
    counted = [int(p.counted[1]) if p.counted else 0 for p in element.properties]
    least = sum(c or s for c, s in zip(counted, sizes, strict=True))
    if element.count > (len(data) - at) // max(least, 1):
        raise _cut_off(element, name, (len(data) - at) // max(least, 1))
    offsets, counts = (np.empty((element.count, len(sizes)), np.int64) for _ in range(2))
    signed = [int(p.counted[:1] == "i") for p in element.properties]
    end = int(
        lists.walk(
            data, at, element.count, order == ">", np.array(sizes, np.int64), np.array(counted, np.int64),
            np.array(signed, np.int64), offsets, counts,
        )
    )  # fmt: skip
    if end < 0:
        raise _cut_off(element, name, -1 - end)
    return offsets, counts, end


def _cut_off(element: _Element, name: str, row: int) -> BadInput:
    return BadInput(
        f"Line {element.line} declares {element.count:,} of '{element.name}', but number {row + 1:,} does not fit into "
        "the file. A count is wrong or the file was cut off: export it again.",
        place=f"{name}, {element.name} {row + 1}", code="truncated",
    )  # fmt: skip


def _ascii_faces(
    body: memoryview, elements: list[_Element], index: int, face: int, at: int, name: str, task: Task
) -> _Rows:
    """The same out of text: a line a face."""
    data = np.frombuffer(body, np.uint8)
    element = elements[face]
    at = int(text.skip_lines(data, at, sum(e.count for e in elements[index + 1 : face])))
    if at < 0 or element.count > len(data) - at:
        raise _cut_off(element, name, int(text.filled_lines(data, max(at, 0), len(data))))
    parts: list[_Rows] = []
    room, done = 64 * BATCH, 0
    starts, stops, first = np.empty(room, np.int64), np.empty(room, np.int64), np.empty(BATCH + 1, np.int64)
    while done < element.count:
        task.reach(done / element.count)
        rows, at, long, cells = (
            int(v)
            for v in lists.ragged_cells(data, at, min(BATCH, element.count - done), LONGEST, starts, stops, first)
        )
        if long:
            raise _bad_face(name, done + rows, f"has a value of {long:,} characters; at most {LONGEST} are taken")
        if not rows:
            if at >= len(data):
                raise _cut_off(element, name, done)
            raise _bad_face(name, done, f"has more than {room:,} values")
        parts.append(_rows_of(data, element, starts[:cells], stops[:cells], first[: rows + 1], done, name))
        done += rows
    if not any(e.count for e in elements[face + 1 :]):
        more = int(text.filled_lines(data, at, len(data)))
        if more:
            raise _too_many(element, name, f"{more:,} lines")
    return _joined(parts)


def _joined(parts: list[_Rows]) -> _Rows:
    def whole(tables: list[dict[str, np.ndarray]]) -> dict[str, np.ndarray]:
        return {key: np.concatenate([table[key] for table in tables]) for key in tables[0]}

    return _Rows(whole([p.single for p in parts]), whole([p.counts for p in parts]), whole([p.items for p in parts]))


def _bad_face(name: str, row: int, what: str) -> BadInput:
    return BadInput(f"Face {row + 1} {what}. Export the file again.", place=f"{name}, face {row + 1}", code="ragged")


def _rows_of(
    data: np.ndarray, element: _Element, starts: np.ndarray, stops: np.ndarray, first: np.ndarray, done: int, name: str
) -> _Rows:
    """Some lines of cells as the properties of an element."""
    values, whole, kinds = (
        np.full(len(starts), np.nan),
        np.zeros(len(starts), np.int64),
        np.empty(len(starts), np.uint8),
    )
    text.numbers(data, starts, stops, 0, 1, values, whole, kinds)
    for k in np.flatnonzero(kinds >= text.LONG).tolist():
        cell = data[starts[k] : stops[k]].tobytes()
        if not is_number(cell):
            row = int(np.searchsorted(first, k, side="right")) - 1
            raise _bad_face(name, done + row, f"has {cell.decode('ascii', 'replace')[:40]!r}; a number is wanted")
        values[k] = float(cell)
    cursor, ends = first[:-1].copy(), first[1:]
    found = _Rows({}, {}, {})

    def within(wanted: np.ndarray) -> None:
        short = np.flatnonzero(cursor + wanted > ends)
        if len(short):
            raise _bad_face(name, done + int(short[0]), "has fewer values than its header and its counts say")

    for p in element.properties:
        within(np.ones(len(cursor), np.int64))
        if not p.counted:
            found.single[p.name] = _whole(values[cursor], p, done, name)
            cursor += 1
            continue
        many = _whole(values[cursor], _Property(p.name, "i8", p.line), done, name)
        if (many < 0).any():
            raise _bad_face(name, done + int(np.flatnonzero(many < 0)[0]), "has a list of fewer than 0 items")
        cursor += 1
        within(many)
        total = int(many.sum())
        at = np.repeat(cursor - np.concatenate([[0], np.cumsum(many)[:-1]]), many) + np.arange(total)
        found.counts[p.name], found.items[p.name] = many, _whole(values[at], p, done, name)
        cursor += many
    more = np.flatnonzero(cursor != ends)
    if len(more):
        raise _bad_face(name, done + int(more[0]), "has more values than its header and its counts say")
    return found


def _whole(values: np.ndarray, p: _Property, done: int, name: str) -> np.ndarray:
    """Numbers as the type of a property; whole ones must be whole and within its range."""
    kind = ("<" if int(p.type[1]) > 1 else "|") + p.type
    if p.type[0] != "f":
        limits = np.iinfo(kind)
        with np.errstate(invalid="ignore"):
            bad = np.flatnonzero(~((values >= limits.min) & (values <= limits.max) & (values == np.floor(values))))
        if len(bad):
            raise BadInput(
                f"{p.name!r} has {values[bad[0]]:g} after face {done + 1}; a whole number from {limits.min} to "
                f"{limits.max} is wanted. Export the file again.",
                place=f"{name}, face {done + 1}", code="ragged",
            )  # fmt: skip
    with np.errstate(over="ignore"):
        return values.astype(kind)


def _too_many(vertex: _Element, name: str, more: str) -> BadInput:
    plural = _PLURALS.get(vertex.name, vertex.name)
    return BadInput(
        f"Line {vertex.line} declares {vertex.count:,} {plural}, but {more} follow them. "
        "The count is wrong: export the file again.",
        place=f"{name}, line {vertex.line}", code="wrong_count",
    )  # fmt: skip


def _ascii(
    body: memoryview, elements: list[_Element], index: int, name: str, task: Task
) -> tuple[list[np.ndarray], int]:
    """The columns of the vertices, and where the next element begins."""
    vertex, width = elements[index], len(elements[index].properties)
    data = np.frombuffer(body, np.uint8)
    if vertex.count > len(data):
        raise _too_few(vertex, name, int(text.filled_lines(data, 0, len(data))))
    at = int(text.skip_lines(data, 0, sum(e.count for e in elements[:index])))
    columns = [np.empty(vertex.count, ("<" if int(p.type[1]) > 1 else "|") + p.type) for p in vertex.properties]
    batch, done = Batch(data, width), 0
    while done < vertex.count:
        task.reach(done / vertex.count)
        wanted = min(BATCH, vertex.count - done)
        if at < 0 or at >= len(data):
            raise _too_few(vertex, name, done)
        batch.rows, at, why, found = text.blank_cells(data, at, width, wanted, LONGEST, batch.starts, batch.stops)
        for k, p in enumerate(vertex.properties):
            columns[k][done : done + batch.rows] = _typed(batch, k, p.name, p.type, name, done)
        done += batch.rows
        if why == text.TOO_LONG:
            raise BadInput(
                f"Vertex {done + 1} has a value of {found:,} characters; at most {LONGEST} are taken. "
                "Export the file again.",
                place=f"{name}, vertex {done + 1}", code="ragged",
            )  # fmt: skip
        if why == text.RAGGED:
            if not text.filled_lines(data, at, 1):
                raise _too_few(vertex, name, done)
            raise BadInput(
                f"Vertex {done + 1} has {found} values where {width} are declared. Export the file again.",
                place=f"{name}, vertex {done + 1}", code="ragged",
            )  # fmt: skip
    more = 0 if any(e.count for e in elements[index + 1 :]) else int(text.filled_lines(data, at, len(data)))
    if more:
        raise _too_many(vertex, name, f"{more:,} lines")
    return columns, at


def _typed(batch: Batch, column: int, title: str, kind: str, name: str, done: int) -> np.ndarray:
    """Cells of one property as its type; integers must be integers within range."""
    numbers, _, kinds = batch.numbers(column)
    bad = np.flatnonzero(kinds == text.ODD)
    what = "a number is wanted"
    if kind[0] != "f" and not len(bad):
        limits = np.iinfo(kind)
        with np.errstate(invalid="ignore"):
            fits = (numbers >= limits.min) & (numbers <= limits.max) & (numbers == np.floor(numbers))
        bad, what = np.flatnonzero(~fits), f"a whole number from {limits.min} to {limits.max} is wanted"
    if len(bad):
        vertex = done + int(bad[0]) + 1
        cell = batch.cell(int(bad[0]), column).decode("ascii", "replace")[:40]
        raise BadInput(f"Vertex {vertex} has {cell!r} for {title}; {what}.", place=f"{name}, vertex {vertex}, {title}")
    with np.errstate(over="ignore"):
        return numbers.astype(kind)


def _header_lines(columns: list[RawColumn], count: int, form: str, faces: _Faces | None) -> bytes:
    lines = ["ply", f"format {form} 1.0", "comment made by Gaudy Seed", *_listed(columns)]
    lines += [f"element vertex {count}", *_declared(columns)]
    if faces:
        counted = "uchar" if faces.counted == "u1" else "int"
        lines += [f"element face {faces.count}", f"property list {counted} int vertex_indices"]
        lines += [f"property list {counted} double texcoord"] if faces.uv is not None else []
        lines += _declared(faces.columns)
    return ("\n".join([*lines, "end_header"]) + "\n").encode("ascii")


def _listed(columns: list[RawColumn]) -> list[str]:
    """Comments that list the texts of columns, as JSON; none of texts that are too long for a head."""
    names = _plain([column.name for column in columns])
    found = [f"comment texts {n} {json.dumps(c.labels)}" for n, c in zip(names, columns, strict=True) if c.labels]
    return found if sum(map(len, found)) <= MOST_LISTED else []


def _declared(columns: list[RawColumn]) -> list[str]:
    names = _plain([column.name for column in columns])
    return [f"property {_NAMES[c.values.dtype.str[1:]]} {n}" for n, c in zip(names, columns, strict=True)]


@dataclass(frozen=True)
class _Faces:
    """What goes out of the faces of a mesh."""

    form: Polygons
    columns: list[RawColumn]
    uv: np.ndarray | None

    @property
    def count(self) -> int:
        """How many faces go out."""
        return self.form.faces

    @property
    def counted(self) -> str:
        """The type of the counts of lists: a byte where that is enough, as most files have it."""
        return "u1" if 2 * int(np.diff(self.form.starts).max()) < 256 else "<i4"


def _faces_of(population: Population) -> _Faces | None:
    form = population.form.polygons
    if form is None:
        return None
    columns = []
    told = any(f.name == PART for a in form.of_faces.values() for f in a.fields)
    for a in form.of_faces.values():
        # The parts by number, unless the numbers that they came with are there.
        fields = a.fields or ((Field(a.name, "<i4"),) if a.name == PART and not told else ())
        for k, f in enumerate(fields):
            values = (a.values if a.values.ndim == 1 else a.values[:, k]).astype(f.dtype)
            columns.append(_plain_column(RawColumn(f.name, values, a.labels, a.missing)))
    uv = form.of_corners.get("uv")
    uv = uv if uv is not None and fits(uv) else None
    return _Faces(form, columns, None if uv is None else uv.values.astype("<f8"))


def _plain(names: list[str]) -> list[str]:
    """Property names without white space or characters outside ASCII, no two alike."""
    found: list[str] = []
    for name in names:
        plain = base = re.sub(r"[^!-~]+", "_", name)[:LONGEST_NAME] or "_"
        number = 2
        while plain in found:
            plain = f"{base[: LONGEST_NAME - 8]}_{number}"
            number += 1
        found.append(plain)
    return found


def _writable(population: Population, results: Results | None, in_blocks: bool = False) -> list[RawColumn]:
    """PLY has no text, no 64-bit integers and nothing missing.

    Texts go out as their numbers, with a comment that lists them, large integers and those with some
    missing as doubles, NaN where one is missing.
    """
    return [_plain_column(column, in_blocks) for column in outgoing(population, results)]


def _plain_column(column: RawColumn, in_blocks: bool = False) -> RawColumn:
    values, missing = column.values, column.missing
    # A block without gaps has the type of those that have some.
    if missing is not None and (in_blocks or missing.any()) and values.dtype.kind in "iu":
        values = np.where(missing, np.nan, values.astype("<f8"))
    return RawColumn(column.name, values.astype("<f8") if values.dtype.str == "<i8" else values, column.labels)


def write(
    population: Population, results: Results | None, context: WriterContext = WriterContext(), task: Task = UNWATCHED
) -> bytes:  # fmt: skip
    """Binary little-endian PLY: every attribute as it came, then the results by channel; then the faces of a mesh."""
    columns, faces = _writable(population, results), _faces_of(population)
    head = _header_lines(columns, population.count, "binary_little_endian", faces)
    rows = _vertex_rows(columns, population.count, task)
    return b"".join([head, rows, *(task.along(_binary_rows(faces)) if faces else [])])


def write_blocks(blocks: Iterator[tuple[Population, Results]], count: int) -> Iterator[bytes]:
    """Binary PLY of vertices, piece by piece; ``count`` is how many there are in all."""
    for k, (population, results) in enumerate(blocks):
        columns = _writable(population, results, in_blocks=True)
        if k == 0:
            yield _header_lines(columns, count, "binary_little_endian", None)
        yield _vertex_rows(columns, population.count, UNWATCHED)


def _vertex_rows(columns: list[RawColumn], count: int, task: Task) -> bytes:
    table = np.empty(count, np.dtype([(f"c{k}", c.values.dtype) for k, c in enumerate(columns)]))
    for (k, column), part in task.each(list(enumerate(columns))):
        part.check()
        table[f"c{k}"] = column.values
    return table.tobytes()


def _binary_rows(faces: _Faces) -> Iterator[bytes]:
    """The faces, those of one number of corners that follow one another at a time."""
    sizes = np.diff(faces.form.starts)
    changes = np.flatnonzero(np.diff(sizes)) + 1
    for a, b in zip([0, *changes.tolist()], [*changes.tolist(), len(sizes)], strict=True):
        size, first = int(sizes[a]), int(faces.form.starts[a])
        row: list[Any] = [("n", faces.counted), ("v", "<i4", (size,))]
        row += [("m", faces.counted), ("uv", "<f8", (2 * size,))] if faces.uv is not None else []
        row += [(f"c{k}", c.values.dtype) for k, c in enumerate(faces.columns)]
        table = np.empty(b - a, np.dtype(row))
        table["n"], table["v"] = size, faces.form.corners[first : first + (b - a) * size].reshape(b - a, size)
        if faces.uv is not None:
            table["m"], table["uv"] = 2 * size, faces.uv[first : first + (b - a) * size].reshape(b - a, 2 * size)
        for k, c in enumerate(faces.columns):
            table[f"c{k}"] = c.values[a:b]
        yield table.tobytes()


def write_ascii(
    population: Population, results: Results | None, context: WriterContext = WriterContext(), task: Task = UNWATCHED
) -> bytes:  # fmt: skip
    """ASCII PLY with digits that read back exactly."""
    columns, faces = _writable(population, results), _faces_of(population)
    head = _header_lines(columns, population.count, "ascii", faces)
    rows = [number_lines([column.values for column in columns], task=task.part(0, 0.6 if faces else 1))]
    if faces:
        rows.append(lines(faces.count, lambda a, b: _face_cells(faces, a, b), task=task.part(0.6, 1)))
    return b"".join([head, *(part.text for part in rows)])


def _face_cells(faces: _Faces, a: int, b: int) -> list[Cells]:
    """How many corners each face has and which; how many numbers of uv and which; its own columns."""
    starts = faces.form.starts[a : b + 1]
    first, last = int(starts[0]), int(starts[-1])
    starts = starts - first
    cells = [number_cells(np.diff(starts)), list_cells(faces.form.corners[first:last], starts)]
    if faces.uv is not None:
        cells += [number_cells(2 * np.diff(starts)), list_cells(faces.uv[first:last].reshape(-1), 2 * starts)]
    return [*cells, *(number_cells(column.values[a:b]) for column in faces.columns)]


def _is_ply(data: bytes) -> bool:
    return data.startswith(b"ply") and data[3:4] in (b"\n", b"\r")


FORMATS.add(
    "ply",
    Format(
        "ply",
        "PLY, binary",
        ".ply",
        "application/octet-stream",
        write,
        read,
        _is_ply,
        shapes=True,
        lacks=("texts",),
        blocks_in=_Table,
        blocks_out=write_blocks,
    ),
)
FORMATS.add(
    "ply_ascii",
    Format(
        "ply_ascii",
        "PLY, text",
        ".ply",
        "text/plain; charset=us-ascii",
        write_ascii,
        as_text=True,
        lacks=("texts",),
    ),
)
