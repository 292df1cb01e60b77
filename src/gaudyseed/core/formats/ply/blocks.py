"""The vertices of a binary PLY file in blocks."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...errors import BadInput
from ...population import Population
from ...runtime.task import Task
from ..blocks import ROWS, clones_in_block
from ..columns import RawColumn
from .columns import numbered, texted
from .header import (
    LONGEST_HEADER,
    Property,
    check_vertex,
    read_header,
    too_few,
)
from .reader import native


class Table:
    """The vertices of a binary PLY file in blocks of rows."""

    def __init__(self, data: np.ndarray, name: str, task: Task) -> None:
        order, elements, start, self._texts = read_header(bytes(data[:LONGEST_HEADER]), name)
        index = next((k for k, e in enumerate(elements) if e.name == "vertex"), None)
        other = [e for e in elements if e.name != "vertex" and e.count]
        if order == "ascii" or index is None or other:
            raise BadInput(
                f"{name} is no binary PLY of vertices alone, so it is read whole. Colour it without blocks.",
                place=name, code="not_in_blocks",
            )  # fmt: skip
        self._vertex, self._name = elements[index], name
        check_vertex(self._vertex, name)
        row = np.dtype([(p.name, order + p.type) for p in self._vertex.properties])
        room = (len(data) - start) // row.itemsize
        if room < self._vertex.count:
            raise too_few(self._vertex, name, room)
        self.count = self._vertex.count
        self._rows = data[start : start + self.count * row.itemsize].view(row)
        # What the numbers of a column stand for is seen by all of them, as where the file is read whole.
        self._read_as = {p.name: self._kind_of(p) for p in self._vertex.properties}

    def _kind_of(self, p: Property) -> str:
        """The type of a column once its ids and texts are known as such: ``<i8``, ``texts`` or its own."""
        labels = self._texts.get(p.name, ())
        found = {_typed_as(_plain_read(part, p, labels)) for part in self._parts(p)}
        return found.pop() if len(found) == 1 else p.type

    def _parts(self, p: Property) -> Iterator[np.ndarray]:
        for a in range(0, self.count, ROWS):
            yield native(self._rows[p.name][a : a + ROWS], p.type)

    def blocks(self) -> Iterator[Population]:
        """All vertices as clones."""
        for a in range(0, self.count, ROWS):
            raw = []
            for p in self._vertex.properties:
                values, labels = native(self._rows[p.name][a : a + ROWS], p.type), self._texts.get(p.name, ())
                column = _plain_read(values, p, labels)
                raw.append(column if _typed_as(column) == self._read_as[p.name] else RawColumn(p.name, values))
            yield clones_in_block(raw, self._name, "vertex", a)


def _plain_read(values: np.ndarray, p: Property, labels: tuple[str, ...]) -> RawColumn:
    return texted(numbered(RawColumn(p.name, values)), labels)


def _typed_as(column: RawColumn) -> str:
    return "texts" if column.labels else column.values.dtype.str
