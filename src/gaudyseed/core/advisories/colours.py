"""Advisories about reading colours."""

from __future__ import annotations

from collections.abc import Iterator

from ..colour.spaces import saturation
from ..errors import Fix
from ..look.evaluate import StepResult
from ..look.scope import pointer
from ..look.steps.component import Component
from ..look.steps.grade import Grade
from .base import Advisory, grey_part, put


def of_step(result: StepResult) -> Iterator[Advisory]:
    """Hue read from greys, or turned on them."""
    step, before = result.compiled.step, result.before
    if isinstance(step, Grade) and step.hue_turn != 0 and before is not None and grey_part(before.value.array) > 0.999:
        yield Advisory(
            "hue_turn_of_greys", result.place, "Every incoming colour is a grey, so turning the hue changes nothing.",
            (Fix("Leave the hue", [put(f"{pointer(result.place)}/hue_turn", 0.0)]),),
        )  # fmt: skip
    if not isinstance(step, Component) or step.part not in ("hue", "oklch_hue") or before is None:
        return
    grey = int((saturation(before.value.array) < 1e-3).sum()) if len(before.value.array) else 0
    if grey:
        sentence = f"{grey:,} elements are grey and have no hue; it reads as 0 for them."
        fix = Fix("Read luma instead", [put(f"{pointer(result.place)}/part", "luma")])
        yield Advisory("hue_of_greys", result.place, sentence, (fix,))
