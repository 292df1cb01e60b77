"""Advisories about what is read: missing values, seeds, signals."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from ..documents.paths import pointer
from ..errors import Fix
from ..look.compile import signals_read
from ..look.results import Evaluation
from ..look.step.reported import Advisory, Outcome, put
from ..plurals import having, verb
from .registered import ADVISERS, Adviser, Evidence


def _of_step(outcome: Outcome, _census: Mapping[str, Any]) -> Iterator[Advisory]:
    """Elements that have no value where one is read, and painted columns that are all alike."""
    for name in outcome.step.attributes_read():
        column = outcome.scope.elements.find(name)
        if column is not None and name in outcome.scope.population.by_hand and _alike(column.values):
            sentence = f"All elements have the same in the painted column {name!r}. Paint some of them."
            yield Advisory("painted_alike", outcome.place, sentence)
        if column is not None and column.unreadable:
            lacks = column.unreadable
            sentence = (
                f"{having(lacks, 'element')} no number in {name!r}, {verb(lacks, 'which reads', 'which read')} as 0."
            )
            yield Advisory("missing_values", outcome.place, sentence)


def _alike(values: np.ndarray) -> bool:
    return len(values) > 1 and bool((values == values[0]).all())


def _still(evaluation: Evaluation) -> list[str]:
    """Markers and dials that are read and stand still."""
    return sorted(evaluation.scope.read & evaluation.scope.surroundings.still)


def _of_still(evidence: Evidence) -> Iterator[Advisory]:
    """Markers and dials whose keys lie beside the timeline, so that they do not move there."""
    for name in _still(evidence.evaluation):
        yield Advisory(
            "keys_outside", "markers",
            f"All keys of {name!r} lie before or after the timeline, so it stands still. Move its keys, or let the "
            "timeline reach them.",
        )  # fmt: skip


def _of_seeds(evidence: Evidence) -> Iterator[Advisory]:
    """Steps that share a seed without being linked; linked steps without a partner."""
    drawn = [(r.place, r.compiled.step.draw()) for r in evidence.evaluation.steps]
    draws = [(place, draw) for place, draw in drawn if draw is not None]
    first: dict[tuple[str, object], str] = {}
    for place, draw in draws:
        other = first.setdefault((draw.key, draw.seed), place)
        if other != place and not draw.linked and isinstance(draw.seed, int):
            at = pointer(place)
            yield Advisory(
                "same_seed", place,
                f"This random step has the seed {draw.seed} of another one, so both give the same values.",
                (
                    Fix("Give it another seed", [put(f"{at}/seed", (draw.seed + 1) % 2**32)]),
                    Fix("They are linked on purpose", [put(f"{at}/linked", True)]),
                ),
            )  # fmt: skip
    for place, draw in draws:
        others = [d for p, d in draws if p != place and d.key == draw.key]
        if draw.linked and not any(d.seed == draw.seed for d in others):
            fixes = [Fix("It stands alone", [put(f"{pointer(place)}/linked", False)])]
            if others:
                change = [put(f"{pointer(place)}/seed", others[0].seed)]
                fixes.insert(0, Fix(f"Take the seed {others[0].seed}", change))
            yield Advisory(
                "linked_alone", place,
                f"This random step is meant to be linked, but no other one has its seed {draw.seed}.", tuple(fixes),
            )  # fmt: skip


def _unread(evaluation: Evaluation) -> list[str]:
    """The signals that nothing reads: not the look itself, and no other population."""
    read = signals_read(evaluation.look)
    names = [name for name in evaluation.signals if name not in read]
    return sorted(set(names) - evaluation.scope.surroundings.asked()) if names else []


def _of_signals(evidence: Evidence) -> Iterator[Advisory]:
    """Signals that nothing reads."""
    idle = _unread(evidence.evaluation)
    for name, signal in evidence.evaluation.signals.items():
        if name in idle:
            yield Advisory(
                "unread_signal", f"{signal.place}.chain[0]", f"Nothing reads the signal {name!r}.",
                (Fix("Remove the signal", [{"op": "remove", "path": pointer(signal.place)}]),),
            )  # fmt: skip


def _own(outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
    """What a step says of itself."""
    yield from outcome.step.advisories(outcome, census)


ADVISERS.add("read", Adviser(10, of_step=_of_step, reads=lambda evaluation: sorted(evaluation.population.by_hand)))
ADVISERS.add("own", Adviser(20, of_step=_own))
ADVISERS.add("seeds", Adviser(40, of_all=_of_seeds))
ADVISERS.add("still", Adviser(50, of_all=_of_still, reads=_still))
ADVISERS.add("signals", Adviser(60, of_all=_of_signals, reads=_unread))
