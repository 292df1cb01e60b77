"""CSV: RFC 4180 with a header line; numbers, whole numbers and texts.

Cells that a spreadsheet would run as formulas are refused on the way in and on the way out.
The file is gone through twice, a batch of rows at a time: what each column holds, then its values, so that
no cell is kept as a text of its own.
"""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import PurePath

import numpy as np

from ..errors import BadInput
from ..kernels import text as kernels
from ..plurals import counted
from ..population import Attribute, Field, Population
from ..population.naming import LONGEST_NAME
from ..population.strands import STRAND
from ..runtime.task import UNWATCHED, Task
from .base import FORMATS, NOBODY, Format, ImportedItem, ReadOptions, WriterContext
from .blocks import ROWS, clones_in_block
from .cells import BATCH, Batch, is_number, runs_as_formula
from .columns import (
    LARGEST_COLUMNS,
    MOST_COLUMNS,
    RawColumn,
    Results,
    check_count,
    check_places,
    grouped,
    outgoing,
    own_columns,
    to_population,
)
from .lines import Cells, lines, number_cells, text_cells
from .stranding import strands_of

#: Characters that a cell may have.
LONGEST = 1 << 20
_PIECE = 1 << 22
_NEWLINE = 10
_BYTES = ("red", "green", "blue", "alpha")


def read(data: bytes, name: str, task: Task = UNWATCHED, options: ReadOptions = ReadOptions()) -> list[ImportedItem]:
    """The rows of a CSV file as clones, or points of strands where a column names their strand.

    BadInput names the line and column. ``task`` may raise to stop.
    """
    data, at = _utf8(data, name, task)
    table = np.frombuffer(data, np.uint8)
    header, at = _header(table, at, name)
    forms, count = _looked_at(table, at, header, name, task.part(0, 0.5))
    check_count(count, name)
    rows = _Rows(forms, count)
    for batch, done in _batches(table, at, len(header), name, task.part(0.5, 1)):
        rows.take(batch, done, name)
    raw = rows.columns(count)
    stem = PurePath(name).stem
    if STRAND in header:
        strands = _strands(raw, name)
        return [ImportedItem(stem, strands, f"{counted(strands.elements.owners[0].count, 'strand')}, one point a row")]
    return [ImportedItem(stem, to_population(raw, name, "row"), "clones, one a row")]


def _looked_at(table: np.ndarray, at: int, header: list[str], name: str, task: Task) -> tuple[list[_Form], int]:
    """What the columns hold, and how many rows there are; BadInput where there are none."""
    forms, count = [_Form(column) for column in header], 0
    for batch, done in _batches(table, at, len(header), name, task):
        for k, form in enumerate(forms):
            form.look_at(batch, k)
        count = done + batch.rows
    if not count:
        raise BadInput(
            f"{name} has a header but no rows. Export at least one point.", place=f"{name}, line 2", code=NOBODY
        )
    return forms, count


class _Rows:
    """Room for the values of some rows, filled a batch at a time."""

    def __init__(self, forms: list[_Form], room: int) -> None:
        self._forms, self.filled = forms, 0
        self._values = [np.empty(room, form.dtype) for form in forms]
        self._gaps = [np.zeros(room, bool) if form.gaps else None for form in forms]

    def take(self, batch: Batch, done: int, name: str) -> None:
        """Take the rows of a batch, ``done`` rows after the first of the file."""
        a, b = self.filled, self.filled + batch.rows
        for k, (form, values, gaps) in enumerate(zip(self._forms, self._values, self._gaps, strict=True)):
            values[a:b] = form.values(batch, k, done, name)
            if gaps is not None:
                gaps[a:b] = batch.numbers(k)[2] == kernels.EMPTY
        self.filled = b

    def columns(self, count: int) -> list[RawColumn]:
        """The first so many rows."""
        return [
            RawColumn(form.name, values[:count], tuple(form.labels), None if gaps is None else gaps[:count])
            for form, values, gaps in zip(self._forms, self._values, self._gaps, strict=True)
        ]


