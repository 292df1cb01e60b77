"""PLY out, binary and as text, whole or in blocks."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from ...population import Field, Polygons, Population
from ...population.meshes import PART
from ...population.naming import LONGEST_NAME, fits
from ...runtime.task import UNWATCHED, Task
from ..base import WriterContext
from ..columns import (
    RawColumn,
    Results,
    outgoing,
)
from ..lines import Cells, lines, list_cells, number_cells, number_lines
from .header import (
    MOST_LISTED,
    NAMES,
)


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
    return [f"property {NAMES[c.values.dtype.str[1:]]} {n}" for n, c in zip(names, columns, strict=True)]


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
