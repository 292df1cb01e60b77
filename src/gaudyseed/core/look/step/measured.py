"""What all steps have in common that measure where an element is: by which vector, in whose space."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from ...digest import digest_of
from ...documents.references import Names
from ...errors import BadInput
from ...geometry.nearest import spacing
from ...geometry.placing import matrix, moved, undoing
from ...kernels.parallel import over
from ...population.owning import Owning, keys_of
from ...runtime.cache import ResultCache
from ...scene.follow import Placed, marked
from ..scope import Scope
from ..whole import WHOLE, OfKeys, Whole, ends_joined
from .base import Step
from .reported import Outcome
from .values import Context, Value

Coordinate = Placed[Annotated[float, Field(ge=-1e6, le=1e6)]]
Degrees = Placed[Annotated[float, Field(ge=-36_000, le=36_000)]]
Extent = Placed[Annotated[float, Field(ge=1e-6, le=1e6)]]
Three = tuple[Coordinate, Coordinate, Coordinate]
Turn = tuple[Degrees, Degrees, Degrees]
Size = tuple[Extent, Extent, Extent]

UNITS: JsonDict = {"unit": "units"}
#: A placement that stands by itself: triples in units and degrees; a centre or size left out is fitted to the elements.
TRIPLE: JsonDict = {"control": "three", "unit": "units"}
TURNED: JsonDict = {"control": "three", "unit": "°"}

#: Bounding boxes and spacings by what they are of, and vectors with their numbers apart.
_measured = ResultCache(4 * 1024 * 1024)
_columns = ResultCache(256 * 1024 * 1024, grows=3)


@dataclass(frozen=True)
class Affine:
    """A map of places in which nothing is lost far from 0: what it leads to 0 is taken off before it multiplies.

    Attributes
    ----------
    matrix
        (4, 4) float64: the whole map.
    rows
        (3, 4) float32: what differences are multiplied by, and what is added then; 0 but for maps that cannot be turned
        back.
    centre
        (6,) float32: x, y and z of the place that is taken off, then what float32 has lost of them.
    """

    matrix: np.ndarray
    rows: np.ndarray
    centre: np.ndarray

    def row(self, k: int, x: np.ndarray, y: np.ndarray, z: np.ndarray) -> np.ndarray:
        """(m,) float32: coordinate k of places."""
        c, (a, b, d, left) = self.centre, self.rows[k]
        found: np.ndarray = a * (x - c[0] - c[3]) + b * (y - c[1] - c[4]) + d * (z - c[2] - c[5]) + left
        return found


@dataclass(frozen=True)
class Where:
    """The vectors that elements are measured by.

    Attributes
    ----------
    values
        (n, k) float32 of two or more numbers, in the population's own space.
    space
        (4, 4) float64: from there into the space that is measured in.
    digest
        Names both by content.
    whole, named
        What is asked of all elements, and under what name.
    """

    values: np.ndarray
    space: np.ndarray
    digest: str
    whole: Whole = WHOLE
    named: str = ""

    @cached_property
    def _apart(self) -> np.ndarray:
        """(3, n) float32: x, y and z apart, which kernels read ten times as fast; kept while they are measured."""
        key = digest_of("apart", self.digest)
        found: np.ndarray | None = _columns.get(key)
        if found is None:
            found = np.zeros((3, len(self.values)), np.float32)
            wide = min(3, self.values.shape[1])
            over(len(self.values), lambda a, b: np.copyto(found[:wide, a:b], self.values[a:b, :wide].T))
            _columns.put(key, found, found.nbytes)
        return found

    def taken(self, rows: np.ndarray) -> Where:
        """The vectors of some of the elements, (m,) whole numbers."""
        return replace(self, values=self.values[rows], digest=digest_of(self.digest, rows))

    def columns(self, start: int, stop: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """x, y and z, (m,) float32 each, in the population's own space; z is 0 for vectors of two."""
        x, y, z = self._apart[:, start:stop]
        return x, y, z

    @property
    def placed(self) -> np.ndarray:
        """(n, 3) float32 in the space that is measured in."""
        three = np.zeros((len(self.values), 3), np.float32)
        three[:, : self.values.shape[1]] = self.values[:, :3]
        return moved(three, "point", self.space)

    def affine(self, into: np.ndarray, near: np.ndarray) -> Affine:
        """From own vectors into the space that a (4, 4) matrix leads to from the measured one.

        Of all points that the matrix takes to 0, a plane of them for a line, the one beside ``near`` (3,), which is a
        place of the measured space, is taken off first.
        """
        matrix = into @ self.space
        linear, shift = matrix[:3, :3], matrix[:3, 3]
        beside = np.linalg.pinv(self.space[:3, :3]) @ (near - self.space[:3, 3])
        centre = np.clip(beside - np.linalg.pinv(linear) @ (linear @ beside + shift), -1e30, 1e30)
        high = centre.astype(np.float32)
        low = (centre - high).astype(np.float32)
        left = linear @ (high.astype(np.float64) + low) + shift
        held = np.nan_to_num(np.clip(np.column_stack([linear, left]), -1e30, 1e30))
        return Affine(matrix, np.ascontiguousarray(held, np.float32), np.concatenate([high, low]))

    @property
    def own_box(self) -> tuple[np.ndarray, np.ndarray]:
        """The least and greatest corner, (3,) float64 each, in the population's own space; both 0 for no elements."""

        def make() -> tuple[np.ndarray, np.ndarray]:
            if not len(self.values):
                return np.zeros(3), np.zeros(3)
            return self._apart.min(axis=1).astype(np.float64), self._apart.max(axis=1).astype(np.float64)

        return self._kept("own box", make)

    @property
    def box(self) -> tuple[np.ndarray, np.ndarray]:
        """The least and greatest corner, (3,) float64 each, in the measured space; both 0 for no elements."""

        def make() -> tuple[np.ndarray, np.ndarray]:
            if not len(self.values):
                return np.zeros(3), np.zeros(3)
            found = self.placed
            return found.min(axis=0).astype(np.float64), found.max(axis=0).astype(np.float64)

        return self._kept("box", make)

    @property
    def middle(self) -> np.ndarray:
        """(3,): the middle of the box."""
        low, high = self.box
        return (low + high) / 2

    @property
    def halves(self) -> np.ndarray:
        """(3,): half the sides of the box, none of them 0."""
        low, high = self.box
        half = (high - low) / 2
        most = float(half.max()) or 1.0
        return np.clip(np.where(half > 1e-4 * most, half, most), 1e-6, 1e6)

    @property
    def longest(self) -> float:
        """The longest side of the box; 1 where it has none."""
        low, high = self.box
        return float((high - low).max()) or 1.0

    @property
    def spacing(self) -> float:
        """About how far neighbours lie apart."""
        self.whole.at_once("How far elements lie apart")
        return self._kept("spacing", lambda: spacing(self.placed))

    def _kept(self, word: str, make: Any) -> Any:
        if self.whole.in_blocks:
            return self.whole.measured(f"{word} of {self.named}", make, ends_joined)
        key = f"{word} {self.digest}"
        found = _measured.get(key)
        if found is None:
            found = make()
            _measured.put(key, found, 200)
        return found


