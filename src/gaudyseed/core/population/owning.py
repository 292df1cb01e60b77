"""One value for each owner from those of its elements."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Literal

import numpy as np

from ..errors import BadInput
from ..kernels import owners as kernels

if TYPE_CHECKING:
    from .elements import Elements

Way = Literal["mean", "least", "greatest", "middle", "first", "sum", "count"]


@dataclass(frozen=True)
class Owning:
    """Which owner each element has: ``index`` (n,) int32 below ``count``.

    Examples
    --------
    >>> pairs = Owning(np.array([0, 1, 0], np.int32), 2)
    >>> pairs.of(np.array([1.0, 5.0, 4.0], np.float32), "mean").tolist()
    [2.5, 5.0]
    """

    index: np.ndarray
    count: int

    def __post_init__(self) -> None:
        # The kernels look nothing up twice: an index beyond the owners would write beyond their arrays.
        if len(self.index) and not 0 <= int(self.index.min()) <= int(self.index.max()) < self.count:
            raise ValueError("some elements have an owner that is not there")

    @cached_property
    def sizes(self) -> np.ndarray:
        """(k,) int64: how many elements each has."""
        found = np.zeros(self.count, np.int64)
        kernels.counts(self.index, found)
        return found

    @cached_property
    def firsts(self) -> np.ndarray:
        """(k,) int64: the first element of each; -1 where it has none."""
        found = np.full(self.count, -1, np.int64)
        kernels.firsts(self.index, found)
        return found

    def of(self, values: np.ndarray, way: Way) -> np.ndarray:
        """(k,) or (k, w) float32: one value for each owner from (n,) or (n, w) float32; 0 where it has no elements.

        ``middle`` is the median, the mean of the two in the middle where their number is even. Sums are float64.
        """
        if way == "count":
            return np.broadcast_to(
                self.sizes.reshape(-1, *[1] * (values.ndim - 1)), (self.count, *values.shape[1:])
            ).astype(np.float32)
        if way == "first":
            found = values[np.maximum(self.firsts, 0)].astype(np.float32)
            found[self.firsts < 0] = 0
            return found
        flat = np.ascontiguousarray(values, np.float32).reshape(-1)
        width = 1 if values.ndim == 1 else values.shape[1]
        columns = [self._column(flat, width, k, way) for k in range(width)]
        return columns[0] if values.ndim == 1 else np.stack(columns, -1)

    def _column(self, flat: np.ndarray, width: int, part: int, way: Way) -> np.ndarray:
        if way in ("sum", "mean"):
            sums = np.zeros(self.count)
            kernels.sums(flat, width, part, self.index, sums)
            return (sums / np.maximum(self.sizes, 1) if way == "mean" else sums).astype(np.float32)
        if way == "middle":
            starts = np.concatenate([[0], np.cumsum(self.sizes)])
            out = np.zeros(self.count, np.float32)
            kernels.middles(flat, width, part, self.index, starts, out)
            return out
        least, greatest = np.full(self.count, np.inf, np.float32), np.full(self.count, -np.inf, np.float32)
        kernels.ends(flat, width, part, self.index, least, greatest)
        found = least if way == "least" else greatest
        return np.where(np.isfinite(found), found, np.float32(0))


def owning_of(elements: Elements, key: str, place: str = "") -> Owning:
    """Who owns each element: by a level of that name, else by equal values of an integer or text attribute.

    BadInput where there is neither. Worked out once for a population.
    """
    found = elements.owning.get(key)
    if found is None:
        found = elements.owning[key] = _owning_of(elements, key, place)
    return found


def keys_of(elements: Elements, key: str) -> np.ndarray | None:
    """(k,) what tells the owners by a key apart, whole numbers or texts; None for a level above the elements."""
    if elements.owner_of(key) is not None:
        return None
    attribute = elements.attribute(key)
    return np.array(attribute.labels) if attribute.kind == "text" else np.unique(attribute.precise())


def _owning_of(elements: Elements, key: str, place: str) -> Owning:
    index = elements.owner_of(key)
    if index is not None:
        count = next(above.count for above in elements.owners if above.level == key)
        return Owning(np.ascontiguousarray(index, np.int32), count)
    attribute = elements.attribute(key, place)
    if attribute.kind not in ("integer", "text"):
        raise BadInput(
            f"{key!r} holds {attribute.kind}s; one value per attribute wants whole numbers or texts.",
            place=place, code="wrong_kind",
        )  # fmt: skip
    if attribute.kind == "text":
        return Owning(np.ascontiguousarray(attribute.values, np.int32), len(attribute.labels))
    keys, inverse = np.unique(attribute.precise(), return_inverse=True)
    return Owning(inverse.reshape(-1).astype(np.int32), len(keys))
