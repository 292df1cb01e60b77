"""falloff: a weight by how far an element is from a placement."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from ...documents.paths import pointer
from ...errors import BadInput, Fix
from ...kernels import falloffs as kernels
from ...kinds import Kind
from ...scene.follow import Placed
from ..scope import Scope
from ..step.measured import TRIPLE, UNITS, Placing, Size, Three, Where
from ..step.reported import Advisory, Outcome, put
from ..step.values import Context, Plan, Value

Edge = Placed[Annotated[float, Field(ge=0, le=100)]]
_SHAPES = ("line", "ball", "box", "angle", "plane")
_PROFILES = ("straight", "smooth", "full", "hollow")
#: A shorter line has no direction.
_SHORTEST = 1e-6


class Falloff(Placing):
    """From 1 at the placement to 0 away from it.

    The distance is 0 at the centre and 1 where the size ends: ``ball`` along its radius, ``box`` to its nearest face,
    ``plane`` on both sides of the plane square to its third axis; along a ``line`` it is 1 at its centre and 0 at its
    end, around the third axis of an ``angle`` 1 and falling to 0 once around (with turns for each unit of distance: a
    spiral), so that these weights rise. Up to ``inner`` the weight is 1, from ``outer`` on it is 0, between them it
    follows the profile.
    """

    title: ClassVar[str] = "Falloff"
    noun: ClassVar[str] = "a falloff"
    summary: ClassVar[str] = "a weight by the distance from a line, ball, box, angle or plane"
    aim: ClassVar = "place"
    details: ClassVar[bool] = True

    step: Literal["falloff"]
    shape: Literal["line", "ball", "box", "angle", "plane"] = Field("ball", title="Shape")
    end: Three | None = Field(None, title="End", description="Of a line.", json_schema_extra=TRIPLE)
    size: Size | None = Field(
        None, title="Size", description="Half the width along each axis; left out, that of the elements.",
        json_schema_extra=TRIPLE,
    )  # fmt: skip
    inner: Edge = Field(0.0, title="Inner edge", json_schema_extra={"unit": "share"})
    outer: Edge = Field(1.0, title="Outer edge", json_schema_extra={"unit": "share"})
    profile: Literal["straight", "smooth", "full", "hollow"] = Field("smooth", title="Profile")
    spiral: Placed[Annotated[float, Field(ge=-1000, le=1000)]] = Field(
        0.0, title="Spiral", description="Turns for each unit of distance from the axis.", json_schema_extra=UNITS
    )
    flip: bool = Field(False, title="Flip", description="1 away from the placement, 0 at it.")

    @property
    def fitted(self) -> bool:
        """Whether all of the placement is left to fit the elements."""
        return super().fitted and self.end is None

    @model_validator(mode="after")
    def _edges(self) -> Falloff:
        if isinstance(self.inner, float) and isinstance(self.outer, float) and self.inner > self.outer:
            raise ValueError(
                f"the inner edge, {self.inner:g}, lies beyond the outer one, {self.outer:g}. Exchange them, or flip"
            )
        return self

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number; checks the vector, the marker and the line."""
        self.check_measure(scope, place)
        start = self.spot(scope, place)
        if self.shape == "line" and start is not None and self.end is not None:
            length = float(np.linalg.norm(np.array(self.end, np.float64) - start))
            if length < _SHORTEST:
                raise BadInput(
                    "This line has no length: it begins where it ends. Move one of its ends.",
                    place=f"{place}.end", code="no_length",
                )  # fmt: skip
        return self.gives

    def depends_on(self, scope: Scope) -> list[Any]:
        """What is measured, and where the marker is."""
        spot = self.spot(scope, "")
        return [*self.measured_from(scope), None if spot is None else spot.tolist()]

    def resting(self, scope: Scope, where: Where) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Centre, size and end, (3,) float64 each, with what was left out fitted to the elements."""
        spot, middle, halves = self.spot(scope, ""), where.middle, where.halves
        size = halves if self.size is None else np.array(self.size, np.float64)
        if self.size is None and self.shape == "ball":
            size = np.full(3, halves.max())
        if self.shape != "line":
            return middle if spot is None else spot, size, middle
        along = np.where(np.arange(3) == int(halves.argmax()), halves, 0.0)
        end = np.array(self.end, np.float64) if self.end is not None else None
        if spot is None:
            spot = middle - along if end is None else end - 2 * along
        return spot, size, spot + 2 * along if end is None else end

    def _into(self, centre: np.ndarray, size: np.ndarray, end: np.ndarray) -> np.ndarray:
        """(4, 4): from the measured space into that of the shape."""
        if self.shape != "line":
            return self.placement(centre, size)
        way = end - centre
        along = way / max(float(way @ way), _SHORTEST**2)
        found = np.zeros((4, 4))
        found[0, :3], found[0, 3], found[3, 3] = along, -float(along @ centre), 1
        return found

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32 in 0..1."""
        where = self.where_of(context)
        centre, size, end = self.resting(context.scope, where)
        affine = where.affine(self._into(centre, size, end), centre)
        shape, profile = _SHAPES.index(self.shape), _PROFILES.index(self.profile)
        assert isinstance(self.inner, float) and isinstance(self.outer, float) and isinstance(self.spiral, float)
        inverse = np.float32(min(1 / max(self.outer - self.inner, 1e-12), 1e12))
        # A spiral turns by units, and a distance of 1 from the axis is one of its sizes.
        outer, spiral = np.float32(self.outer), np.float32(self.spiral * size[0])

        def fill(a: int, b: int, out: np.ndarray) -> None:
            kernels.falloff(
                *where.columns(a, b), affine.rows, affine.centre, shape, spiral, outer, inverse, profile, self.flip, out
            )

        return Plan(fill)

    def between_elements(self, outcome: Outcome) -> bool:
        """A narrow one lies between them."""
        return True

    def settled(self, outcome: Outcome) -> Falloff:
        """The step with its centre, size and end written out, in the space that it is measured in."""
        centre, size, end = self.resting(outcome.scope, self.where(outcome.scope, outcome.signals))
        update = {"marker": None, "centre": tuple(centre), "size": tuple(size), "space": self.measured_in}
        if self.shape == "line":
            update["end"] = tuple(end)
        return self.model_copy(update=update)

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """Where the placement stands, for its handles: also where it was fitted."""
        scope = outcome.scope
        where = self.where(scope, outcome.signals)
        centre, size, end = self.resting(scope, where)
        return {"placement": {"centre": centre.round(6).tolist(), "size": size.round(6).tolist(),
                              "end": end.round(6).tolist(), "space": self.measured_in}}  # fmt: skip

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """A warning that it touches no element, or all of them equally."""
        values = outcome.value.array
        if len(values) < 2 or self.by != "position":
            return
        low, high = float(values.min()), float(values.max())
        if high > low:
            return
        none = (low == 0) != self.flip
        sentence = (
            "No element lies within this falloff, so it does nothing."
            if none and low in (0, 1)
            else f"This falloff gives all elements the same, {low:.3g}."
        )
        at = pointer(outcome.place)
        fitted = [put(f"{at}/{name}", None) for name in ("marker", "centre", "end", "size")]
        fitted += [put(f"{at}/inner", 0.0), put(f"{at}/outer", 1.0)]
        yield Advisory("falloff_misses", outcome.place, sentence, (Fix("Fit it to the population", fitted),))