class Measured(Step):
    """A step that reads where elements are: by their positions, uv, or any other vector, in whose space."""

    by: Annotated[str, Names("attribute")] = Field(
        "position", min_length=1, max_length=200, title="By",
        description="The vector that is measured: position, uv, any vector attribute or signal.",
        json_schema_extra={"control": "vector"},
    )  # fmt: skip
    space: Literal["own", "scene"] = Field(
        "own", title="Space", description="That of the population, or of the scene where it was moved, turned or sized."
    )

    def signals_read(self) -> set[str]:
        """The one that it may be measured by."""
        return {*super().signals_read(), self.by}

    def attributes_read(self) -> tuple[str, ...]:
        """The vector."""
        return (self.by,)

    def check_measure(self, scope: Scope, place: str, field: str = "by") -> None:
        """BadInput where there is no such vector; ``field`` is the parameter that names it."""
        if self.by not in scope.elements.names and self.by in scope.signals:
            kind = scope.signal_kind(self.by, f"{place}.{field}")
            word, width = kind.word, kind.width
        else:
            column = scope.attribute(self.by, f"{place}.{field}")
            word, width = column.kind, column.width  # type: ignore[assignment]
        if word != "vector" or width < 2:
            raise BadInput(
                f"{self.by!r} holds {word}s, which are no place. Choose a vector of two or three numbers, such as "
                "position.",
                place=f"{place}.{field}", code="wrong_kind",
            )  # fmt: skip

    @property
    def measured_in(self) -> str:
        """Whose space is measured in."""
        return self.space

    def _space(self, scope: Scope, role: str) -> np.ndarray:
        return scope.placement if self.measured_in == "scene" and role == "point" else np.eye(4)

    def measured_from(self, scope: Scope) -> list[Any]:
        """Digests of what is measured, for ``depends_on``; those of a signal come by its own digest."""
        column = scope.elements.find(self.by)
        if column is None:
            return ["signal", self.by]
        return [column.digest, digest_of(self._space(scope, column.role))]

    def between_elements(self, outcome: Outcome) -> bool:
        """Whether its values between two elements are what a coarse mesh would miss."""
        return False

    def settled(self, outcome: Outcome) -> Step:
        """The step with what was left to fit the elements written out, for other elements of the same place."""
        return self

    def where(self, scope: Scope, signals: Mapping[str, Value]) -> Where:
        """The vectors that ``by`` names, and the transform into the measured space."""
        column = scope.elements.find(self.by)
        if column is None:
            value = signals[self.by].array
            return Where(value, np.eye(4), digest_of(value), scope.surroundings.whole, f"the signal {self.by}")
        space = self._space(scope, column.role)
        named = f"{self.by} {digest_of(space)}"
        return Where(column.readable, space, digest_of(column.digest, space), scope.surroundings.whole, named)

    def where_of(self, context: Context) -> Where:
        """The vectors that are measured, for a plan."""
        return self.where(context.scope, context.signals)


