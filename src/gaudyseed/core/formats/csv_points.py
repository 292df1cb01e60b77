"""CSV: RFC 4180 with a header line; numbers, whole numbers and texts.

Cells that a spreadsheet would run as formulas are refused on the way in (OWASP,
"CSV Injection"), so that nothing we write out can carry one.
"""

from __future__ import annotations

import codecs
import csv
import io
import re
from itertools import islice

import numpy as np

from ..errors import BadInput
from ..population import Population
from .columns import LARGEST_COLUMNS, RawColumn, digits, outgoing, to_population

_BATCH = 65_536
_FORMULA = re.compile(r"^(?:[=@\t\r]|[+-](?![\d.]|inf|nan|$))", re.I)
_INTEGER = re.compile(r"^[+-]?\d{1,18}$")
csv.field_size_limit(1 << 20)


def read(data: bytes, name: str) -> Population:
    """The rows of a CSV file as a population; BadInput names the line and column."""
    reader = csv.reader(io.StringIO(_text(data, name), newline=""), strict=True)
    try:
        header = _header(next(reader, []), name)
        columns = _columns(reader, header, name)
    except csv.Error as error:
        raise BadInput(
            f"Line {reader.line_num} cannot be read as CSV: {error}. Check its quotes.",
            place=f"{name}, line {reader.line_num}",
        ) from None
    raw = [_typed(column, cells, name) for column, cells in zip(header, columns, strict=True)]
    return to_population(raw, name, "row")


def _text(data: bytes, name: str) -> str:
    marks = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))
    encoding = next((e for mark, e in marks if data.startswith(mark)), "utf-8")
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise BadInput(
            f"Line {line} of {name} is not {encoding.removesuffix('-sig').upper()} text (byte {error.start}). "
            "Save it as UTF-8.",
            place=f"{name}, line {line}", code="unknown_encoding",
        ) from None  # fmt: skip
    if "\x00" in text:
        line = text[: text.index("\x00")].count("\n") + 1
        raise BadInput(
            f"Line {line} of {name} holds a zero byte, so it is not text. Bring PLY, or CSV saved as UTF-8.",
            place=f"{name}, line {line}", code="unknown_format",
        )  # fmt: skip
    return text


def _header(cells: list[str], name: str) -> list[str]:
    place = f"{name}, line 1"
    if len(cells) > LARGEST_COLUMNS:
        raise BadInput(
            f"{name} has {len(cells):,} columns; at most {LARGEST_COLUMNS} are taken. Leave out some.",
            place=place,
        )
    header = [cell.strip() for cell in cells]
    for k, cell in enumerate(header):
        if not cell:
            raise BadInput(f"Column {k + 1} has no name. The first line must name every column.", place=place)
        if len(cell) > 200:
            raise BadInput(f"Column {k + 1} has a name of {len(cell)} characters; at most 200.", place=place)
        if _FORMULA.match(cell):
            raise _formula(cell, 1, f"column {k + 1}", name)
        if cell in header[:k]:
            raise BadInput(f"Two columns are called {cell!r}. Give every column its own name.", place=place)
    if all(map(_is_number, header)):
        raise BadInput(f"{name} has no header: its first line holds numbers. Put the column names first.", place=place)
    return header


def _columns(reader, header: list[str], name: str) -> list[list[str]]:  # type: ignore[no-untyped-def]
    width = len(header)
    columns: list[list[str]] = [[] for _ in header]
    while batch := list(islice(reader, _BATCH)):
        rows = [row for row in batch if row]
        if set(map(len, rows)) - {width}:
            at = next(k for k, row in enumerate(rows) if len(row) != width)
            line = len(columns[0]) + at + 2
            raise BadInput(
                f"Line {line} has {len(rows[at])} cells where the header names {width}. Complete the row or remove it.",
                place=f"{name}, line {line}", code="ragged",
            )  # fmt: skip
        for column, cells in zip(columns, zip(*rows, strict=True), strict=False):
            column.extend(cells)
    if not columns[0]:
        raise BadInput(f"{name} has a header but no rows. Export at least one point.", place=f"{name}, line 2")
    return columns


def _typed(column: str, cells: list[str], name: str) -> RawColumn:
    """Whole numbers, else numbers, else texts; an empty cell of a number column is NaN."""
    distinct = set(cells)
    stripped = {cell: cell.strip() for cell in distinct}
    if all(map(_INTEGER.match, stripped.values())):
        values = np.array(list(map(int, cells)), np.int64)
        small = len(values) and values.min() >= -(2**31) and values.max() < 2**31
        byte = (
            column.removeprefix("original_") in ("red", "green", "blue", "alpha")
            and values.min() >= 0
            and values.max() <= 255
        )
        return column, values.astype("|u1" if byte else "<i4" if small else "<i8"), ()
    if any(stripped.values()) and all(_is_number(cell) or not cell for cell in stripped.values()):
        numbers = {cell: float(text) if text else np.nan for cell, text in stripped.items()}
        return column, np.array(list(map(numbers.__getitem__, cells)), "<f8"), ()
    for cell in distinct:
        if _FORMULA.match(cell):
            raise _formula(cell, cells.index(cell) + 2, column, name)
    labels = tuple(dict.fromkeys(cells))
    codes = {label: k for k, label in enumerate(labels)}
    return column, np.array(list(map(codes.__getitem__, cells)), "<i4"), labels


def _formula(cell: str, line: int, column: str, name: str) -> BadInput:
    return BadInput(
        f"Line {line}, {column}, holds {cell[:40]!r}, which a spreadsheet would run as a formula. "
        "Remove its first character.",
        place=f"{name}, line {line}, {column}", code="formula_cell",
    )  # fmt: skip


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return "_" not in text


def write(population: Population, linear: np.ndarray | None) -> bytes:
    """UTF-8 CSV with a header; numbers with digits that read back exactly."""
    texts = []
    header = []
    for name, values, labels in outgoing(population, linear):
        header.append(name)
        if labels:
            texts.append([labels[k] for k in values.tolist()])
        else:
            texts.append(digits(values))
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(header)
    writer.writerows(zip(*texts, strict=True))
    return out.getvalue().encode("utf-8")
