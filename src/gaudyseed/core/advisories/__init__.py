"""What the core notices: why a look does less than it seems to, and what to do.

An advisory has a code, a place in the look, the reason as a sentence and, where
there are any, fixes: a label and JSON Patch operations (RFC 6902) on the look.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from ..look.evaluate import Evaluation
from ..look.steps.base import Advisory, Outcome
from . import coarse, layers, material, values

__all__ = ["Advisory", "advise", "document"]


def advise(
    evaluation: Evaluation, outcomes: Sequence[tuple[Outcome, Mapping[str, Any]]], place: str | None, counts: list[int]
) -> list[Advisory]:
    """All advisories of an evaluation: those of each step, then those about more than one.

    ``outcomes`` are the steps with their censuses; ``place`` and ``counts`` tell the step that decides the shares, and
    them.
    """
    found: list[Advisory] = []
    for outcome, census in outcomes:
        found += values.of_step(outcome)
        found += [a for a in outcome.step.advisories(outcome, census) if not _again(a, found)]
        found += coarse.of_step(outcome)
    found += values.of_seeds(evaluation)
    found += values.of_still(evaluation)
    found += values.of_signals(evaluation)
    for name, signal in evaluation.signals.items():
        found += layers.of_signal(name, signal)
    for stack in evaluation.stacks:
        found += layers.of_layers(stack)
    found += layers.of_results(evaluation)
    found += material.of_material(evaluation)
    found += layers.of_groups(place, counts, evaluation)
    return found


#: Told of one place of a look alone.
_ONCE = ("neighbours_alike",)


def _again(advisory: Advisory, found: Sequence[Advisory]) -> bool:
    """Whether it was told of another place already, and once is enough."""
    return advisory.code in _ONCE and any(other.code == advisory.code for other in found)


def document(advisory: Advisory) -> dict[str, Any]:
    """An advisory as JSON."""
    return asdict(advisory)
