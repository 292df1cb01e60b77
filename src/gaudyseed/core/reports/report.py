"""Everything a screen or a command line tells about an evaluation, as plain JSON."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from ..advisories import Evidence, advise, document, read_by_all
from ..channels import CHANNELS
from ..colour.spaces import display_bytes, hexes, to_hex
from ..digest import digest_of
from ..look.evaluate import Evaluator
from ..look.outcomes import outcome_of
from ..look.results import Evaluation, LayerResult, StepResult, covers_all
from ..look.step.reported import Choices, Outcome
from ..look.steps import Value
from ..population import Attribute
from ..population.derive import standing
from ..population.strands import along_of
from ..vectors import lengths
from . import census
from .coverage import coverage


@dataclass(frozen=True)
class Groups:
    """Which colour each finished element counts for.

    ``digest`` names them by content; ``of`` (n,) uint8; ``counts``, and ``colours`` as the mean finished colour
    (None where empty); ``place`` is the ramp that decides, or None.
    """

    digest: str
    of: np.ndarray
    counts: list[int]
    colours: list[str | None]
    place: str | None


class Reporter:
    """Censuses with a cache: what did not change is not counted again."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._cache = evaluator.cache

    def _cached(self, key: str, make: Callable[[], Any], size: int = 20_000) -> Any:
        found = self._cache.get(key)
        if found is None:
            found = make()
            self._cache.put(key, found, size)
        return found

    def outcome(self, evaluation: Evaluation, result: StepResult) -> Outcome:
        """A step's result as its own census, advisories and edits see it."""
        return outcome_of(evaluation, result, self._cached)

    def steps(self, evaluation: Evaluation) -> dict[str, dict[str, Any]]:
        """The census of every step by its place, and of every signal with layers by its own.

        Each has a ``digest`` that names it by content.
        """
        found = {result.place: self._census(evaluation, result) for result in evaluation.steps}
        for signal in evaluation.signals.values():
            if signal.layers:
                key = digest_of("census", "signal", signal.digest)
                found[signal.place] = self._cached(key, partial(_of_signal, key, signal.value))
        return found

    def _census(self, evaluation: Evaluation, result: StepResult) -> dict[str, Any]:
        evaluation.task.check()
        digest = digest_of("census", result.digest)

        def make() -> dict[str, Any]:
            own = result.compiled.step.census(self.outcome(evaluation, result))
            return {"digest": digest, **_of_step(result), **own}

        found: dict[str, Any] = self._cached(digest, make)
        return found

    def groups(self, evaluation: Evaluation) -> Groups:
        """Groups of the finished population.

        The last step with choices (ramp, palette, choice of chains) of the topmost layer that covers everything
        below it decides; where no layer covers, that of the lowest layer that has one; where there
        is none, elements are grouped by like colours.
        """
        layer = _deciding_layer(evaluation)
        last = _last_choosing(layer) if layer else None
        colours = evaluation.colours
        key = digest_of("groups", evaluation.lanes["base_colour"].digest, [last.digest, last.place] if last else "")

        def make() -> Groups:
            if last is None:
                of, count = census.group_by_colour(colours)
            else:
                step = last.compiled.step
                of, count = step.choices_of(self.outcome(evaluation, last)), _count(step.choices())
            counts = census.group_counts(of)[:count].tolist()
            return Groups(key, of, counts, census.mean_colours(colours, of, count), last.place if last else None)

        found: Groups = self._cached(key, make, evaluation.population.count + 20_000)
        return found

    def weighed(self, evaluation: Evaluation, groups: Groups, by: str) -> list[float]:
        """The sum over each group of what its elements have in a channel, such as their size."""

        def make() -> list[float]:
            values = CHANNELS[by].held(evaluation.channel(by)).astype(np.float64)
            if by == "size":
                # What is seen of an element grows with the square of its size.
                values = (values * standing(evaluation.population)[1]) ** 2
            return np.bincount(groups.of, weights=values, minlength=len(groups.counts))[: len(groups.counts)].tolist()

        digest = evaluation.lanes[by].digest if by in evaluation.lanes else ""
        key = digest_of("weighed", groups.digest, by, digest, evaluation.chosen.digest, evaluation.population.digest)
        found: list[float] = self._cached(key, make)
        return found

    def advisories(self, evaluation: Evaluation) -> list[dict[str, Any]]:
        """All advisories as JSON."""
        steps = [[s.digest, s.place, list(s.compiled.signals)] for s in evaluation.steps]
        look = evaluation.look.document.model_dump_json()
        key = digest_of(
            "advisories", evaluation.population.digest, steps, evaluation.digest, look, read_by_all(evaluation)
        )

        def make() -> list[dict[str, Any]]:
            evaluation.task.check()
            groups, counted = self.groups(evaluation), self.steps(evaluation)
            outcomes = [(self.outcome(evaluation, r), counted[r.place]) for r in evaluation.steps]
            evidence = Evidence(evaluation, outcomes, groups.place, groups.counts)
            return [document(a) for a in advise(evidence)]

        found: list[dict[str, Any]] = self._cached(key, make)
        return found

    def material(self, evaluation: Evaluation) -> dict[str, Any]:
        """How many elements have each shape and each finish, where there are several; the nearer one of two.

        And ``coverage``: how many times over clones cover what they stand on.
        """

        def make() -> dict[str, Any]:
            found: dict[str, Any] = {"coverage": coverage(evaluation)}
            items = {"shape": len(evaluation.look.shapes), "finish": len(evaluation.look.finishes)}
            for word, count in items.items():
                values = getattr(evaluation.chosen, word)
                if values is not None:
                    found[word] = np.bincount(np.rint(values).astype(np.intp), minlength=count).tolist()
            return found

        size = evaluation.lanes["size"].digest if "size" in evaluation.lanes else ""
        sizes = [shape.size for shape in evaluation.look.shapes]
        key = digest_of("material", evaluation.chosen.digest, evaluation.population.digest, size, sizes)
        counted: dict[str, Any] = self._cached(key, make)
        finishes = [finish.name for finish in evaluation.look.finishes]
        written = [finish.name for finish in evaluation.look.document.finishes]
        if "finish" in counted and finishes != written:
            # A blend has an order of its own.
            counted = {**counted, "finish": [counted["finish"][finishes.index(name)] for name in written]}
        return counted

    def trace(self, evaluation: Evaluation, element: int) -> dict[str, Any]:
        """One element's value after every step."""
        stable = evaluation.population.elements.own.get("id")
        steps = []
        for result in evaluation.steps:
            more = result.compiled.step.trace(self.outcome(evaluation, result), element)
            steps.append({"place": result.place, **_value_at(result, element), **more})
        return {
            "element": element,
            "id": int(stable.values[element]) if stable is not None and stable.kind == "integer" else element,
            "owners": _owners_at(evaluation, element),
            "steps": steps,
            "result": to_hex(evaluation.colours[element]),
            "lanes": {word: _numbers_at(lane.values, element) for word, lane in evaluation.lanes.items()},
            "strand": _strand_at(evaluation, element),
        }


