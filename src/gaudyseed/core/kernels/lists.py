"""Rows of files that hold lists: where everything lies in binary ones, and cells of lines of any length."""

from __future__ import annotations

import numpy as np
from numba import boolean, int64, types, void
from numba.types import Array, uint8

from . import compiled
from .text import BYTES, OFFSETS, OFFSETS_IN, _blank

_LINE, _RETURN = 10, 13
_ANSWER = types.UniTuple(int64, 4)


@compiled(int64(BYTES, int64, int64, boolean, OFFSETS_IN, OFFSETS_IN, OFFSETS_IN, Array(int64, 2, "C"),
                Array(int64, 2, "C")))  # fmt: skip
def walk(data, at, rows, big, item_sizes, count_sizes, signed, offsets, counts):  # type: ignore[no-untyped-def]
    """Find each property of each row, (rows, p): where it begins and how many items it has.

    A property without a count size has one item. Returns where the rows end; -1 - row where the data end too soon or a
    count is negative.
    """
    n = data.shape[0]
    for row in range(rows):
        for p in range(len(item_sizes)):
            size = count_sizes[p]
            count = np.int64(1)
            if size > 0:
                if at + size > n:
                    return -1 - row
                count = np.int64(0)
                for k in range(size):
                    byte = data[at + k] if big else data[at + size - 1 - k]
                    count = count * 256 + np.int64(byte)
                if signed[p] and count >= np.int64(1) << (8 * size - 1):
                    return -1 - row
                at += size
            if count > (n - at) // item_sizes[p]:
                return -1 - row
            offsets[row, p] = at
            counts[row, p] = count
            at += count * item_sizes[p]
    return at


@compiled(void(BYTES, OFFSETS_IN, OFFSETS_IN, int64, Array(uint8, 1, "C")))
def gathered(data, offsets, counts, size, out):  # type: ignore[no-untyped-def]
    """The bytes of some items one after another."""
    at = 0
    for row in range(len(offsets)):
        a = offsets[row]
        for k in range(counts[row] * size):
            out[at + k] = data[a + k]
        at += counts[row] * size


@compiled(_ANSWER(BYTES, int64, int64, int64, OFFSETS, OFFSETS, OFFSETS))
def ragged_cells(data, at, rows, longest, starts, stops, first):  # type: ignore[no-untyped-def]
    """Find the cells of up to ``rows`` lines, parted by blanks, as many as there is room for.

    ``first`` (rows + 1,) is the number of the first cell of each line. Returns how many lines were read, where the next
    begins, 0 or the length of a cell that is too long, and how many cells there are.
    """
    n = data.shape[0]
    row = np.int64(0)
    cells = np.int64(0)
    first[0] = 0
    while row < rows and at < n:
        begin_row, before = at, cells
        while at < n and data[at] != _LINE and data[at] != _RETURN:
            if _blank(data[at]):
                at += 1
                continue
            begin = at
            while at < n and not _blank(data[at]) and data[at] != _LINE and data[at] != _RETURN:
                at += 1
            if at - begin > longest:
                return row, begin_row, at - begin, before
            if cells >= len(starts):
                # No room for the rest of this line: it comes again.
                return row, begin_row, np.int64(0), before
            starts[cells], stops[cells] = begin, at
            cells += 1
        at += 2 if at + 1 < n and data[at] == _RETURN and data[at + 1] == _LINE else 1
        row += 1
        first[row] = cells
    return row, min(at, n), np.int64(0), cells
