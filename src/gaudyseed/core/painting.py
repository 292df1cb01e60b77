"""Columns that are painted onto elements: how they are kept, how they come onto a population again, and brushes.

A column is kept by content as a line of JSON and compressed bytes: the values of elements, and their ids where they are
not 0, 1, 2 and so on. A population that has more elements than were painted gets the column's fill for the others; a
mesh that is subdivided further gets the mixes of the vertices beside.
"""

from __future__ import annotations

import json
import zlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Annotated, Any, Literal, Protocol

import numpy as np
from pydantic import Field

from .colour.spaces import parse_hex
from .digest import digest_of
from .documents.document import Document
from .errors import BadInput
from .geometry.subdivision import refined
from .kernels import brushing
from .population import Attribute, Polygons, Population
from .population.attribute import Field as Column
from .population.naming import fits
from .runtime.cache import ResultCache
from .runtime.task import UNWATCHED, Task

if TYPE_CHECKING:
    from .geometry.shapes import ShapeMesh
    from .look.model import Asset, Painted
    from .pictures.picture import Picture

#: Dabs of one request.
MOST_DABS = 20_000
#: Dabs between two checks, and elements that those of one stroke touch together.
_DABS, _MOST_TOUCHED = 64, 400_000_000
#: Of one column, unpacked.
_LARGEST = 400 * 1024 * 1024
_WIDTHS = {"number": 1, "colour": 3, "vector": 3}
#: What elements are known by and placed by: never painted.
_PLACING = ("id", "position", "orientation", "copy_position")
_FIELDS = {"number": ("",), "colour": ("_r", "_g", "_b"), "vector": ("_x", "_y", "_z")}

#: Columns as they came onto populations, and the rows of subdivisions.
_onto = ResultCache(256 * 1024 * 1024, grows=3)


class Kept(Protocol):
    """What a scene keeps beside its document."""

    def column(self, digest: str, place: str) -> bytes:
        """The bytes of a painted column; BadInput where they are gone."""

    def picture(self, asset: Asset, place: str) -> Picture:
        """A picture; BadInput where it is gone or cannot be read."""

    def mesh(self, asset: Asset, place: str) -> ShapeMesh:
        """A small mesh; BadInput where it is gone or cannot be read."""


class _NothingKept:
    def column(self, digest: str, place: str) -> bytes:
        raise gone_column(place)

    def picture(self, asset: Asset, place: str) -> Picture:
        raise gone_picture(asset, place)

    def mesh(self, asset: Asset, place: str) -> ShapeMesh:
        raise gone_picture(asset, place)


#: Of a scene that stands alone.
NOTHING_KEPT: Kept = _NothingKept()


def gone_column(place: str) -> BadInput:
    """The sentence for painted values that the store does not have."""
    return BadInput(
        "The painted values of this column are gone from the data file. Remove the column, or paint it anew.",
        place=place, code="column_gone",
    )  # fmt: skip


def gone_picture(asset: Asset, place: str) -> BadInput:
    """The sentence for a picture or mesh that the store does not have."""
    return BadInput(
        f"The {asset.kind} {asset.name!r} is gone from the data file. Replace it, or choose another.",
        place=place, code="picture_gone",
    )  # fmt: skip


@dataclass(frozen=True)
class Values:
    """Painted values (n, k) float32 of elements with these (n,) int64 ids, ascending; None for 0 to n - 1."""

    values: np.ndarray
    ids: np.ndarray | None = None

    def packed(self) -> bytes:
        """As they are kept."""
        ids = b"" if self.ids is None else self.ids.astype("<i8").tobytes()
        header = {"rows": len(self.values), "width": self.values.shape[1], "ids": self.ids is not None}
        return json.dumps(header).encode() + b"\n" + zlib.compress(ids + self.values.astype("<f4").tobytes(), 1)


def unpacked(data: bytes, place: str) -> Values:
    """Values from what was kept; BadInput where that is damaged."""
    try:
        end = data.index(b"\n")
        header = json.loads(data[:end])
        rows, width, known = int(header["rows"]), int(header["width"]), bool(header["ids"])
        size = rows * width * 4 + (rows * 8 if known else 0)
        unpacking = zlib.decompressobj()
        held = unpacking.decompress(data[end + 1 :], min(size + 1, _LARGEST))
        if len(held) != size or width not in (1, 3) or not unpacking.eof:
            raise ValueError
    except (ValueError, KeyError, TypeError, OverflowError, zlib.error):
        raise gone_column(place) from None
    cut = rows * 8 if known else 0
    ids = np.frombuffer(held[:cut], "<i8") if known else None
    return Values(np.frombuffer(held[cut:], "<f4").reshape(rows, width).astype(np.float32), ids)