def _owners_at(evaluation: Evaluation, element: int) -> list[dict[str, Any]]:
    """Of each level above the elements: the number and name of the one that the element belongs to."""
    elements, found = evaluation.population.elements, []
    for above in elements.owners:
        index = elements.owner_of(above.level)
        if index is not None:
            row = int(index[element])
            named = above.attributes.get(f"{above.level}_name") or above.attributes.get(above.level)
            text = named.labels[named.values[row]] if named is not None and named.kind == "text" else ""
            found.append({"level": above.level, "number": row, "name": text})
    return found


#: Colours that a strand is drawn with where it is traced.
_TONES = 96


def _strand_at(evaluation: Evaluation, element: int) -> dict[str, Any] | None:
    """The strand of a point: how many points it has, which of them it is, where that lies, and all tones of the strand.

    None for what is no strand.
    """
    form = evaluation.population.form.curves
    if form is None:
        return None
    strand = int(form.curve_of[element])
    first, count = int(form.starts[strand]), int(form.sizes[strand])
    along = along_of(evaluation.population)[first : first + count]
    # Even places along it, each with the colour between its neighbours.
    at = np.linspace(0, 1, min(_TONES, 8 * count)) if count > 1 else np.zeros(1)
    colours = evaluation.colours[first : first + count]
    tones = np.stack([np.interp(at, along, colours[:, k]) for k in range(3)], -1)
    return {
        "points": count, "point": element - first, "along": float(along[element - first]), "first": first,
        "tones": hexes(display_bytes(np.ascontiguousarray(tones, np.float32))),
    }  # fmt: skip