class _Table:
    """A CSV file in blocks of rows."""

    def __init__(self, data: np.ndarray, name: str, task: Task) -> None:
        self._data, self._name = data, name
        at = _checked_text(data, name, task.part(0, 0.3))
        self._header, self._at = _header(data, at, name)
        if STRAND in self._header:
            raise BadInput(
                f"{name} has strands, which are read whole. Colour it without blocks.", place=name, code="not_in_blocks"
            )
        self._forms, self.count = _looked_at(data, self._at, self._header, name, task.part(0.3, 0.7))
        texts = [k for k, form in enumerate(self._forms) if not (form.number and form.filled)]
        if texts:
            # Every block has all texts, in the order in which they come in the file.
            for batch, done in _batches(data, self._at, len(self._header), name, task.part(0.7, 1)):
                for k in texts:
                    self._forms[k].values(batch, k, done, name)

    def blocks(self) -> Iterator[Population]:
        """All rows as clones."""
        rows, before = _Rows(self._forms, ROWS), 0
        for batch, done in _batches(self._data, self._at, len(self._header), self._name, UNWATCHED):
            if rows.filled + batch.rows > ROWS:
                yield clones_in_block(rows.columns(rows.filled), self._name, "row", before)
                rows, before = _Rows(self._forms, ROWS), done
            rows.take(batch, done, self._name)
        yield clones_in_block(rows.columns(rows.filled), self._name, "row", before)


def _strands(raw: list[RawColumn], name: str) -> Population:
    """Rows as points, in order along the strand that each names; BadInput names the first row that is out of order."""
    check_places(raw, name, "row")
    column = next(c for c in raw if c.name == STRAND)
    missing = np.zeros(len(column.values), bool) if column.missing is None else column.missing
    empty = [k for k, label in enumerate(column.labels) if not label]
    gone = np.flatnonzero(missing | np.isin(column.values, empty) if column.labels else missing)
    if len(gone) or column.values.dtype.kind == "f":
        row = int(gone[0]) if len(gone) else int(np.flatnonzero(column.values != np.rint(column.values))[:1].sum())
        what = "is empty" if len(gone) else f"holds {column.values[row]:g}"
        raise BadInput(
            f"The column strand {what} at row {row + 1}. Give every point the whole number or the name of its strand.",
            place=f"{name}, row {row + 1}, strand", code="bad_strands",
        )  # fmt: skip
    begins = np.flatnonzero(np.concatenate([[True], column.values[1:] != column.values[:-1]]))
    keys = column.values[begins]
    seen, first = np.unique(keys, return_index=True)
    if len(seen) < len(keys):
        again = int(begins[np.setdiff1d(np.arange(len(keys)), first)[0]])
        label = column.labels[column.values[again]] if column.labels else int(column.values[again])
        raise BadInput(
            f"Row {again + 1} goes on with strand {label!r}, which ended before. Sort the rows by strand, the points "
            "of each from root to tip.",
            place=f"{name}, row {again + 1}, strand", code="bad_strands",
        )  # fmt: skip
    notes = []
    if not column.labels and len(keys) and int(keys.max()) - int(keys.min()) + 1 != len(keys):
        notes.append("The strands' numbers leave some out; they are kept as they are.")
    table = grouped([c for c in raw if c.name != STRAND])
    kind = "text" if column.labels else "integer"
    strand = Attribute(STRAND, kind, keys, column.labels, (Field(STRAND, keys.dtype.str),))  # type: ignore[arg-type]
    sizes = np.diff([*begins.tolist(), len(column.values)])
    return strands_of(table, sizes, name, strands={STRAND: strand}, notes=notes)


def _utf8(data: bytes, name: str, task: Task) -> tuple[bytes, int]:
    """The text as UTF-8 bytes, and where it begins after a mark of its encoding."""
    if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        try:
            data = data.decode("utf-16").encode()
        except UnicodeError as error:
            raise _not_text(name, data, getattr(error, "start", 0), "UTF-16") from None
    return data, _checked_text(np.frombuffer(data, np.uint8), name, task)


def _checked_text(data: np.ndarray, name: str, task: Task) -> int:
    """Where the text begins after a mark of its encoding; BadInput where (n,) uint8 are no UTF-8."""
    if bytes(data[:2]) in (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE):
        raise BadInput(f"{name} is UTF-16, which blocks cannot be read of. Save it as UTF-8.", place=name)
    at = len(codecs.BOM_UTF8) if bytes(data[:3]) == codecs.BOM_UTF8 else 0
    decoder = codecs.getincrementaldecoder("utf-8")()
    for start in range(at, len(data), _PIECE):
        task.reach(start / len(data))
        piece = data[start : start + _PIECE].tobytes()
        try:
            held = len(decoder.getstate()[0])
            decoder.decode(piece, final=start + _PIECE >= len(data))
        except UnicodeDecodeError as error:
            raise _not_text(name, data, start - held + error.start, "UTF-8") from None
        if b"\x00" in piece:
            line = int(np.count_nonzero(data[: start + piece.index(b"\x00")] == _NEWLINE)) + 1
            raise BadInput(
                f"Line {line} of {name} holds a zero byte, so it is not text. Bring PLY, or CSV saved as UTF-8.",
                place=f"{name}, line {line}", code="unknown_format",
            )  # fmt: skip
    return at


