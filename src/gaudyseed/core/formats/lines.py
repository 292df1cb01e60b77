"""Rows of text out of columns: numbers and texts become cells, cells become lines, some rows at a time side by side."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from ..kernels import digits as kernels
from ..kernels.parallel import over
from ..runtime.task import UNWATCHED, Task

#: Rows worked out at a time.
_ROWS = 65_536


class Cells(NamedTuple):
    """The cells of a column: bytes, and where in them each cell begins and how many it has, (n,) int64."""

    data: np.ndarray
    starts: np.ndarray
    sizes: np.ndarray

    @property
    def text(self) -> memoryview:
        """The bytes of all cells, where these lie one after another."""
        return self.data.data

    def only(self, where: np.ndarray) -> Cells:
        """Blanks the cells outside the mask."""
        return Cells(self.data, self.starts, np.where(where, self.sizes, 0))


_NONE = Cells(np.empty(0, np.uint8), np.empty(0, np.int64), np.empty(0, np.int64))


def number_cells(values: np.ndarray) -> Cells:
    """Numbers with digits that read back exactly: float64 and float32 with the fewest, whole numbers plain.

    >>> columns = [number_cells(np.array([0.1, -2], np.float32)), number_cells(np.array([7, 80]))]
    >>> bytes(joined(columns, between=b" ", after=b";").text)
    b'0.1 7;-2 80;'
    """
    out = np.empty((len(values), kernels.WIDEST), np.uint8)
    sizes = np.empty(len(values), np.int64)
    if values.dtype.kind in "iu":
        # The largest unsigned ones become negative, which are left to the texts below.
        whole = values.astype(np.int64)
        kernels.wholes(whole, out, sizes)
        if values.dtype == np.uint64:
            sizes[whole < 0] = 0
    elif values.dtype.itemsize > 4:
        kernels.doubles(np.require(values, np.float64, "A"), out, sizes)
    else:
        kernels.floats(np.require(values, np.float32, "A"), out, sizes)
    left = np.flatnonzero(sizes == 0)
    if len(left):
        texts = text_cells([text.encode() for text in _digits(values[left])], np.arange(len(left)))
        sizes[left] = texts.sizes
        kernels.put(*texts, left * kernels.WIDEST, out.reshape(-1))
    return Cells(out.reshape(-1), np.arange(len(values), dtype=np.int64) * kernels.WIDEST, sizes)


def _digits(values: np.ndarray) -> list[str]:
    """Numbers that no kernel writes."""
    if values.dtype.kind in "iu":
        return list(map(str, values.tolist()))
    return list(map(repr if values.dtype.itemsize > 4 else "%.9g".__mod__, values.tolist()))


def text_cells(labels: Sequence[bytes], values: np.ndarray) -> Cells:
    """Cells with the text that the number of each row stands for."""
    sizes = np.array([len(label) for label in labels], np.int64)
    starts = np.concatenate([[0], np.cumsum(sizes)])[:-1].astype(np.int64)
    return Cells(np.frombuffer(b"".join(labels), np.uint8), starts[values], sizes[values])


def joined(columns: Sequence[Cells], before: bytes = b"", between: bytes = b"", after: bytes = b"") -> Cells:
    """One cell of all columns of a row, one after another in the bytes."""
    rows = len(columns[0].sizes)
    fixed = len(before) + len(between) * (len(columns) - 1) + len(after)
    sizes = np.asarray(np.sum([column.sizes for column in columns], axis=0, dtype=np.int64)) + fixed
    ends = np.cumsum(sizes)
    starts = ends - sizes
    out = np.empty(int(ends[-1]) if rows else 0, np.uint8)
    at = starts.copy()
    for k, column in enumerate(columns):
        mark = between if k else before
        if mark:
            kernels.put_same(np.frombuffer(mark, np.uint8), at, out)
        kernels.put(column.data, column.starts, column.sizes, at, out)
    if after:
        kernels.put_same(np.frombuffer(after, np.uint8), at, out)
    return Cells(out, starts, sizes)


def list_cells(values: np.ndarray, starts: np.ndarray) -> Cells:
    """One cell for all numbers from each start to the next, parted by blanks."""
    return runs(joined([number_cells(values)], after=b" "), starts)


def runs(cells: Cells, starts: np.ndarray) -> Cells:
    """One cell of all those from each start to the next; they lie one after another, and the last byte is left out."""
    ends = np.append(cells.starts, len(cells.data))[starts]
    return Cells(cells.data, ends[:-1], np.maximum(np.diff(ends) - 1, 0))


def lines(
    count: int, columns: Callable[[int, int], Sequence[Cells]], before: bytes = b"", between: bytes = b" ",
    after: bytes = b"\n", task: Task = UNWATCHED,
) -> Cells:  # fmt: skip
    """All rows, one after another; ``columns`` gives the cells of the rows from one to another."""
    parts = [_NONE] * -(-count // _ROWS)

    def work(a: int, b: int) -> None:
        parts[a // _ROWS] = joined(columns(a, b), before, between, after)

    over(count, work, task, chunk=_ROWS, told=True)
    if len(parts) < 2:
        return parts[0] if parts else _NONE
    sizes = np.concatenate([part.sizes for part in parts])
    return Cells(np.concatenate([part.data for part in parts]), np.cumsum(sizes) - sizes, sizes)


def number_lines(
    columns: Sequence[np.ndarray], before: bytes = b"", between: bytes = b" ", after: bytes = b"\n",
    task: Task = UNWATCHED,
) -> Cells:  # fmt: skip
    """Lines of numbers, with digits that read back exactly."""
    return lines(len(columns[0]), lambda a, b: [number_cells(c[a:b]) for c in columns], before, between, after, task)


def between_rows(rows: Cells, events: Mapping[int, Sequence[str]]) -> Iterator[bytes | memoryview]:
    """The bytes of rows, and before those with events the events' lines."""
    at = 0
    for row in sorted(events):
        start = int(rows.starts[row])
        yield rows.text[at:start]
        yield "".join(f"{line}\n" for line in events[row]).encode()
        at = start
    yield rows.text[at:]
