"""Advisories about drift."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..colour.spaces import linear_to_oklab
from ..errors import Fix
from ..look.evaluate import Evaluation, StepResult
from ..look.scope import pointer
from ..look.steps.drift import COMPONENTS, Drift
from ..look.steps.ramp import Ramp
from .base import Advisory, grey_part, put, sample

#: Bands overlap too much where more elements than this lie nearer to another stop.
MOST_OVERLAP = 0.5
#: Elements that such a part is judged by.
ENOUGH = 500


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
    elif all(step.still(name) for name in COMPONENTS):
        yield Advisory(
            "drift_ranges_zero", place, "Every interval of drift is 0 to 0, so nothing changes.",
            (Fix("Give hue 12° both ways", [put(f"{at}/hue", [-12.0, 12.0])]),),
        )  # fmt: skip
    else:
        yield from _of_greys(step, place, before)
        yield from _of_width(evaluation, step, result)


def _of_width(evaluation: Evaluation, step: Drift, result: StepResult) -> Iterator[Advisory]:
    """Drift so wide that most elements look like another band of the ramp before it."""
    earlier = result.before
    while earlier is not None and not isinstance(earlier.compiled.step, Ramp):
        earlier = earlier.before
    if earlier is None or earlier.before is None or not len(result.value.array):
        return
    ramp = earlier.compiled.step
    assert isinstance(ramp, Ramp)
    if len(ramp.stops) < 2:
        return
    compiled = ramp.compiled(evaluation.signal_values)
    labs = linear_to_oklab(compiled.colours)
    bands = earlier.value.stops
    if bands is not None:
        chosen = sample(bands, ENOUGH)
    else:
        chosen = compiled.groups_of(np.ascontiguousarray(sample(earlier.before.value.array, ENOUGH)))
    drifted = linear_to_oklab(sample(result.value.array, ENOUGH))
    nearest = np.linalg.norm(drifted[:, None] - labs[None], axis=2).argmin(axis=1)
    # Only where drift did it: colours that lay nearest to another stop before it do not count.
    plain = linear_to_oklab(sample(earlier.value.array, ENOUGH))
    true = np.linalg.norm(plain[:, None] - labs[None], axis=2).argmin(axis=1) == chosen
    part = float((nearest != chosen)[true].mean()) if true.any() else 0.0
    if part > MOST_OVERLAP:
        at = pointer(result.place)
        halved = [
            {"op": "replace", "path": f"{at}/{name}/{k}", "value": end / 2}
            for name in COMPONENTS
            for k, end in enumerate(getattr(step, name))
            if isinstance(end, float) and end != 0
        ]
        yield Advisory(
            "drift_too_wide", result.place,
            f"Drift is so wide that {100 * part:.0f} % of the elements look like another colour of the ramp.",
            (Fix("Halve the intervals", halved),) if halved else (),
        )  # fmt: skip


def _of_greys(step: Drift, place: str, before: StepResult) -> Iterator[Advisory]:
    moving = [name for name in ("hue", "saturation") if not step.still(name)]
    grey = grey_part(before.value.array) if moving else 0.0
    if grey < 0.02:
        return
    all_grey = grey > 0.999
    who = "Every incoming colour is a grey" if all_grey else f"{100 * grey:.0f} % of the incoming colours are greys"
    fixes: tuple[Fix, ...] = ()
    if all_grey:
        still = {name: [0.0, 0.0] for name in ("hue", "saturation")}
        if step.still("lightness"):
            still["lightness"] = [-0.08, 0.08]
        fixes = (Fix("Drift lightness alone", [put(f"{pointer(place)}/{k}", v) for k, v in still.items()]),)
    sentence = f"{who}: without saturation there is no {' or '.join(moving)} to drift."
    yield Advisory("drift_without_saturation", place, sentence, fixes)
