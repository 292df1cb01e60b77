"""What the core notices: why a look does less than it seems to, and what to do.

An advisory has a code, a place in the look, the reason as a sentence and, where
there are any, fixes: a label and JSON Patch operations (RFC 6902) on the look.
"""

from __future__ import annotations

from typing import Any

from ..look.evaluate import Evaluation
from . import colours, drifts, layers, ramps, values
from .base import Advisory

__all__ = ["Advisory", "advise"]


def advise(
    evaluation: Evaluation, counted: dict[str, dict[str, Any]], place: str | None, counts: list[int]
) -> list[Advisory]:
    """All advisories of an evaluation.

    ``counted`` holds the census of each ramp by place; ``place`` and ``counts`` tell the ramp or
    palette that decides the shares, and them.
    """
    found: list[Advisory] = []
    for result in evaluation.steps:
        found += values.of_step(evaluation, result)
        found += colours.of_step(result)
        found += drifts.of_step(evaluation, result)
        if result.place in counted:
            found += ramps.of_ramp(result, counted[result.place])
    found += values.of_seeds(evaluation)
    found += values.of_signals(evaluation)
    for name, signal in evaluation.signals.items():
        found += layers.of_signal(name, signal)
    for stack in evaluation.stacks:
        found += layers.of_layers(stack)
    found += layers.of_result(evaluation)
    found += layers.of_groups(place, counts, evaluation)
    return found