def values_of(painted: Painted, kept: Kept, place: str) -> Values | None:
    """What was painted of a column; None where all are alike.

    BadInput where the values are gone, or are another column's.
    """
    if not painted.digest:
        return None
    found, width = unpacked(kept.column(painted.digest, place), place), _WIDTHS[painted.kind]
    if found.values.shape[1] != width or not np.isfinite(found.values).all():
        raise BadInput(
            f"The painted values of {painted.name!r} are another column's. Remove the column, or paint it anew.",
            place=place, code="column_gone",
        )  # fmt: skip
    return found


def check_name(painted: Painted, place: str) -> None:
    """BadInput where a column is called like something that elements are known by or placed by."""
    example = np.zeros((1, _WIDTHS[painted.kind])) if painted.kind != "number" else np.zeros(1)
    if painted.name in _PLACING or not fits(Attribute(painted.name, painted.kind, example)):
        raise BadInput(
            f"A painted column cannot be called {painted.name!r}: elements have something else under that name. "
            "Give it another one.",
            place=place, code="taken_name",
        )  # fmt: skip


def ids_of(population: Population) -> np.ndarray | None:
    """(n,) int64: what tells the elements apart; None where they are known by their number."""
    if isinstance(population.form, Polygons) or population.elements.own.get("id") is None:
        return None
    low, high = population.elements.keys
    found = low.astype(np.int64) | (high.astype(np.int64) << 32)
    return None if np.array_equal(found, np.arange(len(found))) else found


def fill_of(painted: Painted) -> np.ndarray:
    """(k,) float32: what stands for the unpainted."""
    if isinstance(painted.fill, str):
        return parse_hex(painted.fill).astype(np.float32)
    if isinstance(painted.fill, tuple):
        return np.array(painted.fill, np.float32)
    return np.full(_WIDTHS[painted.kind], painted.fill, np.float32)


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
        form = coarse.form
        assert isinstance(form, Polygons)
        rows = refined(form.starts, form.corners, coarse.count).straight
        _onto.put(f"rows {key}", rows, rows.indices.nbytes * 3)
    found: np.ndarray = rows.mixed(values)
    return found


def with_painted(target: Target, columns: Sequence[Painted], kept: Kept) -> Population:
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


class Brush(Document):
    """How a stroke changes a column."""

    radius: Annotated[float, Field(gt=0, le=1e6)] = 0.2
    hardness: Annotated[float, Field(ge=0, le=1)] = 0.5
    strength: Annotated[float, Field(ge=0, le=1)] = 1.0
    way: Literal["add", "remove", "soften", "set_all"] = "add"
    value: float | str = Field(1.0, union_mode="left_to_right", description="What is painted: a number or #rrggbb.")
    mirror: Literal["", "x", "y", "z"] = Field("", description="Across the middle of the population, along an axis.")


_WAYS = {"add": brushing.ADD, "remove": brushing.REMOVE, "soften": brushing.SOFTEN}


def brushed(target: Target, painted: Painted, values: Values | None, brush: Brush, dabs: np.ndarray,
            task: Task = UNWATCHED) -> Values:  # fmt: skip
    """A column after a stroke; at the subdivision at which it was painted, where that is finer than the target's.

    Parameters
    ----------
    dabs
        (d, 3) float32: the middles of the brush one after another, in the population's own space.

    Raises
    ------
    BadInput
        Where the column is of another kind than the brush.
    """
    width = _WIDTHS[painted.kind]
    if isinstance(brush.value, str) != (painted.kind == "colour") or painted.kind == "vector":
        wanted = "a colour" if painted.kind == "colour" else "a number"
        raise BadInput(f"{painted.name!r} takes {wanted}.", place="brush.value", code="wrong_kind")
    towards = (parse_hex(brush.value) if isinstance(brush.value, str) else np.full(width, brush.value)).astype(
        np.float32
    )
    target = _finest(target, painted, values)
    found = onto(target, painted, values)
    if brush.way == "set_all":
        found[:] = towards
        return _named(target, painted, values, found)
    places = np.ascontiguousarray(target.population.elements.attribute("position").readable, np.float32)
    away = fill_of(painted)
    goal = away if brush.way == "remove" else towards
    way = brushing.ADD if brush.way == "remove" else _WAYS[brush.way]
    filed = _filed(target, places, brush.radius)
    dabs = np.ascontiguousarray(dabs, np.float32)
    _check_reach(filed, dabs, brush)
    for start in range(0, len(dabs), _DABS):
        task.check()
        for part in _mirrored(dabs[start : start + _DABS], places, brush.mirror):
            brushing.dab(
                np.ascontiguousarray(part, np.float32), np.float32(brush.radius), np.float32(brush.hardness),
                np.float32(brush.strength), way, goal, found, *filed.cells,
            )  # fmt: skip
    return _named(target, painted, values, found)


