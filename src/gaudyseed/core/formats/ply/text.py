"""PLY as text: vertices and faces out of lines."""

from __future__ import annotations

import numpy as np

from ...errors import BadInput
from ...kernels import lists, text
from ...runtime.task import Task
from ..cells import BATCH, Batch, is_number
from .header import (
    LONGEST,
    Element,
    Property,
    too_few,
    too_many,
)
from .rows import Rows, bad_face, cut_off, joined_rows


def text_faces(
    body: memoryview, elements: list[Element], index: int, face: int, at: int, name: str, task: Task
) -> Rows:
    """The same out of text: a line a face."""
    data = np.frombuffer(body, np.uint8)
    element = elements[face]
    at = int(text.skip_lines(data, at, sum(e.count for e in elements[index + 1 : face])))
    if at < 0 or element.count > len(data) - at:
        raise cut_off(element, name, int(text.filled_lines(data, max(at, 0), len(data))))
    parts: list[Rows] = []
    room, done = 64 * BATCH, 0
    starts, stops, first = np.empty(room, np.int64), np.empty(room, np.int64), np.empty(BATCH + 1, np.int64)
    while done < element.count:
        task.reach(done / element.count)
        rows, at, long, cells = (
            int(v)
            for v in lists.ragged_cells(data, at, min(BATCH, element.count - done), LONGEST, starts, stops, first)
        )
        if long:
            raise bad_face(name, done + rows, f"has a value of {long:,} characters; at most {LONGEST} are taken")
        if not rows:
            if at >= len(data):
                raise cut_off(element, name, done)
            raise bad_face(name, done, f"has more than {room:,} values")
        parts.append(_rows_of(data, element, starts[:cells], stops[:cells], first[: rows + 1], done, name))
        done += rows
    if not any(e.count for e in elements[face + 1 :]):
        more = int(text.filled_lines(data, at, len(data)))
        if more:
            raise too_many(element, name, f"{more:,} lines")
    return joined_rows(parts)


def _rows_of(
    data: np.ndarray, element: Element, starts: np.ndarray, stops: np.ndarray, first: np.ndarray, done: int, name: str
) -> Rows:
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
            raise bad_face(name, done + row, f"has {cell.decode('ascii', 'replace')[:40]!r}; a number is wanted")
        values[k] = float(cell)
    cursor, ends = first[:-1].copy(), first[1:]
    found = Rows({}, {}, {})

    def within(wanted: np.ndarray) -> None:
        short = np.flatnonzero(cursor + wanted > ends)
        if len(short):
            raise bad_face(name, done + int(short[0]), "has fewer values than its header and its counts say")

    for p in element.properties:
        within(np.ones(len(cursor), np.int64))
        if not p.counted:
            found.single[p.name] = _whole(values[cursor], p, done, name)
            cursor += 1
            continue
        many = _whole(values[cursor], Property(p.name, "i8", p.line), done, name)
        if (many < 0).any():
            raise bad_face(name, done + int(np.flatnonzero(many < 0)[0]), "has a list of fewer than 0 items")
        cursor += 1
        within(many)
        total = int(many.sum())
        at = np.repeat(cursor - np.concatenate([[0], np.cumsum(many)[:-1]]), many) + np.arange(total)
        found.counts[p.name], found.items[p.name] = many, _whole(values[at], p, done, name)
        cursor += many
    more = np.flatnonzero(cursor != ends)
    if len(more):
        raise bad_face(name, done + int(more[0]), "has more values than its header and its counts say")
    return found


def _whole(values: np.ndarray, p: Property, done: int, name: str) -> np.ndarray:
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


def text_vertices(
    body: memoryview, elements: list[Element], index: int, name: str, task: Task
) -> tuple[list[np.ndarray], int]:
    """The columns of the vertices, and where the next element begins."""
    vertex, width = elements[index], len(elements[index].properties)
    data = np.frombuffer(body, np.uint8)
    if vertex.count > len(data):
        raise too_few(vertex, name, int(text.filled_lines(data, 0, len(data))))
    at = int(text.skip_lines(data, 0, sum(e.count for e in elements[:index])))
    columns = [np.empty(vertex.count, ("<" if int(p.type[1]) > 1 else "|") + p.type) for p in vertex.properties]
    batch, done = Batch(data, width), 0
    while done < vertex.count:
        task.reach(done / vertex.count)
        wanted = min(BATCH, vertex.count - done)
        if at < 0 or at >= len(data):
            raise too_few(vertex, name, done)
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
                raise too_few(vertex, name, done)
            raise BadInput(
                f"Vertex {done + 1} has {found} values where {width} are declared. Export the file again.",
                place=f"{name}, vertex {done + 1}", code="ragged",
            )  # fmt: skip
    more = 0 if any(e.count for e in elements[index + 1 :]) else int(text.filled_lines(data, at, len(data)))
    if more:
        raise too_many(vertex, name, f"{more:,} lines")
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
