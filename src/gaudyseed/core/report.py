"""Everything a screen or a command line tells about an evaluation, as plain JSON."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from . import census
from .advisories import advise
from .colour.spaces import to_hex
from .digest import digest_of
from .look.evaluate import Evaluation, Evaluator, LayerResult, StepResult, covers_all
from .look.steps import Step, Value
from .look.steps.choose import Choose
from .look.steps.component import Component, part_of, parts_of
from .look.steps.curve import Curve
from .look.steps.drift import Drift
from .look.steps.even_out import EvenOut
from .look.steps.palette import Palette
from .look.steps.ramp import Ramp
from .population import Attribute
from .vectors import lengths

#: Places at which a curve is drawn.
CURVE_SAMPLES = 129
#: Elements that the parts of a colour or vector are compared by.
PARTS_SAMPLE = 8192


@dataclass(frozen=True)
class Groups:
    """Which colour each finished element counts for.

    ``of`` (n,) uint8; ``counts``, and ``colours`` as the mean finished colour
    (None where empty); ``place`` is the ramp that decides, or None.
    """

    of: np.ndarray
    counts: list[int]
    colours: list[str | None]
    place: str | None


class Reporter:
    """Censuses with a cache: what did not change is not counted again."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._cache = evaluator.cache

    def _cached(self, key: str, make: Any, size: int = 20_000) -> Any:
        found = self._cache.get(key)
        if found is None:
            found = make()
            self._cache.put(key, found, size)
        return found

    def steps(self, evaluation: Evaluation) -> dict[str, dict[str, Any]]:
        """The census of every step by its place, and of every signal with layers by its own."""
        found = {result.place: self._step(evaluation, result) for result in evaluation.steps}
        for signal in evaluation.signals.values():
            if signal.layers:
                key = digest_of("census", "signal", signal.digest)
                found[signal.place] = self._cached(key, lambda value=signal.value: _of_value(value, None))
        return found

    def _step(self, evaluation: Evaluation, result: StepResult) -> dict[str, Any]:
        return self._cached(digest_of("census", result.digest), lambda: self._census(evaluation, result))

    def _census(self, evaluation: Evaluation, result: StepResult) -> dict[str, Any]:
        found = _of_step(result, evaluation.signal_values)
        step, before = result.compiled.step, result.before
        if isinstance(step, Ramp) and before is not None:
            values = before.value.array
            incoming = self._cached(digest_of("incoming", before.digest), lambda: census.histogram(values, 0.0, 1.0))
            ramp = step.compiled(evaluation.signal_values)
            found["ramp"] = census.of_ramp(ramp, incoming, self._stops_of(evaluation, result))
        if isinstance(step, Palette) and before is not None:
            count = len(step.swatches)
            counts = census.group_counts(self._stops_of(evaluation, result))[:count]
            colours = [to_hex(c) for c in step.drawn(evaluation.signal_values)]
            found["palette"] = {"counts": counts.tolist(), "colours": colours}
            if before.value.kind == "number":
                found["incoming"] = census.histogram(before.value.array, 0.0, 1.0)
        return found

    def _stops_of(self, evaluation: Evaluation, ramp: StepResult) -> np.ndarray:
        """(n,) uint8: the stop that each element counts for."""
        step, before = ramp.compiled.step, ramp.before
        if ramp.value.stops is not None:
            return ramp.value.stops
        assert isinstance(step, Ramp) and before is not None
        values = before.value.array
        compiled = step.compiled(evaluation.signal_values)
        return self._cached(digest_of("stops", ramp.digest), lambda: compiled.groups_of(values), len(values))

    def groups(self, evaluation: Evaluation) -> Groups:
        """Groups of the finished population.

        The last ramp, palette or choice of the topmost layer that covers everything below it
        decides; where no layer covers, that of the lowest layer that has one; where there
        is none, elements are grouped by like colours.
        """
        layer = _deciding_layer(evaluation)
        ramp = _last_ramp(layer) if layer else None
        key = digest_of("groups", evaluation.digest, [ramp.digest, ramp.place] if ramp else "")

        def make() -> Groups:
            if ramp is None:
                of, count = census.group_by_colour(evaluation.colours)
            else:
                of = self._stops_of(evaluation, ramp)
                count = _choices(ramp.compiled.step)
            counts = census.group_counts(of)[:count].tolist()
            return Groups(of, counts, census.mean_colours(evaluation.colours, of, count), ramp.place if ramp else None)

        return self._cached(key, make, evaluation.population.count + 20_000)

    def advisories(self, evaluation: Evaluation) -> list[dict[str, Any]]:
        """All advisories as JSON."""
        ramps = {place: c["ramp"] for place, c in self.steps(evaluation).items() if "ramp" in c}
        layers = [
            [layer.compiled.place, layer.compiled.layer.model_dump(mode="json", exclude={"paint", "mask"})]
            for stack in evaluation.stacks
            for layer in stack
        ]
        steps = [[s.digest, s.place, list(s.compiled.signals)] for s in evaluation.steps]
        key = digest_of("advisories", evaluation.population.digest, steps, list(evaluation.signals), layers)
        groups = self.groups(evaluation)
        return self._cached(key, lambda: [a.document() for a in advise(evaluation, ramps, groups.place, groups.counts)])

    def trace(self, evaluation: Evaluation, element: int) -> dict[str, Any]:
        """One element's value after every step."""
        population = evaluation.population
        stable = population.attributes.get("id")
        steps = []
        for result in evaluation.steps:
            entry: dict[str, Any] = {"place": result.place, **_value_at(result, element)}
            if isinstance(result.compiled.step, Ramp) and result.before is not None:
                incoming = result.before.value.array[element : element + 1]
                entry["at"] = float(incoming[0])
                entry["stop"] = int(self._stops_of(evaluation, result)[element])
            elif result.value.stops is not None:
                entry["stop"] = int(result.value.stops[element])
            steps.append(entry)
        return {
            "element": element,
            "id": int(stable.values[element]) if stable is not None and stable.kind == "integer" else element,
            "steps": steps,
            "result": to_hex(evaluation.colours[element]),
        }


