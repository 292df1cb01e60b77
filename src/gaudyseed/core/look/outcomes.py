"""The results of steps as their own censuses, advisories and edits see them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..digest import digest_of
from .results import Evaluation, StepResult
from .step.reported import Outcome

#: ``kept(key, make, size)`` gives what ``make()`` gave under a key before; ``size`` in bytes.
Kept = Callable[[str, Callable[[], Any], int], Any]


def outcome_of(evaluation: Evaluation, result: StepResult, kept: Kept) -> Outcome:
    """The outcome of a step, with those of the steps above it; what is worked out from it is kept by its digest."""
    before = result.before

    def cached(word: str, make: Callable[[], Any], size: int) -> Any:
        return kept(digest_of(word, result.digest), make, size)

    return Outcome(
        result.compiled.step, result.place, result.value, before.value if before else None,
        evaluation.signal_values, evaluation.scope, outcome_of(evaluation, before, kept) if before else None, cached,
        evaluation.following.get(id(result)),
    )  # fmt: skip
