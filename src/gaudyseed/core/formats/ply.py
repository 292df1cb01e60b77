"""PLY: ASCII and both binary forms.

Greg Turk's format of 1994. Read here rather than by a library because a header
is a promise that a hostile file breaks: counts are held against the size of the
file before anything is allocated, and each error names the line or vertex.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

import numpy as np

from ..errors import BadInput
from ..kernels import text
from ..population import Population
from .base import FORMATS, Format
from .cells import BATCH, Batch, Check, never, runs_as_formula
from .columns import LARGEST_COLUMNS, LONGEST_NAME, RawColumn, Results, batches, digits, outgoing, to_population

_TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2",
    "ushort": "u2", "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4",
    "float": "f4", "float32": "f4", "double": "f8", "float64": "f8",
}  # fmt: skip
_NAMES = {"i1": "char", "u1": "uchar", "i2": "short", "u2": "ushort", "i4": "int", "u4": "uint",
          "f4": "float", "f8": "double"}  # fmt: skip
_ORDERS = {"binary_little_endian": "<", "binary_big_endian": ">"}
_LONGEST_HEADER = 1 << 20
#: Characters that a value of an ASCII file may have.
LONGEST = 400


@dataclass
class _Element:
    name: str
    count: int
    line: int
    properties: list[tuple[str, str, int]] = field(default_factory=list)  # name, type, line
    lists: list[tuple[str, int]] = field(default_factory=list)  # name, line


def read(data: bytes, name: str, check: Check = never) -> Population:
    """The vertices of a PLY file as a population; BadInput names the line or vertex. ``check`` may raise to stop."""
    order, elements, start = _header(data, name)
    if not any(e.name == "vertex" for e in elements):
        found = ", ".join(e.name for e in elements) or "nothing"
        raise BadInput(f"{name} declares {found} but no element 'vertex'. Export its points.", place=name)
    index = next(k for k, e in enumerate(elements) if e.name == "vertex")
    vertex = elements[index]
    _check_vertex(vertex, name)
    body = memoryview(data)[start:]
    if order == "ascii":
        values = _ascii(body, elements, index, name, check)
    else:
        values = _binary(body, elements, index, order, name)
    notes = tuple(
        f"{e.count:,} of '{e.name}' were left out: only points are read."
        for e in elements
        if e is not vertex and e.count
    )
    raw = [RawColumn(p, np.ascontiguousarray(v)) for (p, _, _), v in zip(vertex.properties, values, strict=True)]
    return to_population(raw, name, "vertex", notes)


def _header(data: bytes, name: str) -> tuple[str, list[_Element], int]:
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
    for number, line in enumerate(lines[1:], 2):
        words = line.split()
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
    return order, elements, end.end()


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
    if words[1] == "list":
        if len(words) != 5 or words[2] not in _TYPES or words[3] not in _TYPES:
            raise BadInput(f"Line {number} is not a list property: {' '.join(words)[:60]!r}.", place=place)
        element.lists.append((words[4], number))
        return
    if words[1] not in _TYPES or len(words) != 3:
        raise BadInput(
            f"Line {number} has the unknown type {words[1][:40]!r}. Use a PLY type, such as float.",
            place=place,
        )
    if any(p[0] == words[2] for p in element.properties):
        raise BadInput(
            f"Line {number} declares the property {words[2]!r} a second time. Give every property its own name.",
            place=place,
        )
    if len(words[2]) > LONGEST_NAME:
        raise BadInput(
            f"Line {number} has a property name of {len(words[2])} characters; at most {LONGEST_NAME}.", place=place
        )
    if runs_as_formula(words[2]):
        raise BadInput(
            f"Line {number} has the property name {words[2][:40]!r}, which a spreadsheet would run as a formula. "
            "Give it another name.",
            place=place, code="formula_cell",
        )  # fmt: skip
    element.properties.append((words[2], _TYPES[words[1]], number))
    if len(element.properties) > LARGEST_COLUMNS:
        raise BadInput(f"'{element.name}' has more than {LARGEST_COLUMNS} properties. Leave out some.", place=place)


def _check_vertex(vertex: _Element, name: str) -> None:
    if vertex.lists:
        listed, line = vertex.lists[0]
        raise BadInput(
            f"Line {line} gives each vertex a list, {listed!r}; an element carries single values. Leave the list out.",
            place=f"{name}, line {line}",
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


def _binary(body: memoryview, elements: list[_Element], index: int, order: str, name: str) -> list[np.ndarray]:
    skip = 0
    for e in elements[:index]:
        if e.lists and e.count:
            raise BadInput(
                f"The element '{e.name}' with lists stands before 'vertex' (line {e.line}). Export the vertices first.",
                place=f"{name}, line {e.line}",
            )
        skip += e.count * sum(int(t[1]) for _, t, _ in e.properties)
    vertex = elements[index]
    row = np.dtype([(p, order + t) for p, t, _ in vertex.properties])
    room = max(0, len(body) - skip) // row.itemsize
    if room < vertex.count:
        raise _too_few(vertex, name, room)
    after = len(body) - skip - vertex.count * row.itemsize
    if after and not any(e.count for e in elements[index + 1 :]):
        raise _too_many(vertex, name, f"{after:,} bytes")
    table = np.frombuffer(body[skip : skip + vertex.count * row.itemsize], row)
    return [table[p].astype(("<" if int(t[1]) > 1 else "|") + t) for p, t, _ in vertex.properties]


def _too_many(vertex: _Element, name: str, more: str) -> BadInput:
    return BadInput(
        f"Line {vertex.line} declares {vertex.count:,} vertices, but {more} follow them. "
        "The count is wrong: export the file again.",
        place=f"{name}, line {vertex.line}", code="wrong_count",
    )  # fmt: skip


def _ascii(body: memoryview, elements: list[_Element], index: int, name: str, check: Check) -> list[np.ndarray]:
    vertex, width = elements[index], len(elements[index].properties)
    data = np.frombuffer(body, np.uint8)
    if vertex.count > len(data):
        raise _too_few(vertex, name, int(text.filled_lines(data, 0, len(data))))
    at = int(text.skip_lines(data, 0, sum(e.count for e in elements[:index])))
    columns = [np.empty(vertex.count, ("<" if int(t[1]) > 1 else "|") + t) for _, t, _ in vertex.properties]
    batch, done = Batch(data, width), 0
    while done < vertex.count:
        check()
        wanted = min(BATCH, vertex.count - done)
        if at < 0 or at >= len(data):
            raise _too_few(vertex, name, done)
        batch.rows, at, why, found = text.blank_cells(data, at, width, wanted, LONGEST, batch.starts, batch.stops)
        for k, (column, kind, _) in enumerate(vertex.properties):
            columns[k][done : done + batch.rows] = _typed(batch, k, column, kind, name, done)
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
    return columns


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


def _header_lines(columns: list[RawColumn], count: int, form: str) -> bytes:
    lines = ["ply", f"format {form} 1.0", "comment made by Gaudy Seed", f"element vertex {count}"]
    names = _plain([column.name for column in columns])
    lines += [f"property {_NAMES[c.values.dtype.str[1:]]} {n}" for n, c in zip(names, columns, strict=True)]
    return ("\n".join([*lines, "end_header"]) + "\n").encode("ascii")


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


def _writable(population: Population, results: Results | None) -> list[RawColumn]:
    """PLY has no text, no 64-bit integers and nothing missing.

    Texts go out as their numbers, large integers and those with some missing as doubles, NaN where one is missing.
    """
    columns = []
    for column in outgoing(population, results):
        values, missing = column.values, column.missing
        if missing is not None and missing.any() and values.dtype.kind in "iu":
            values = np.where(missing, np.nan, values.astype("<f8"))
        columns.append(RawColumn(column.name, values.astype("<f8") if values.dtype.str == "<i8" else values))
    return columns


def write(population: Population, results: Results | None) -> bytes:
    """Binary little-endian PLY: every attribute as it came, then the results by channel."""
    columns = _writable(population, results)
    row = np.dtype([(f"c{k}", c.values.dtype) for k, c in enumerate(columns)])
    table = np.empty(population.count, row)
    for k, column in enumerate(columns):
        table[f"c{k}"] = column.values
    return _header_lines(columns, population.count, "binary_little_endian") + table.tobytes()


def write_ascii(population: Population, results: Results | None) -> bytes:
    """ASCII PLY with digits that read back exactly."""
    columns = _writable(population, results)
    parts = [_header_lines(columns, population.count, "ascii")]
    for a, b in batches(population.count):
        texts = [digits(column.values[a:b]) for column in columns]
        parts.append(("\n".join(map(" ".join, zip(*texts, strict=True))) + "\n").encode("ascii"))
    return b"".join(parts)


def _is_ply(data: bytes) -> bool:
    return data.startswith(b"ply") and data[3:4] in (b"\n", b"\r")


FORMATS.add("ply", Format("ply", "PLY, binary", ".ply", "application/octet-stream", write, read, _is_ply))
FORMATS.add(
    "ply_ascii", Format("ply_ascii", "PLY, text", ".ply", "text/plain; charset=us-ascii", write_ascii, as_text=True)
)