def _numbers_before(result: StepResult) -> np.ndarray | None:
    """The last numbers that led to this step's colours."""
    earlier = result.before
    while earlier is not None and earlier.value.kind != "number":
        earlier = earlier.before
    return earlier.value.array if earlier is not None else None


def _of_value(value: Value, places: np.ndarray | None) -> dict[str, Any]:
    """The distribution of numbers, of the lengths of vectors, or of colours along the numbers that led to them."""
    if value.kind == "colour":
        return {"kind": value.kind, "colours": census.of_colours(value.array, places)}
    numbers = value.array if value.kind == "number" else lengths(value.array)
    return {"kind": value.kind, "numbers": census.of_numbers(numbers)}


def _parts(value: Value) -> dict[str, Any]:
    """The distribution of every part that could be read of colours or vectors, from an even sample."""
    sample = np.ascontiguousarray(value.array[:: max(1, len(value.array) // PARTS_SAMPLE)])
    return {part: census.of_numbers(part_of(sample, part)) for part in parts_of(value.kind, value.array.shape[1])}


def _of_step(result: StepResult, signals: Mapping[str, Value]) -> dict[str, Any]:
    before = result.before
    value = result.value
    found = _of_value(value, _numbers_before(result) if value.kind == "colour" else None)
    if isinstance(result.compiled.step, EvenOut):
        found["reached"] = census.reached(found["numbers"])
    if before is not None and before.value.kind == value.kind == "number":
        found["flow"] = census.flow(before.value.array, value.array)
    if value.facts is not None:
        found["facts"] = value.facts
    if isinstance(result.compiled.step, Curve):
        places = np.linspace(0, 1, CURVE_SAMPLES, dtype=np.float32)
        points = result.compiled.step.drawn(signals)
        found["curve"] = result.compiled.step.heights(places, points).round(5).tolist()
        found["points"] = points.round(6).tolist()
    if isinstance(result.compiled.step, Component) and before is not None:
        found["parts"] = _parts(before.value)
    if isinstance(result.compiled.step, Drift) and before is not None:
        found["drift"] = census.of_drift(result.compiled.step, before.value.array, signals)
    if isinstance(result.compiled.step, Curve) and before is not None:
        found["incoming"] = census.histogram(before.value.array, 0.0, 1.0)
    return found


def _value_at(result: StepResult, element: int) -> dict[str, Any]:
    value = result.value
    row = value.array[element] if value.exact is None else value.exact[element]
    if result.value.kind == "number":
        return {"kind": "number", "number": float(row)}
    if result.value.kind == "vector":
        return {"kind": "vector", "vector": [float(v) for v in row]}
    return {"kind": "colour", "colour": to_hex(row)}


def _last_ramp(layer: LayerResult) -> StepResult | None:
    """The last step of a layer that gives each element one of several colours."""
    found = [s for s in layer.paint if s.value.kind == "colour" and _choices(s.compiled.step)]
    return found[-1] if found else None


def _choices(step: Step) -> int:
    """How many colours a ramp, a palette or a choice of chains gives; 0 for other steps."""
    if isinstance(step, Ramp):
        return len(step.stops)
    if isinstance(step, Palette):
        return len(step.swatches)
    return len(step.chains) if isinstance(step, Choose) else 0


def _deciding_layer(evaluation: Evaluation) -> LayerResult | None:
    """The topmost layer that covers all below it, or above none such the lowest with a ramp."""
    covers = [k for k, layer in enumerate(evaluation.layers) if covers_all(layer)]
    if covers:
        return evaluation.layers[covers[-1]]
    return next((layer for layer in evaluation.layers if _last_ramp(layer)), None)


def attribute_census(attribute: Attribute) -> dict[str, Any]:
    """The distribution of one attribute over its own range.

    Of (n, k) values: the last of three components (height, for places), else the first.
    """
    values = attribute.readable
    part = 0 if values.ndim == 1 else 2 if values.shape[1] == 3 else 0
    if len(values) and attribute.kind != "colour" and attribute.beyond[part]:
        exact = attribute.precise(part)
        least, greatest = exact.min(), exact.max()
        found = census.histogram((exact - least).astype(np.float32), 0.0, float(greatest - least))
        ends = {"low": least, "high": greatest, "least": least, "greatest": greatest}
        return {**found, **{key: float(end) for key, end in ends.items()}}
    numbers = np.ascontiguousarray(values if values.ndim == 1 else values[:, part], np.float32)
    whole = census.histogram(numbers, 0.0, 1.0)
    return census.histogram(numbers, whole["least"], whole["greatest"])
