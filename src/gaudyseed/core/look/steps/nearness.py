"""nearness: how near markers or another population are, or what is there."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...digest import digest_of
from ...documents.paths import pointer
from ...documents.references import Names
from ...errors import BadInput, Fix
from ...geometry.nearest import Found, NearestOnTriangles, NearestPoint, along_curve
from ...geometry.placing import moved
from ...kinds import NUMBER, Kind
from ...reading import Reading
from ...runtime.cache import ResultCache
from ...scene.follow import marked
from ..scope import Scope
from ..step.measured import Extent, Measured, Where
from ..step.reported import Advisory, Outcome, put
from ..step.values import Context, Plan, Value

#: Trees by what they are of, and orders of places: they stay while colours are edited.
_trees = ResultCache(256 * 1024 * 1024, grows=3)


@dataclass(frozen=True)
class _Target:
    """What is looked for: points or triangles in the scene, where they are, and what is read there."""

    points: np.ndarray
    corners: np.ndarray | None
    digest: str
    kind: Kind
    values: np.ndarray | None
    values_digest: str


class Nearness(Measured):
    """How near the nearest marker, or the nearest element or place on the surface of another population, is.

    ``reach`` gives 1 there and 0 from the reach on, straight between; ``distance`` units; ``value`` what the nearest
    element carries, or the mix of it at the nearest place of a surface. Measured in the scene. Without a population and
    markers named, all markers of the scene count; where it has none, the middle of the elements. A reach left out is
    the longest side of the elements' box.
    """

    title: ClassVar[str] = "Nearness"
    noun: ClassVar[str] = "how near something is"
    summary: ClassVar[str] = "to markers or another population, or what is there"
    aim: ClassVar = "place"
    details: ClassVar[bool] = False

    step: Literal["nearness"]
    space: Literal["own", "scene"] = Field("scene", json_schema_extra={"control": "none"})
    population: Annotated[str | None, Names("population")] = Field(
        None, max_length=40, title="To", json_schema_extra={"control": "population"}
    )
    markers: tuple[Annotated[str, Field(min_length=1, max_length=100), Names("marker")], ...] = Field(
        (), max_length=256, title="Markers", description="None named: all of them.",
        json_schema_extra={"control": "markers"},
    )  # fmt: skip
    nearest: Literal["element", "surface"] = Field("element", title="Nearest")
    result: Literal["reach", "distance", "value"] = Field(
        "reach", title="Gives", json_schema_extra={"words": ["1 to 0 within reach", "Distance", "What is there"]}
    )
    within: Extent | None = Field(
        None, title="Reach", description="In units; left out, the longest side of the elements' box.",
        json_schema_extra={"unit": "units", "control": "fitted"},
    )  # fmt: skip
    read: Reading = Field(
        Reading(of="channel", name="base_colour"), title="Read", json_schema_extra={"control": "reading"}
    )
    flip: bool = Field(False, title="Flip", description="0 there, 1 from the reach on.")

    @classmethod
    def detached(cls, document: dict[str, Any], population: str) -> dict[str, Any]:
        """The document of a nearness to markers instead."""
        gone = document.get("population") == population
        return {**document, "population": None, "result": "reach"} if gone else document

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number, or the kind of what is read."""
        self.check_measure(scope, place)
        if self.result == "value" and self.population is None:
            raise BadInput(
                "Markers carry nothing. Choose a population to read, or take the distance.",
                place=f"{place}.result", code="wrong_kind",
            )  # fmt: skip
        return self._target(scope, place).kind

    def _target(self, scope: Scope, place: str) -> _Target:
        if self.population is None:
            return self._markers(scope, place)
        other = scope.other(self.population, f"{place}.population")
        column = other.population.elements.attribute("position", f"{place}.population")
        points = column.readable
        digest = [column.digest, digest_of(other.scope.placement)]
        corners = None
        if self.nearest == "surface":
            form = other.population.form.polygons
            if form is None:
                raise BadInput(
                    "That population has no surface: its elements stand alone. Take the nearest element.",
                    place=f"{place}.nearest", code="wrong_kind",
                )  # fmt: skip
            corners = form.triangles
            digest.append(form.digest)
        kind, values, read = NUMBER, None, ""
        if self.result == "value":
            kind, values, read = self.read.of_evaluation(other, f"{place}.read.name")
        return _Target(moved(points, "point", other.scope.placement), corners, digest_of(digest), kind, values, read)

    def _markers(self, scope: Scope, place: str) -> _Target:
        names = self.markers or tuple(scope.markers)
        places = [marked(name, scope.markers, f"{place}.markers") for name in names]
        points = np.array(places, np.float32).reshape(-1, 3)
        return _Target(points, None, digest_of("markers", points), NUMBER, None, "")

    def depends_on(self, scope: Scope) -> list[Any]:
        """What is measured, what is looked for and what is read there."""
        target = self._target(scope, "")
        return [*self.measured_from(scope), target.digest, target.values_digest]

    def _reach(self, where: Where) -> float:
        if self.within is None:
            return where.longest
        assert isinstance(self.within, float)
        return self.within

    def _found(self, where: Where, target: _Target, reach: float, context: Context) -> Found:
        places = where.placed
        points = target.points if self.population or len(target.points) else where.middle[None].astype(np.float32)
        if not len(points):
            far = np.full(len(places), -1, np.int32), np.full(len(places), reach, np.float32)
            return Found(*far, np.zeros((len(places), 3), np.float32))
        if target.corners is not None:
            tree = _kept(f"triangles {target.digest}", lambda: NearestOnTriangles(points, target.corners))
            return tree.to(places, reach, context.task, _order(where, places))
        if self.population is None:
            return NearestPoint(points).to(places, reach, context.task)
        tree = _kept(f"points {target.digest}", lambda: NearestPoint(points))
        return tree.to(places, reach, context.task, _order(where, places))

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32, or what is read."""
        where = self.where_of(context)
        target = self._target(context.scope, context.place)
        reach = self._reach(where)
        found = self._found(where, target, reach if self.result == "reach" else np.inf, context)
        if self.result == "value":
            return Plan(whole=_carried(found, target))
        distances = found.distances
        facts = {"nearest": float(distances.min(initial=reach)), "reach": reach}
        if self.result == "distance":
            return Plan(whole=np.minimum(distances, np.float32(1e30)), facts=facts)

        def fill(a: int, b: int, out: np.ndarray) -> None:
            np.clip(distances[a:b] / np.float32(reach), 0, 1, out=out)
            if not self.flip:
                np.subtract(np.float32(1), out, out=out)

        return Plan(fill, facts=facts)

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """A warning that nothing is there to be near to, or nothing within reach."""
        target = self._target(outcome.scope, "")
        if self.population is not None and not len(target.points):
            yield Advisory(
                "nearness_to_nothing", outcome.place,
                "The population that this looks for has no elements, so nothing is near.",
            )  # fmt: skip
            return
        facts = outcome.value.facts or {}
        if self.result == "reach" and facts and facts["nearest"] >= facts["reach"]:
            where = self.where(outcome.scope, outcome.signals)
            fixes = (Fix("Reach all of them", [put(f"{pointer(outcome.place)}/within", None)]),) if self.within else ()
            yield Advisory(
                "nearness_misses", outcome.place,
                f"Nothing lies within reach, {facts['reach']:.3g}, of any element; all get the same.",
                fixes if where.longest > facts["reach"] else (),
            )  # fmt: skip


def _carried(found: Found, target: _Target) -> np.ndarray:
    """What the nearest ones carry; 0 where there are none."""
    assert target.values is not None
    missing = found.items < 0
    rows = np.maximum(found.items, 0)
    if not len(target.values):
        return np.zeros((len(rows), *target.values.shape[1:]), np.float32)
    if target.corners is None or found.weights is None:
        values = target.values[rows].astype(np.float32)
    else:
        corners = target.values[target.corners[rows]]
        weights = found.weights.reshape(*found.weights.shape, *[1] * (corners.ndim - 2))
        values = (corners * weights).sum(axis=1, dtype=np.float32)
    values[missing] = 0
    return np.ascontiguousarray(values)


def _kept(key: str, make: Any) -> Any:
    found = _trees.get(key)
    if found is None:
        found = make()
        _trees.put(key, found, 24 * len(found.points) + 60 * len(getattr(found, "corners", ())))
    return found


def _order(where: Where, places: np.ndarray) -> np.ndarray:
    """The places along a curve, kept while they stay."""
    key = f"order {where.digest}"
    found: np.ndarray | None = _trees.get(key)
    if found is None:
        found = along_curve(places)
        _trees.put(key, found, found.nbytes)
    return found
