"""Columns that are painted onto elements: how they are kept, how they come onto a population again, and brushes.

A column is kept by content as a line of JSON and compressed bytes: the values of elements, and their ids where they are
not 0, 1, 2 and so on. A population that has more elements than were painted gets the column's fill for the others; a
mesh that is subdivided further gets the mixes of the vertices beside.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from ..digest import digest_of
from ..geometry.subdivision import refined
from ..population import Attribute, Population
from ..population.attribute import Field as Column
from ..runtime.cache import ResultCache

if TYPE_CHECKING:
    pass


from ..scene.assets import AssetSource
from .painted import _WIDTHS, Painted, Values, check_name, fill_of, values_of

_FIELDS = {"number": ("",), "colour": ("_r", "_g", "_b"), "vector": ("_x", "_y", "_z")}

#: Columns as they came onto populations, and the rows of subdivisions.
_onto = ResultCache(256 * 1024 * 1024, grows=3)


def ids_of(population: Population) -> np.ndarray | None:
    """(n,) int64: what tells the elements apart; None where they are known by their number."""
    if population.form.polygons is not None or population.elements.own.get("id") is None:
        return None
    low, high = population.elements.keys
    found = low.astype(np.int64) | (high.astype(np.int64) << 32)
    return None if np.array_equal(found, np.arange(len(found))) else found


@dataclass(frozen=True)
class Target:
    """A population that columns come onto.

    Attributes
    ----------
    key
        Names it by content.
    subdivision
        How often a mesh is subdivided.
    coarser
        Gives the same mesh at another subdivision, a finer one too; None where the elements are no vertices of one
        that is.
    """

    population: Population
    key: str
    subdivision: int = 0
    coarser: Callable[[int], Population] | None = None


def onto(target: Target, painted: Painted, values: Values | None) -> np.ndarray:
    """(n, k) float32: the values of a column for the elements of a population."""
    population, fill = target.population, fill_of(painted)
    if values is None:
        return np.broadcast_to(fill, (population.count, len(fill))).copy()
    held = values.values
    if target.coarser is not None and values.ids is None:
        for level in range(painted.subdivision, target.subdivision):
            coarse = target.coarser(level)
            held = _finer(coarse, f"{target.key} {level}", _sized(held, coarse.count, fill))
        return _sized(held, population.count, fill)
    ids = ids_of(population)
    if ids is None and values.ids is None:
        return _sized(held, population.count, fill)
    mine = np.arange(population.count, dtype=np.int64) if ids is None else ids
    known = np.arange(len(held), dtype=np.int64) if values.ids is None else values.ids
    at = np.minimum(np.searchsorted(known, mine), max(0, len(known) - 1))
    found = np.broadcast_to(fill, (population.count, len(fill))).copy()
    if len(known):
        there = known[at] == mine
        found[there] = held[at[there]]
    return found


def _sized(values: np.ndarray, count: int, fill: np.ndarray) -> np.ndarray:
    """The first so many rows, with fill for those that are not there."""
    if len(values) >= count:
        return values[:count].copy()
    return np.concatenate([values, np.broadcast_to(fill, (count - len(values), len(fill)))]).astype(np.float32)


def _finer(coarse: Population, key: str, values: np.ndarray) -> np.ndarray:
    """Values of the vertices of a mesh once subdivided: straight mixes."""
    rows = _onto.get(f"rows {key}")
    if rows is None:
        form = coarse.form.polygons
        assert form is not None
        rows = refined(form.starts, form.corners, coarse.count).straight
        _onto.put(f"rows {key}", rows, rows.indices.nbytes * 3)
    found: np.ndarray = rows.mixed(values)
    return found


def with_painted(target: Target, columns: Sequence[Painted], kept: AssetSource) -> Population:
    """The population with its painted columns as attributes of its elements."""
    population = target.population
    if not columns:
        return population
    more = {}
    for k, painted in enumerate(columns):
        key = digest_of("painted", target.key, painted.model_dump(mode="json", exclude={"name"}))
        found: Attribute | None = _onto.get(f"{key} {painted.name}")
        if found is None:
            place = f"painted[{k}]"
            check_name(painted, place)
            values = values_of(painted, kept, place)
            found = _completed(population.elements.find(painted.name), painted) if values is None else None
            found = found or attribute(painted, onto(target, painted, values))
            _onto.put(f"{key} {painted.name}", found, found.values.nbytes + 1000)
        more[painted.name] = found
    return population.painted(more)


def attribute(painted: Painted, values: np.ndarray) -> Attribute:
    """A painted column as an attribute."""
    width = values.shape[1]
    fields = tuple(Column(f"{painted.name}{part}", "<f4") for part in _FIELDS[painted.kind])
    flat = np.ascontiguousarray(values[:, 0] if width == 1 else values, np.float32)
    return Attribute(painted.name, painted.kind, flat, fields=fields, stands_for=painted.role)


def _completed(brought: Attribute | None, painted: Painted) -> Attribute | None:
    """What elements brought under the name, with the column's fill where they have nothing; None where it is new.

    So merged parts that lack an attribute get a value of their own for it.
    """
    if brought is None or brought.kind not in (painted.kind, "integer") or brought.width != _WIDTHS[painted.kind]:
        return None
    fill, absent = fill_of(painted), brought.absent
    values = brought.readable if absent is None else brought.readable.copy()
    if absent is not None:
        values[absent] = fill if values.ndim > 1 else fill[0]
    return replace(brought, kind=painted.kind, values=values, missing=None, labels=(), light="linear"
                   if painted.kind == "colour" else "", stands_for=painted.role or brought.stands_for,
                   fields=tuple(replace(f, dtype="<f4") for f in brought.fields[: _WIDTHS[painted.kind]]))  # fmt: skip


# Brushes


def kept_from(target: Target, values: np.ndarray) -> Values:
    """A column of the values that elements have now, (n,) or (n, k) float32."""
    flat = np.ascontiguousarray(values.reshape(len(values), -1), np.float32)
    if target.coarser is not None:
        return Values(flat)
    ids = ids_of(target.population)
    if ids is None:
        return Values(flat)
    order = np.argsort(ids, kind="stable")
    return Values(np.ascontiguousarray(flat[order]), ids[order])
