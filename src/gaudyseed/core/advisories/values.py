"""Advisories about what is read: missing values, seeds, signals."""

from __future__ import annotations

from collections.abc import Iterator

from ..errors import Fix
from ..formula import parse_formula
from ..look.compile import signals_read
from ..look.evaluate import Evaluation, StepResult
from ..look.scope import pointer
from ..look.steps import Step
from ..look.steps.attribute import Attribute
from ..look.steps.formula import Formula
from ..look.steps.random import Random
from .base import Advisory, put


def of_step(evaluation: Evaluation, result: StepResult) -> Iterator[Advisory]:
    """Values that are no numbers."""
    step = result.compiled.step
    for name in _attributes_of(step):
        column = evaluation.population.find(name)
        if column is not None and column.unreadable:
            sentence = f"{column.unreadable:,} elements have no number in {name!r}; they read as 0."
            yield Advisory("missing_values", result.place, sentence)


def _attributes_of(step: Step) -> tuple[str, ...]:
    """Names that a step may read attributes by."""
    if isinstance(step, Attribute):
        return (step.name,)
    return parse_formula(step.text).names if isinstance(step, Formula) else ()


def of_seeds(evaluation: Evaluation) -> Iterator[Advisory]:
    """Random steps of one seed that are not said to be linked, and linked ones that are alone."""
    randoms = [(r.place, r.compiled.step) for r in evaluation.steps if isinstance(r.compiled.step, Random)]
    first: dict[tuple[str, object], str] = {}
    for place, step in randoms:
        other = first.setdefault((step.per, step.seed), place)
        if other != place and not step.linked and isinstance(step.seed, int):
            at = pointer(place)
            yield Advisory(
                "same_seed", place,
                f"This random step has the seed {step.seed} of another one, so both give the same values.",
                (
                    Fix("Give it another seed", [put(f"{at}/seed", (step.seed + 1) % 2**32)]),
                    Fix("They are linked on purpose", [put(f"{at}/linked", True)]),
                ),
            )  # fmt: skip
    for place, step in randoms:
        others = [s for p, s in randoms if p != place and s.per == step.per]
        if step.linked and not any(s.seed == step.seed for s in others):
            fixes = [Fix("It stands alone", [put(f"{pointer(place)}/linked", False)])]
            if others:
                change = [put(f"{pointer(place)}/seed", others[0].seed)]
                fixes.insert(0, Fix(f"Take the seed {others[0].seed}", change))
            yield Advisory(
                "linked_alone", place,
                f"This random step is meant to be linked, but no other one has its seed {step.seed}.", tuple(fixes),
            )  # fmt: skip


def of_signals(evaluation: Evaluation) -> Iterator[Advisory]:
    """Signals that nothing reads."""
    read = signals_read(evaluation.look)
    for name, signal in evaluation.signals.items():
        if name not in read:
            yield Advisory(
                "unread_signal", f"{signal.place}.chain[0]", f"Nothing reads the signal {name!r}.",
                (Fix("Remove the signal", [{"op": "remove", "path": pointer(signal.place)}]),),
            )  # fmt: skip