def _not_text(name: str, data: bytes | np.ndarray, at: int, encoding: str) -> BadInput:
    held = np.frombuffer(data, np.uint8) if isinstance(data, bytes) else data
    line = int(np.count_nonzero(held[:at] == _NEWLINE)) + 1
    return BadInput(
        f"Line {line} of {name} is not {encoding} text (byte {at}). Save it as UTF-8.",
        place=f"{name}, line {line}", code="unknown_encoding",
    )  # fmt: skip


def _header(table: np.ndarray, at: int, name: str) -> tuple[list[str], int]:
    """The names of the columns, and where the first row begins."""
    place = f"{name}, line 1"
    batch = Batch(table, MOST_COLUMNS + 1)
    _, first, why, found = kernels.comma_cells(
        table, at, batch.width, 1, LONGEST, batch.starts, batch.stops, batch.quoted
    )
    if why != kernels.RAGGED:
        if why == kernels.FINE:
            found = batch.width
        else:
            raise _broken(why, found, 1, name)
    header = [batch.cell(0, k).decode().strip() for k in range(min(found, batch.width))]
    if found > MOST_COLUMNS or own_columns(header) > LARGEST_COLUMNS:
        more = " or more" if found > MOST_COLUMNS else ""
        raise BadInput(
            f"{name} has {found:,} columns{more}; at most {LARGEST_COLUMNS} are taken beside those of results. "
            "Leave out some.",
            place=place, code="too_many",
        )  # fmt: skip
    _check_header(header, name, place)
    _, after, _, _ = kernels.comma_cells(table, first, found, 1, LONGEST, batch.starts, batch.stops, batch.quoted)
    return header, after


def _check_header(header: list[str], name: str, place: str) -> None:
    for k, cell in enumerate(header):
        if not cell:
            raise BadInput(f"Column {k + 1} has no name. The first line must name every column.", place=place)
        if len(cell) > LONGEST_NAME:
            raise BadInput(f"Column {k + 1} has a name of {len(cell)} characters; at most {LONGEST_NAME}.", place=place)
        if runs_as_formula(cell):
            raise _formula(cell, 1, f"column {k + 1}", name)
        if cell in header[:k]:
            raise BadInput(f"Two columns are called {cell!r}. Give every column its own name.", place=place)
    if all(is_number(cell.encode()) for cell in header):
        raise BadInput(f"{name} has no header: its first line holds numbers. Put the column names first.", place=place)


def _batches(table: np.ndarray, at: int, width: int, name: str, task: Task):  # type: ignore[no-untyped-def]
    """All rows, a batch at a time, each with how many came before; BadInput where one has other cells."""
    batch, done = Batch(table, width), 0
    while at < len(table):
        task.reach(at / len(table))
        batch.rows, at, why, found = kernels.comma_cells(
            table, at, width, BATCH, LONGEST, batch.starts, batch.stops, batch.quoted
        )
        line = done + batch.rows + 2
        if why == kernels.RAGGED:
            raise BadInput(
                f"Line {line} has {found} cells where the header names {width}. Complete the row or remove it.",
                place=f"{name}, line {line}", code="ragged",
            )  # fmt: skip
        if why != kernels.FINE:
            raise _broken(why, found, line, name)
        if batch.rows:
            yield batch, done
        done += batch.rows


def _broken(why: int, found: int, line: int, name: str) -> BadInput:
    what = {
        kernels.TOO_LONG: f"a cell has {found:,} characters, and at most {LONGEST:,} are taken",
        kernels.OPEN_QUOTE: "a quote is never closed",
        kernels.AFTER_QUOTE: "something follows a closing quote",
    }[why]
    return BadInput(f"Line {line} cannot be read as CSV: {what}. Check its quotes.", place=f"{name}, line {line}")


