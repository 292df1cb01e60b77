"""Between file columns and attributes: what belongs together, and what goes out."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from ..channels import CHANNELS
from ..colour.spaces import display_bytes
from ..errors import BadInput
from ..plurals import having
from ..population import Attribute, Field, Population, of_points
from ..population.attribute import LARGEST
from ..population.derive import with_derived
from ..population.naming import fits, free_name, well_named


class RawColumn(NamedTuple):
    """A column of a file: its name, values (n,), the texts of a text column, and (n,) bool where cells are empty."""

    name: str
    values: np.ndarray
    labels: tuple[str, ...] = ()
    missing: np.ndarray | None = None


#: Columns that a file may have, those that results are written in not counted.
LARGEST_COLUMNS = 512
#: Elements that a file may bring in all, and those of them that may come of arrays that several meshes share.
MOST_ELEMENTS, MOST_SHARED = 20_000_000, 4_000_000
#: Populations that like things of a file become; where there are more of them, they are one.
MOST_ITEMS = 1000

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
_OF_RESULTS = frozenset(name for channel in CHANNELS.values() for name in (*channel.columns, *channel.shown))
#: The columns that a file of tables has at most.
MOST_COLUMNS = LARGEST_COLUMNS + len(_OF_RESULTS)
#: By the word of each channel that is written, (n,) or (n, k) float32: what the elements got.
Results = Mapping[str, np.ndarray]
#: Colours that came in under the names the results need are kept under this prefix.
KEPT = "original_"


def to_population(raw: list[RawColumn], name: str, rows: str, notes: tuple[str, ...] = ()) -> Population:
    """Clones out of raw columns: grouped into attributes, places checked, what is missing derived.

    ``rows`` says what a row is called in sentences ("vertex", "line").
    """
    check_places(raw, name, rows)
    return clones_of(grouped(raw), name, notes)


def placeable(values: np.ndarray) -> Any:
    """Whether numbers can be places: finite, and not beyond what is read as float32 (a rounding of it is near enough).

    >>> placeable(np.array([1.0, np.inf, 1e31])).tolist()
    [True, False, False]
    """
    with np.errstate(invalid="ignore"):
        return np.abs(values.astype(np.float64)) <= float(LARGEST) * 1.0001


def check_placed(places: np.ndarray, name: str, one: str, many: str) -> None:
    """BadInput where some of (n, 3) places cannot be; what stands there is ``one`` of ``many``."""
    bad = np.flatnonzero(~placeable(places).all(axis=1))
    if len(bad):
        raise BadInput(
            f"{len(bad):,} {many} of {name} have no usable place: the first is {one} {bad[0] + 1}. "
            f"Give every {one} finite coordinates.",
            place=f"{name}, {one} {bad[0] + 1}", code="bad_coordinate",
        )  # fmt: skip


def clones_of(table: dict[str, Attribute], name: str, notes: tuple[str, ...] = ()) -> Population:
    """Clones out of a file, each an element of ``table``; BadInput where some have no finite place."""
    held = well_named(table, name)
    places = held["position"].values
    check_placed(places, name, "element", "elements")
    check_count(len(places), name)
    return with_derived(of_points(len(places), held, notes))


#: What the columns of attributes are called that have names of their own in files of columns.
_CALLED = {
    "position": "x y z",
    "normal": "nx ny nz",
    "uv": "u v",
    "colour": "red green blue alpha",
    "velocity": "vx vy vz",
}
_WIDTHS_CALLED = {"uv": (2,), "colour": (3, 4)}


def columns_of(name: str, width: int) -> list[str]:
    """What the columns of an attribute of so many numbers are called in files of columns.

    >>> columns_of("uv", 2), columns_of("uv", 3), columns_of("wear", 1)
    (['u', 'v'], ['uv_x', 'uv_y', 'uv_z'], ['wear'])
    """
    if name in _CALLED and width in _WIDTHS_CALLED.get(name, (3,)):
        return _CALLED[name].split()[:width]
    if width == 1:
        return [name]
    return [f"{name}_{part}" for part in ("xyzw"[:width] if width <= 4 else range(width))]


def brought_as(a: Attribute, taken: set[str]) -> Attribute:
    """The attribute of a file under a name that is free, and not that of something else in the product."""
    name = free_name(a.name, {*taken, *(() if fits(a) else (a.name,))})
    return a if name == a.name else replace(a, name=name, fields=tuple(replace(f, name=f"{f.name}_") for f in a.fields))


def check_count(count: int, name: str, most: int = MOST_ELEMENTS) -> None:
    """BadInput where a file brings more elements than are taken; to be asked before anything is laid out."""
    if count > most:
        shared = " of arrays that its meshes share" if most == MOST_SHARED else ""
        cure = "Take repeated meshes as clones" if shared else "Split the file"
        raise BadInput(
            f"{name} brings {count:,} elements{shared}; at most {most:,} are taken. {cure}.",
            place=name, code="too_many",
        )  # fmt: skip


def check_places(raw: list[RawColumn], name: str, rows: str, before: int = 0) -> None:
    """BadInput where there are no columns x, y and z, or some are no finite numbers; ``before`` rows stand above."""
    by_name = {column.name: column for column in raw}
    missing = [c for c in ("x", "y", "z") if c not in by_name]
    if missing:
        raise BadInput(
            f"{name} has no column {', '.join(missing)}; it has {_listed(list(by_name))}. "
            "Each element needs a place: name the columns x, y and z.",
            place=name, code="no_position",
        )  # fmt: skip
    for axis in ("x", "y", "z"):
        column = by_name[axis]
        values = column.values
        if column.labels:
            raise BadInput(f"The column {axis} holds text, not numbers. Give coordinates as numbers.", place=name)
        usable = placeable(values)
        if column.missing is not None:
            usable &= ~column.missing
        bad = np.flatnonzero(~usable)
        if len(bad):
            raise BadInput(
                f"{having(len(bad), 'element')} no usable {axis}: the first is {_shown(column, int(bad[0]))} at {rows} "
                f"{before + bad[0] + 1}. "
                "Give every element finite coordinates.",
                place=f"{name}, {rows} {before + bad[0] + 1}, {axis}", code="bad_coordinate",
            )  # fmt: skip


def grouped(raw: list[RawColumn]) -> dict[str, Attribute]:
    """Attributes out of the columns of a table, in their order after the places: those that belong together are one.

    Only those that stand side by side are taken together, so that every column goes out where it came in.
    """
    by_name = {column.name: column for column in raw}
    at = {name: k for k, name in enumerate(by_name)}
    table: dict[str, Attribute] = {}
    first = {"position": -1}
    used: set[str] = set()
    for attribute, columns in _groups(by_name):
        beside = [at[c] for c in columns] == [at[columns[0]] + k for k in range(len(columns))]
        if attribute not in table and not used & set(columns) and (beside or attribute == "position"):
            kind = "colour" if (attribute, columns) in _colour_groups(by_name) else "vector"
            table[attribute] = _grouped(attribute, kind, [by_name[c] for c in columns])
            first.setdefault(attribute, at[columns[0]])
            used.update(columns)
    for column in raw:
        if column.name not in used:
            free = _free(column.name, table)
            table[free] = _single(free, column)
            first.setdefault(free, at[column.name])
    return dict(sorted(table.items(), key=lambda item: first[item[0]]))


def _shown(column: RawColumn, row: int) -> str:
    return "empty" if column.missing is not None and column.missing[row] else str(column.values[row])


def _listed(names: list[str]) -> str:
    return ", ".join(names[:8]) + (" and more" if len(names) > 8 else "")


def _free(name: str, table: dict[str, Attribute]) -> str:
    while name in table:
        name += "_"
    return name


def _numeric(by_name: dict[str, RawColumn], columns: tuple[str, ...]) -> bool:
    return all(c in by_name and not by_name[c].labels for c in columns)


def _colour_groups(by_name: dict[str, RawColumn]) -> list[tuple[str, tuple[str, ...]]]:
    kept = [(KEPT + a, tuple(KEPT + c for c in columns)) for a, columns in _COLOURS]
    results = [(c.word, c.columns) for c in CHANNELS.values() if c.kind.word == "colour"]
    found = []
    for attribute, columns in [*_COLOURS, *kept, *results]:
        if _numeric(by_name, columns):
            types = {by_name[c].values.dtype.str for c in columns}
            if types == {"|u1"} or types <= {"<f4", "<f8"}:
                found.append((attribute, columns))
    return found


def _groups(by_name: dict[str, RawColumn]) -> list[tuple[str, tuple[str, ...]]]:
    """Which columns make one attribute: the known names first, then any ``freex, freey, freez``."""
    found = [g for g in _VECTORS if _numeric(by_name, g[1])] + _colour_groups(by_name)
    for column in by_name:
        match = re.fullmatch(r"(.+)([_.])x", column)
        if match:
            columns = tuple(f"{match[1]}{match[2]}{axis}" for axis in "xyz")
            if _numeric(by_name, columns):
                found.append((match[1], columns))
    return found


def _grouped(attribute: str, kind: str, columns: list[RawColumn]) -> Attribute:
    common = np.result_type(*[c.values.dtype for c in columns])
    values = np.stack([c.values.astype(common) for c in columns], axis=1)
    fields = tuple(Field(c.name, c.values.dtype.str) for c in columns)
    masks = [c.missing for c in columns if c.missing is not None]
    return Attribute(attribute, kind, values, (), fields, np.any(masks, axis=0) if masks else None)  # type: ignore[arg-type]


def _single(attribute: str, column: RawColumn) -> Attribute:
    values = column.values
    kind = "text" if column.labels else "integer" if values.dtype.kind in "iu" else "number"
    fields = (Field(column.name, values.dtype.str),)
    return Attribute(attribute, kind, values, column.labels, fields, column.missing)  # type: ignore[arg-type]


def own_columns(names: Iterable[str]) -> int:
    """How many of some columns are not those that results are written in."""
    return sum(name not in _OF_RESULTS for name in names)


def check_results(results: Results | None) -> None:
    """BadInput where some results are no finite numbers, which no file may hold."""
    for word, values in (results or {}).items():
        channel = CHANNELS[word]
        if not np.isfinite(values).all():
            what = "colours" if channel.kind.word == "colour" else f"values of {channel.title.lower()}"
            raise BadInput(f"Some {what} are no finite numbers, so no file is written. Check the look's numbers.")


def outgoing(population: Population, results: Results | None) -> list[RawColumn]:
    """Every column that came in, unchanged, those of coarser levels too, then the results.

    The results are the columns of each channel (``base_colour_r`` to ``_b`` in linear light, ``roughness``), float32,
    and those of 8 bits that go with it (``red``, ``green``, ``blue``, display-encoded). Columns that came in under
    those names go out as ``original_red`` and so on; results of an earlier run (``base_colour_*`` beside them) are
    replaced.
    """
    columns: list[RawColumn] = []
    written = {CHANNELS[word]: values for word, values in (results or {}).items()}
    taken = {name for channel in written for name in (*channel.columns, *channel.shown)}
    elements = population.elements
    rerun = results is not None and "base_colour" in elements.own
    present = {f.name for a in elements.own.values() for f in a.fields}
    for a in (elements.attribute(name) for name in elements.brought):
        for k, f in enumerate(a.fields):
            values = (a.values if a.values.ndim == 1 else a.values[:, k]).astype(f.dtype)
            name = f.name
            if name in taken:
                if rerun:
                    continue
                name = KEPT + name
                while name in present:
                    name = KEPT + name
            columns.append(RawColumn(name, values, a.labels, a.missing))
    check_results(results)
    if len(columns) > LARGEST_COLUMNS:
        raise BadInput(
            f"The file would have {len(columns):,} columns beside the results; at most {LARGEST_COLUMNS} are written, "
            "because no more are read. Choose a format that groups them, such as GLB.",
            code="too_many",
        )  # fmt: skip
    for channel, values in written.items():
        if channel.shown:
            levels = display_bytes(values)
            columns += [RawColumn(n, levels[:, k]) for k, n in enumerate(channel.shown)]
        held = channel.held(values).reshape(len(values), channel.kind.width).astype("<f4")
        columns += [RawColumn(n, held[:, k]) for k, n in enumerate(channel.columns)]
    return columns