def _numbers_at(values: np.ndarray, element: int) -> list[float]:
    return [float(v) for v in np.atleast_1d(values[element])]


def _numbers_before(result: StepResult) -> np.ndarray | None:
    """The last numbers that led to this step's colours."""
    earlier = result.before
    while earlier is not None and earlier.value.kind.word != "number":
        earlier = earlier.before
    return earlier.value.array if earlier is not None else None


def _of_value(value: Value, places: np.ndarray | None) -> dict[str, Any]:
    """The distribution of numbers, of the lengths of vectors, or of colours along the numbers that led to them."""
    word = value.kind.word
    if word == "colour":
        return {"kind": word, "colours": census.of_colours(value.array, places)}
    return {"kind": word, "numbers": census.of_numbers(value.array if word == "number" else lengths(value.array))}


def _of_signal(digest: str, value: Value) -> dict[str, Any]:
    return {"digest": digest, **_of_value(value, None)}


def _of_step(result: StepResult) -> dict[str, Any]:
    before, value = result.before, result.value
    found = _of_value(value, _numbers_before(result) if value.kind.word == "colour" else None)
    if before is not None and before.value.kind.word == value.kind.word == "number":
        found["flow"] = census.flow(before.value.array, value.array)
    if value.facts is not None:
        found["facts"] = value.facts
    return found


def _value_at(result: StepResult, element: int) -> dict[str, Any]:
    value = result.value
    row = value.array[element] if value.exact is None else value.exact[element]
    if value.kind.word == "number":
        return {"kind": "number", "number": float(row)}
    if value.kind.word == "vector":
        return {"kind": "vector", "vector": [float(v) for v in row]}
    return {"kind": "colour", "colour": to_hex(row)}


def _count(choices: Choices | int) -> int:
    return choices if isinstance(choices, int) else len(choices)


def _last_choosing(layer: LayerResult) -> StepResult | None:
    """The last step of a layer that gives each element one of several colours."""
    found = [s for s in layer.paint if s.value.kind.word == "colour" and _count(s.compiled.step.choices())]
    return found[-1] if found else None


def _deciding_layer(evaluation: Evaluation) -> LayerResult | None:
    """The topmost layer that covers all, else the lowest one whose chain gives one of several colours."""
    covers = [k for k, layer in enumerate(evaluation.layers) if covers_all(layer)]
    if covers:
        return evaluation.layers[covers[-1]]
    return next((layer for layer in evaluation.layers if _last_choosing(layer)), None)


def attribute_census(attribute: Attribute, part: int | None = None) -> dict[str, Any]:
    """The distribution of one attribute over its own range.

    Of (n, k) values: that of one component; by itself the last of three (height, for places), else the first.
    """
    values = attribute.readable
    if part is None:
        part = 2 if values.ndim > 1 and values.shape[1] == 3 else 0
    if len(values) and attribute.kind != "colour" and attribute.beyond[part]:
        exact = attribute.precise(part)
        least, greatest = exact.min(), exact.max()
        found = census.histogram((exact - least).astype(np.float32), 0.0, float(greatest - least))
        ends = {"low": least, "high": greatest, "least": least, "greatest": greatest}
        return {**found, **{key: float(end) for key, end in ends.items()}}
    numbers = np.ascontiguousarray(values if values.ndim == 1 else values[:, part], np.float32)
    whole = census.histogram(numbers, 0.0, 1.0)
    return census.histogram(numbers, whole["least"], whole["greatest"])