@dataclass
class _Form:
    """What a column holds: whole numbers, else numbers, else texts.

    An empty cell of a column of whole numbers is missing, one of numbers NaN.
    """

    name: str
    whole: bool = True
    number: bool = True
    filled: bool = False
    empty: bool = False
    least: int = 0
    greatest: int = 0
    labels: dict[str, int] = field(default_factory=dict)

    def look_at(self, batch: Batch, column: int) -> None:
        """Take the cells of some more rows into account."""
        if not self.number:
            return
        _, whole, kinds = batch.numbers(column)
        self.filled |= bool((kinds != kernels.EMPTY).any())
        self.number &= not (kinds == kernels.ODD).any()
        self.empty |= bool((kinds == kernels.EMPTY).any())
        self.whole &= bool(((kinds == kernels.WHOLE) | (kinds == kernels.EMPTY)).all())
        if self.whole:
            self.least = min(self.least, int(whole.min()))
            self.greatest = max(self.greatest, int(whole.max()))

    @property
    def gaps(self) -> bool:
        """Whether it holds whole numbers with some missing."""
        return self.number and self.filled and self.whole and self.empty

    @property
    def dtype(self) -> str:
        """The NumPy type of its values; texts are numbered."""
        if not self.number or not self.filled:
            return "<i4"
        if not self.whole:
            return "<f8"
        byte = self.name.removeprefix("original_") in _BYTES and self.least >= 0 and self.greatest <= 255
        small = self.least >= -(2**31) and self.greatest < 2**31
        return "|u1" if byte else "<i4" if small else "<i8"

    def values(self, batch: Batch, column: int, done: int, name: str) -> np.ndarray:
        """(n,) the cells of a batch as values; BadInput for texts that a spreadsheet would run."""
        if self.number and self.filled:
            numbers, whole, _ = batch.numbers(column)
            return whole if self.whole else numbers
        codes = np.empty(batch.rows, np.int32)
        for row in range(batch.rows):
            label = batch.cell(row, column).decode()
            code = self.labels.get(label)
            if code is None:
                if runs_as_formula(label):
                    raise _formula(label, done + row + 2, self.name, name)
                code = self.labels[label] = len(self.labels)
            codes[row] = code
        return codes


def _formula(cell: str, line: int, column: str, name: str) -> BadInput:
    return BadInput(
        f"Line {line}, {column}, holds {cell[:40]!r}, which a spreadsheet would run as a formula. "
        "Remove its first character.",
        place=f"{name}, line {line}, {column}", code="formula_cell",
    )  # fmt: skip


def write(
    population: Population, results: Results | None, context: WriterContext = WriterContext(), task: Task = UNWATCHED
) -> bytes:  # fmt: skip
    """UTF-8 CSV with a header; numbers with digits that read back exactly, missing ones as empty cells.

    Parameters
    ----------
    results
        By channel, what the elements got; None for none.

    Raises
    ------
    BadInput
        Where a name or text would be run by a spreadsheet as a formula.
    """
    columns = _checked(outgoing(population, results))
    return b"".join([_head(columns), _text_of(columns, population.count, task)])


def write_blocks(blocks: Iterator[tuple[Population, Results]], count: int) -> Iterator[bytes | memoryview]:
    """The pieces of a CSV file, one for each block; ``count`` is how many rows there are in all."""
    for k, (population, results) in enumerate(blocks):
        columns = _checked(outgoing(population, results))
        if k == 0:
            yield _head(columns)
        yield _text_of(columns, population.count, UNWATCHED)


def _checked(columns: list[RawColumn]) -> list[RawColumn]:
    """The columns; BadInput where a name or text would be run as a formula."""
    for column in columns:
        for text in (column.name, *column.labels):
            if runs_as_formula(text):
                raise BadInput(
                    f"The column {column.name[:40]!r} would take {text[:40]!r} into the file, which a spreadsheet "
                    "would run as a formula. Write PLY, or import the points again under another name.",
                    place=column.name, code="formula_cell",
                )  # fmt: skip
    return columns


def _head(columns: list[RawColumn]) -> bytes:
    return b",".join(map(_quoted, [column.name for column in columns])) + b"\r\n"


def _text_of(columns: list[RawColumn], count: int, task: Task) -> bytes | memoryview:
    labels = [list(map(_quoted, column.labels)) for column in columns]

    def cells(a: int, b: int) -> list[Cells]:
        return [_cells(column, held, a, b) for column, held in zip(columns, labels, strict=True)]

    return lines(count, cells, between=b",", after=b"\r\n", task=task).text


def _cells(column: RawColumn, labels: list[bytes], a: int, b: int) -> Cells:
    """The cells of the rows a to b of a column."""
    values = column.values[a:b]
    cells = text_cells(labels, values) if labels else number_cells(values)
    there = np.ones(b - a, bool) if column.missing is None else ~column.missing[a:b]
    if values.dtype.kind == "f":
        # What is no number came as an empty cell, or stands for none.
        there &= ~np.isnan(values)
    return cells if there.all() else cells.only(there)


def _quoted(text: str) -> bytes:
    """A text as a cell, in quotes where it needs them."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerow([text, ""])
    return out.getvalue()[: -len(",\r\n")].encode()


FORMATS.add(
    "csv",
    Format(
        "csv",
        "CSV",
        ".csv",
        "text/csv; charset=utf-8",
        write,
        read,
        brought=(".txt",),
        kinds=("clones", "mesh", "strands", "particles", "trails"),
        lacks=("polygons",),
        blocks_in=_Table,
        blocks_out=write_blocks,
    ),
)