class Placing(Measured):
    """A step with a placement in space: its centre is that of a marker, its own, or the middle of the elements."""

    space: Literal["own", "scene"] = Field(
        "scene", title="Space", description="In whose space the placement stands: the scene's, or the population's own."
    )
    marker: Annotated[str | None, Names("marker")] = Field(
        None, max_length=100, title="Marker", description="The marker that its centre goes along with.",
        json_schema_extra={"control": "marker"},
    )  # fmt: skip
    centre: Three | None = Field(
        None, title="Centre", description="Left out, the middle of the elements.", json_schema_extra=TRIPLE
    )
    turn: Turn = Field((0.0, 0.0, 0.0), title="Turn", json_schema_extra=TURNED)

    @property
    def fitted(self) -> bool:
        """Whether all of the placement is left to fit the elements."""
        return self.marker is None and self.centre is None and getattr(self, "size", None) is None

    @property
    def measured_in(self) -> str:
        """The population's own space while it is fitted: so it goes along wherever the population is moved."""
        return "own" if self.fitted else self.space

    def spot(self, scope: Scope, place: str) -> np.ndarray | None:
        """(3,) float64: the centre in the measured space; None where it is fitted to the elements."""
        if self.marker is not None:
            return in_space(marked(self.marker, scope.markers, f"{place}.marker"), self.measured_in, scope)
        return None if self.centre is None else np.array(self.centre, np.float64)

    def placement(self, centre: np.ndarray, size: np.ndarray) -> np.ndarray:
        """(4, 4): from the measured space into that of the placement, in which its size is 1 along each axis."""
        own = matrix(tuple(centre), self.turn, 1.0) @ np.diag([*size, 1.0])
        return undoing(own)


def ends_of_owners(context: Context, owning: Owning, key: str, values: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(k,) or (k, w) float32 each: the least and the greatest value of each owner's elements, of all blocks."""
    least, greatest = owning.of(values, "least"), owning.of(values, "greatest")
    if not context.whole.in_blocks:
        return least, greatest
    keys = keys_of(context.elements, key)
    if keys is None:
        context.whole.at_once(f"The {key} that elements belong to", context.place)
        raise AssertionError

    def make() -> OfKeys:
        there = np.flatnonzero(owning.sizes)
        order = there[np.argsort(keys[there])]
        return OfKeys(keys[order], least[order], greatest[order])

    measured = context.whole.measured(f"{context.place} ends by {key}", make, OfKeys.joined)
    present = owning.sizes > 0
    least[present], greatest[present] = measured.of(keys[present])
    return least, greatest


def in_space(point: np.ndarray, space: str, scope: Scope) -> np.ndarray:
    """A point of the scene in the space that a step measures in."""
    if space == "scene":
        return point
    return (undoing(scope.placement) @ [*point, 1.0])[:3]
