"""Cells of text files: numbers and texts out of bytes, a batch at a time; and what a spreadsheet would run."""

from __future__ import annotations

import re
import unicodedata

import numpy as np

from ..kernels import text as kernels

#: Rows read at a time: a few milliseconds each, so that a reader can be stopped and lets others work.
BATCH = 16_384

_UNSIGNED = r"(?:(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?|inf(?:inity)?|nan)"
_NUMBER = re.compile(rf"[+-]?{_UNSIGNED}".encode(), re.I)
#: A number, or a sign alone.
_PLAIN = re.compile(rf"[+-]?{_UNSIGNED}?", re.I | re.ASCII)
_STARTERS = "=+-@"
#: Cells of at most so many bytes are read as numbers together.
_SHORT = 48


def runs_as_formula(text: str) -> bool:
    """Whether a spreadsheet would run a cell with this text (OWASP, "CSV Injection"). One rule for what comes and goes.

    It begins, after blanks, line breaks and invisible characters, with ``=``, ``+``, ``-`` or
    ``@``, also in full width, and is neither a plain number nor a sign alone. A tab or a line break
    at the beginning counts as one.

    >>> runs_as_formula("=1+1"), runs_as_formula("-1+A1"), runs_as_formula("-1.5e3"), runs_as_formula("left-hand")
    (True, True, False, False)
    """
    if text[:1] in ("\t", "\r", "\n"):
        return True
    visible = text
    while visible and (visible[0].isspace() or unicodedata.category(visible[0]) in ("Cc", "Cf")):
        visible = visible[1:]
    first = unicodedata.normalize("NFKC", visible[:1])[:1]
    if not first or first not in _STARTERS + "\u2212\ufe63":
        return False
    return not _PLAIN.fullmatch(visible.strip())


def is_number(cell: bytes) -> bool:
    """Whether a cell is a number as ASCII files have it; no blanks within, no underscores."""
    return _NUMBER.fullmatch(cell.strip()) is not None


class Batch:
    """The cells of some rows: where they lie in the data, row by row."""

    def __init__(self, data: np.ndarray, width: int) -> None:
        self.data, self.width, self.rows = data, width, 0
        self.starts, self.stops = np.empty(BATCH * width, np.int64), np.empty(BATCH * width, np.int64)
        self.quoted = np.zeros(BATCH * width, np.uint8)

    def cell(self, row: int, column: int) -> bytes:
        """The bytes of one cell, doubled quotes made single."""
        k = row * self.width + column
        found = self.data[self.starts[k] : self.stops[k]].tobytes()
        return found.replace(b'""', b'"') if self.quoted[k] == 2 else found

    def numbers(self, column: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """The cells of a column: (n,) float64 values, (n,) int64 whole ones, (n,) uint8 what each is (kernels.text).

        What is no number stays ``ODD`` and reads as NaN, as does an empty cell.
        """
        values, whole = np.full(self.rows, np.nan), np.zeros(self.rows, np.int64)
        kinds = np.empty(self.rows, np.uint8)
        kernels.numbers(self.data, self.starts, self.stops, column, self.width, values, whole, kinds)
        self._long(column, values, kinds)
        for row in np.flatnonzero(kinds == kernels.ODD).tolist():
            cell = self.cell(row, column)
            if len(cell) < 400 and is_number(cell):
                values[row], kinds[row] = float(cell), kernels.LONG
        return values, whole, kinds

    def _long(self, column: int, values: np.ndarray, kinds: np.ndarray) -> None:
        """Numbers with many digits: NumPy reads those of usual length together."""
        rows = np.flatnonzero(kinds == kernels.LONG)
        if not len(rows):
            return
        at = rows * self.width + column
        length = self.stops[at] - self.starts[at]
        short = length <= _SHORT
        if short.any():
            held = np.zeros((int(short.sum()), int(length[short].max())), np.uint8)
            kernels.padded(self.data, self.starts, self.stops, at[short], held)
            values[rows[short]] = held.view(f"S{held.shape[1]}").reshape(-1).astype(np.float64)
        for row in rows[~short].tolist():
            values[row] = float(self.cell(row, column))
