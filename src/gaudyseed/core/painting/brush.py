"""Brushes: a column after a stroke."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..colour.spaces import parse_hex
from ..documents.document import Document
from ..errors import BadInput
from ..kernels import brushing
from ..runtime.task import UNWATCHED, Task

if TYPE_CHECKING:
    pass
from ..runtime.cache import ResultCache
from .columns import Target, ids_of, onto
from .painted import _WIDTHS, Painted, Values, fill_of

#: Dabs of one request.
MOST_DABS = 20_000


#: Dabs between two checks, and elements that those of one stroke touch together.
_DABS, _MOST_TOUCHED = 64, 400_000_000


#: Places in cells of a brush's size: a stroke comes in many parts.
_cells = ResultCache(256 * 1024 * 1024, grows=3)


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
        """The arguments of the kernels, with room for the numbers and the distances of all places."""
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
    found: Filed | None = _cells.get(key)
    if found is None:
        found = Filed.of(places, radius)
        _cells.put(key, found, found.nbytes)
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
