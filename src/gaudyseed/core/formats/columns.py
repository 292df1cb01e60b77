"""Between file columns and attributes: what belongs together, and what goes out."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from ..colour.spaces import display_bytes
from ..errors import BadInput
from ..population import Attribute, Field, Population
from ..population.derive import with_derived

#: A file's columns: name, values (n,), texts for a text column.
RawColumn = tuple[str, np.ndarray, tuple[str, ...]]

LARGEST_COLUMNS = 256
#: Characters that the name of a column may have.
LONGEST_NAME = 200
#: Rows written at a time.
_ROWS = 65_536

_VECTORS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("position", ("x", "y", "z")),
    ("normal", ("nx", "ny", "nz")),
    ("orientation", ("qx", "qy", "qz", "qw")),
    ("uv", ("u", "v")),
    ("uv", ("s", "t")),
    ("uv", ("texture_u", "texture_v")),
    ("velocity", ("vx", "vy", "vz")),
)
_COLOURS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("colour", ("red", "green", "blue", "alpha")),
    ("colour", ("red", "green", "blue")),
    ("colour", ("r", "g", "b", "a")),
    ("colour", ("r", "g", "b")),
)
RESULT_BYTES = ("red", "green", "blue")
RESULT_LINEAR = ("base_colour_r", "base_colour_g", "base_colour_b")
#: Colours that came in under the names the results need are kept under this prefix.
KEPT = "original_"


def to_population(raw: list[RawColumn], name: str, rows: str, notes: tuple[str, ...] = ()) -> Population:
    """Group raw columns into attributes, check places, derive what is missing.

    ``rows`` says what a row is called in sentences ("vertex", "line").
    """
    by_name = {column[0]: column for column in raw}
    missing = [c for c in ("x", "y", "z") if c not in by_name]
    if missing:
        raise BadInput(
            f"{name} has no column {', '.join(missing)}; it has {_listed(list(by_name))}. "
            "Each element needs a place: name the columns x, y and z.",
            place=name, code="no_position",
        )  # fmt: skip
    for axis in ("x", "y", "z"):
        values, labels = by_name[axis][1:]
        if labels:
            raise BadInput(f"The column {axis} holds text, not numbers. Give coordinates as numbers.", place=name)
        bad = np.flatnonzero(~np.isfinite(values) | (np.abs(values.astype(np.float64)) > 1e30))
        if len(bad):
            raise BadInput(
                f"{len(bad):,} elements have no usable {axis}: the first is {values[bad[0]]} at {rows} {bad[0] + 1}. "
                "Give every element finite coordinates.",
                place=f"{name}, {rows} {bad[0] + 1}, {axis}", code="bad_coordinate",
            )  # fmt: skip
    table: dict[str, Attribute] = {}
    used: set[str] = set()
    for attribute, columns in _groups(by_name):
        if attribute not in table and not used & set(columns):
            kind = "colour" if (attribute, columns) in _colour_groups(by_name) else "vector"
            table[attribute] = _grouped(attribute, kind, [by_name[c] for c in columns])
            used.update(columns)
    for column, values, labels in raw:
        if column not in used:
            table[_free(column, table)] = _single(_free(column, table), column, values, labels)
    return with_derived(Population("clones", len(raw[0][1]), table, notes))


def _listed(names: list[str]) -> str:
    return ", ".join(names[:8]) + (" and more" if len(names) > 8 else "")


def _free(name: str, table: dict[str, Attribute]) -> str:
    while name in table:
        name += "_"
    return name


def _numeric(by_name: dict[str, RawColumn], columns: tuple[str, ...]) -> bool:
    return all(c in by_name and not by_name[c][2] for c in columns)


def _colour_groups(by_name: dict[str, RawColumn]) -> list[tuple[str, tuple[str, ...]]]:
    kept = [(KEPT + a, tuple(KEPT + c for c in columns)) for a, columns in _COLOURS]
    results = [("base_colour", RESULT_LINEAR)]
    found = []
    for attribute, columns in [*_COLOURS, *kept, *results]:
        if _numeric(by_name, columns):
            types = {by_name[c][1].dtype.str for c in columns}
            if types == {"|u1"} or types <= {"<f4", "<f8"}:
                found.append((attribute, columns))
    return found


def _groups(by_name: dict[str, RawColumn]) -> list[tuple[str, tuple[str, ...]]]:
    """Which columns make one attribute: the known names first, then any ``name_x, name_y, name_z``."""
    found = [g for g in _VECTORS if _numeric(by_name, g[1])] + _colour_groups(by_name)
    for column in by_name:
        match = re.fullmatch(r"(.+)([_.])x", column)
        if match:
            columns = tuple(f"{match[1]}{match[2]}{axis}" for axis in "xyz")
            if _numeric(by_name, columns):
                found.append((match[1], columns))
    return found


def _grouped(attribute: str, kind: str, columns: list[RawColumn]) -> Attribute:
    common = np.result_type(*[c[1].dtype for c in columns])
    values = np.stack([c[1].astype(common) for c in columns], axis=1)
    fields = tuple(Field(c[0], c[1].dtype.str) for c in columns)
    return Attribute(attribute, kind, values, fields=fields)  # type: ignore[arg-type]


def _single(attribute: str, column: str, values: np.ndarray, labels: tuple[str, ...]) -> Attribute:
    kind = "text" if labels else "integer" if values.dtype.kind in "iu" else "number"
    return Attribute(attribute, kind, values, labels=labels, fields=(Field(column, values.dtype.str),))  # type: ignore[arg-type]


def batches(count: int) -> Iterator[tuple[int, int]]:
    """Start and stop of all rows, some at a time, so that texts of all are never in memory at once."""
    for start in range(0, count, _ROWS):
        yield start, min(start + _ROWS, count)


def digits(values: np.ndarray) -> list[str]:
    """Numbers as texts that read back exactly: float64 shortest, float32 in nine digits, integers plain."""
    if values.dtype.kind in "iu":
        return list(map(str, values.tolist()))
    if values.dtype.itemsize > 4:
        return list(map(repr, values.tolist()))
    return list(map("%.9g".__mod__, values.tolist()))


def outgoing(population: Population, linear: np.ndarray | None) -> list[RawColumn]:
    """Every column that came in, unchanged, those of coarser levels too, then the results.

    The results are ``red``, ``green``, ``blue`` (display-encoded, 8 bits) and
    ``base_colour_r`` to ``_b`` (linear light, float32). Columns that came in under
    those names go out as ``original_red`` and so on; results of an earlier run
    (``base_colour_*`` beside them) are replaced.
    """
    columns: list[RawColumn] = []
    taken = {*RESULT_BYTES, *RESULT_LINEAR} if linear is not None else set()
    rerun = "base_colour" in population.attributes
    present = {f.name for a in population.attributes.values() for f in a.fields}
    for a in (population.attribute(name) for name in population.names):
        for k, f in enumerate(a.fields):
            values = (a.values if a.values.ndim == 1 else a.values[:, k]).astype(f.dtype)
            name = f.name
            if name in taken:
                if rerun:
                    continue
                name = KEPT + name
                while name in present:
                    name = KEPT + name
            columns.append((name, values, a.labels))
    if linear is not None:
        if not np.isfinite(linear).all():
            raise BadInput("Some colours are no finite numbers, so no file is written. Check the look's numbers.")
        levels = display_bytes(linear)
        columns += [(n, levels[:, k], ()) for k, n in enumerate(RESULT_BYTES)]
        columns += [(n, linear[:, k].astype("<f4"), ()) for k, n in enumerate(RESULT_LINEAR)]
    return columns
