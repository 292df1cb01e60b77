"""What the core notices: why a look does less than it seems to, and what to do.

An advisory has a code, a place in the look, the reason as a sentence and, where
there is one, a fix: a label and JSON Patch operations (RFC 6902) on the look.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np

from .colour.spaces import saturation
from .look.evaluate import Evaluation, StepResult
from .look.steps.attribute import Attribute
from .look.steps.component import Component
from .look.steps.drift import Drift
from .look.steps.ramp import Ramp
from .look.steps.random import Random

LEAST_REACHED = 0.60
MOST_CLIPPED = 0.05
_SAMPLE = 2_000


@dataclass(frozen=True)
class Fix:
    """What one click does: JSON Patch operations on the look."""

    label: str
    operations: list[dict[str, Any]]


@dataclass(frozen=True)
class Advisory:
    """One thing noticed."""

    code: str
    place: str
    sentence: str
    fix: Fix | None = field(default=None)

    def document(self) -> dict[str, Any]:
        """As JSON."""
        return asdict(self)


def pointer(place: str) -> str:
    """The JSON Pointer (RFC 6901) of a place such as ``lanes.base_colour.layers[0].paint[1]``."""
    return "/" + place.replace("[", ".").replace("]", "").replace(".", "/")


def advise(evaluation: Evaluation, ramps: dict[str, dict[str, Any]]) -> list[Advisory]:
    """All advisories of an evaluation; ``ramps`` holds the census of each ramp by place."""
    found = [a for result in evaluation.steps for a in _of_step(evaluation, result, ramps)]
    return found + list(_of_seeds(evaluation))


def _of_seeds(evaluation: Evaluation) -> Iterator[Advisory]:
    """Two random steps with one seed and key give the same values: told, since that may be wanted."""
    first: dict[tuple[str, int], str] = {}
    for result in evaluation.steps:
        step = result.compiled.step
        if not isinstance(step, Random):
            continue
        other = first.setdefault((step.per, step.seed), result.place)
        if other != result.place:
            change = [{"op": "add", "path": f"{pointer(result.place)}/seed", "value": (step.seed + 1) % 2**32}]
            sentence = f"This random step has the seed {step.seed} of another one, so both give the same values."
            yield Advisory("same_seed", result.place, sentence, Fix("Give it another seed", change))


def _of_step(evaluation: Evaluation, result: StepResult, ramps: dict[str, dict[str, Any]]) -> Iterator[Advisory]:
    before = result.before
    step = result.compiled.step
    if isinstance(step, Drift) and before is not None:
        yield from _of_drift(step, result.place, before)
    if isinstance(step, Ramp) and result.place in ramps:
        yield from _of_ramp(result.place, ramps[result.place])
    if isinstance(step, Component) and before is not None:
        yield from _of_component(step, result.place, before)
    if isinstance(step, Attribute):
        bad = evaluation.population.attributes[step.name].unreadable
        if bad:
            yield Advisory(
                "missing_values",
                result.place,
                f"{bad:,} elements have no number in {step.name!r}; they read as 0.",
            )


def _of_drift(step: Drift, place: str, before: StepResult) -> Iterator[Advisory]:
    at = pointer(place)
    if step.chance == 0:
        yield Advisory(
            "drift_chance_zero", place, "Drift has a chance of 0 %, so no element drifts.",
            Fix("Let all drift", [{"op": "add", "path": f"{at}/chance", "value": 1.0}]),
        )  # fmt: skip
        return
    if step.hue == step.saturation == step.lightness == 0:
        yield Advisory(
            "drift_ranges_zero", place, "Every range of drift is 0, so nothing changes.",
            Fix("Give hue 12°", [{"op": "add", "path": f"{at}/hue", "value": 12.0}]),
        )  # fmt: skip
        return
    if step.hue == 0 and step.saturation == 0:
        return
    colours = before.value.array
    grey = float((saturation(colours[:: max(1, len(colours) // _SAMPLE)]) < 0.01).mean()) if len(colours) else 0.0
    if grey >= 0.02:
        ranges = " or ".join(w for w, r in (("hue", step.hue), ("saturation", step.saturation)) if r)
        all_grey = grey > 0.999
        who = "Every incoming colour is a grey" if all_grey else f"{100 * grey:.0f} % of the incoming colours are greys"
        sentence = f"{who}: without saturation there is no {ranges} to drift."
        values = {"hue": 0.0, "saturation": 0.0, "lightness": max(step.lightness, 0.08)}
        operations = [{"op": "add", "path": f"{at}/{k}", "value": v} for k, v in values.items()]
        fix = Fix("Drift lightness alone", operations) if all_grey else None
        yield Advisory("drift_without_saturation", place, sentence, fix)


def _of_component(step: Component, place: str, before: StepResult) -> Iterator[Advisory]:
    if step.part not in ("hue", "oklch_hue") or not len(before.value.array):
        return
    grey = int((saturation(before.value.array) < 1e-3).sum())
    if grey:
        yield Advisory(
            "hue_of_greys", place, f"{grey:,} elements are grey and have no hue; it reads as 0 for them.",
            Fix("Read luma instead", [{"op": "add", "path": f"{pointer(place)}/part", "value": "luma"}]),
        )  # fmt: skip


def _of_ramp(place: str, ramp: dict[str, Any]) -> Iterator[Advisory]:
    incoming = ramp["incoming"]
    counts = np.array(incoming["bins"])
    outside = incoming["below"] + incoming["above"]
    total = int(counts.sum()) + outside
    if total < 2:
        return
    before = pointer(place)
    if incoming["least"] == incoming["greatest"]:
        value = f"{incoming['least']:.4g}"
        yield Advisory("all_equal", place, f"All values that reach the ramp are {value}, so it gives one colour.")
    elif max(incoming["below"], incoming["above"]) > MOST_CLIPPED * total:
        share = f"{100 * outside / total:.0f} %"
        fit = {"step": "range", "own": True}
        yield Advisory(
            "ramp_clipped", place, f"{share} of the values lie outside 0 to 1, so they pile up at the ramp's ends.",
            Fix("Fit the range", [{"op": "add", "path": before, "value": fit}]),
        )  # fmt: skip
    elif ramp["reached"] < LEAST_REACHED:
        reached = f"{100 * ramp['reached']:.0f} %"
        yield Advisory(
            "ramp_underused", place,
            f"The values reach only {reached} of the ramp, so some of its colours never appear.",
            Fix("Even out the values", [{"op": "add", "path": before, "value": {"step": "even_out"}}]),
        )  # fmt: skip
