"""Advisories about ramps and the values that reach them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from ..errors import Fix
from ..look.evaluate import StepResult
from ..look.scope import pointer
from ..look.steps.even_out import EvenOut
from ..look.steps.range import Range
from .base import Advisory, put

#: Steps that fixes put in, whole, as documents have them.
FIT = Range(step="range", own=True).model_dump(mode="json")
EVEN = EvenOut(step="even_out").model_dump(mode="json")

LEAST_REACHED = 0.60
MOST_CLIPPED = 0.05


def of_ramp(result: StepResult, ramp: dict[str, Any]) -> Iterator[Advisory]:
    """Values that do not use the ramp well; ``ramp`` is its census."""
    incoming, place = ramp["incoming"], result.place
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
        yield Advisory(
            "ramp_clipped", place, f"{share} of the values lie outside 0 to 1, so they pile up at the ramp's ends.",
            (
                Fix("Fit the range", [put(before, FIT)]),
                Fix("Even out the values", [put(before, EVEN)]),
            ),
        )  # fmt: skip
    elif ramp["reached"] < LEAST_REACHED:
        reached = f"{100 * ramp['reached']:.0f} %"
        yield Advisory(
            "ramp_underused", place,
            f"The values reach only {reached} of the ramp, so some of its colours never appear.",
            (
                Fix("Even out the values", [put(before, EVEN)]),
                Fix("Fit the range", [put(before, FIT)]),
            ),
        )  # fmt: skip
