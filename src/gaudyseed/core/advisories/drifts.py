"""Advisories about drift."""

from __future__ import annotations

from collections.abc import Iterator

from ..errors import Fix
from ..look.evaluate import Evaluation, StepResult
from ..look.scope import pointer
from ..look.steps.drift import RANGES, Drift
from .base import Advisory, grey_part, put


def of_step(evaluation: Evaluation, result: StepResult) -> Iterator[Advisory]:
    """Drift that changes nothing."""
    step, before, place = result.compiled.step, result.before, result.place
    if not isinstance(step, Drift) or before is None:
        return
    at = pointer(place)
    if step.chance == 0:
        yield Advisory(
            "drift_chance_zero", place, "Drift has a chance of 0 %, so no element drifts.",
            (Fix("Let all drift", [put(f"{at}/chance", 1.0)]),),
        )  # fmt: skip
    elif all(step.still(name) for name in RANGES):
        side = "hue_below" if step.separate and step.direction == "below" else "hue"
        yield Advisory(
            "drift_ranges_zero", place, "Every range of drift is 0, so nothing changes.",
            (Fix("Give hue 12°", [put(f"{at}/{side}", 12.0)]),),
        )  # fmt: skip
    else:
        yield from _of_greys(step, place, before)


def _of_greys(step: Drift, place: str, before: StepResult) -> Iterator[Advisory]:
    moving = [name for name in ("hue", "saturation") if not step.still(name)]
    grey = grey_part(before.value.array) if moving else 0.0
    if grey < 0.02:
        return
    all_grey = grey > 0.999
    who = "Every incoming colour is a grey" if all_grey else f"{100 * grey:.0f} % of the incoming colours are greys"
    fixes: tuple[Fix, ...] = ()
    if all_grey:
        still = {f"{name}{side}": 0.0 for name in ("hue", "saturation") for side in ("", "_below")}
        if step.still("lightness"):
            still["lightness_below" if step.separate and step.direction == "below" else "lightness"] = 0.08
        fixes = (Fix("Drift lightness alone", [put(f"{pointer(place)}/{k}", v) for k, v in still.items()]),)
    sentence = f"{who}: without saturation there is no {' or '.join(moving)} to drift."
    yield Advisory("drift_without_saturation", place, sentence, fixes)