@dataclass(frozen=True)
class Filed:
    """Places in cells of a brush's size, so that a dab looks at those beside it alone."""

    low: np.ndarray
    side: float
    starts: np.ndarray
    order: np.ndarray
    places: np.ndarray

    @classmethod
    def of(cls, places: np.ndarray, radius: float) -> Filed:
        """(n, 3) float32 places, for a brush of a radius."""
        low = places.min(axis=0, initial=0).astype(np.float64)
        reach = float(np.abs(places).max(initial=1))
        # Not finer than float32 tells places apart, so that the number of a cell is a whole number.
        side = max(float(radius), reach * 2.0**-23)
        starts = np.empty((1 << max(6, len(places).bit_length())) + 1, np.int64)
        order, sorted_places = np.empty(len(places), np.int64), np.empty((len(places), 3), np.float32)
        brushing.filed(places, low, side, starts, order, sorted_places)
        return cls(low, side, starts, order, sorted_places)

    @property
    def cells(self) -> tuple[Any, ...]:
        """As the kernels take them, with room for the numbers and the distances of all places."""
        count = len(self.order)
        room = np.empty(count, np.int64), np.empty(count, np.float32)
        return self.low, self.side, self.starts, self.order, self.places, *room

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return self.starts.nbytes + self.order.nbytes + self.places.nbytes


def _filed(target: Target, places: np.ndarray, radius: float) -> Filed:
    """The places of a target for a brush; kept, because a stroke comes in many parts."""
    key = f"filed {target.key} {target.subdivision} {radius!r}"
    found: Filed | None = _onto.get(key)
    if found is None:
        found = Filed.of(places, radius)
        _onto.put(key, found, found.nbytes)
    return found


def _check_reach(filed: Filed, dabs: np.ndarray, brush: Brush) -> None:
    """BadInput where a stroke would touch so much that nobody would wait for it; judged by some of its dabs."""
    if len(dabs) * len(filed.places) <= _MOST_TOUCHED:
        return
    some = np.ascontiguousarray(dabs[:: max(1, len(dabs) // 64)])
    touched = brushing.reached(some, np.float32(brush.radius), *filed.cells) * len(dabs) // len(some)
    if touched > _MOST_TOUCHED:
        raise BadInput(
            f"{len(dabs):,} dabs of this size touch about {touched:,} elements together; at most {_MOST_TOUCHED:,} are "
            "painted at once. Use a smaller brush, or set all.",
            place="dabs", code="too_many",
        )  # fmt: skip


def _finest(target: Target, painted: Painted, values: Values | None) -> Target:
    """The mesh at the subdivision at which it was painted finest, so that a stroke on a coarser one loses nothing."""
    if target.coarser is None or values is None or painted.subdivision <= target.subdivision:
        return target
    return replace(target, population=target.coarser(painted.subdivision), subdivision=painted.subdivision)


def _mirrored(dabs: np.ndarray, places: np.ndarray, axis: str) -> list[np.ndarray]:
    if not axis or not len(places):
        return [dabs]
    a = "xyz".index(axis)
    other = dabs.copy()
    other[:, a] = places[:, a].min() + places[:, a].max() - dabs[:, a]
    return [dabs, other]


def _named(target: Target, painted: Painted, before: Values | None, values: np.ndarray) -> Values:
    """Values by the ids of the elements; those of elements that are not there now are kept."""
    if target.coarser is not None:
        return Values(values)
    ids = ids_of(target.population)
    old = before.values if before else np.empty((0, values.shape[1]), np.float32)
    if ids is None and (before is None or before.ids is None):
        return Values(np.concatenate([values, old[len(values) :]]))
    mine = np.arange(len(values), dtype=np.int64) if ids is None else ids
    known = np.arange(len(old), dtype=np.int64) if before is None or before.ids is None else before.ids
    others = ~np.isin(known, mine)
    all_ids, all_values = np.concatenate([known[others], mine]), np.concatenate([old[others], values])
    order = np.argsort(all_ids, kind="stable")
    return Values(np.ascontiguousarray(all_values[order]), all_ids[order])


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
