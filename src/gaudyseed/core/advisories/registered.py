"""Advisers: what looks over an evaluation and says what it notices; each registers itself, in the file where it is."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..look.results import Evaluation
from ..look.step.reported import Advisory, Outcome
from ..registry import Registry


@dataclass(frozen=True)
class Evidence:
    """What there is to judge by.

    Attributes
    ----------
    outcomes
        The steps in the order in which they ran, each with its census.
    place, counts
        The step that decides the shares, None where none does, and how many elements each has.
    """

    evaluation: Evaluation
    outcomes: Sequence[tuple[Outcome, Mapping[str, Any]]]
    place: str | None
    counts: list[int]


@dataclass(frozen=True)
class Adviser:
    """One that advises about the whole, or about single steps.

    Attributes
    ----------
    rank
        What has less is told first; that about single steps is told before the rest.
    of_all
        What it notices of the whole.
    of_step
        What it notices of one step, by its outcome and census.
    reads
        What it looks at beside the population, the results and the look, as JSON: where that is another, it is asked
        again.
    """

    rank: int
    of_all: Callable[[Evidence], Iterator[Advisory]] | None = None
    of_step: Callable[[Outcome, Mapping[str, Any]], Iterator[Advisory]] | None = None
    reads: Callable[[Evaluation], Any] | None = None


#: Every adviser by its word.
ADVISERS: Registry[Adviser] = Registry("adviser")

#: Told of one place of a look alone.
_ONCE = ("neighbours_alike",)


def advise(evidence: Evidence) -> list[Advisory]:
    """All advisories of an evaluation: those about each step, then those about more than one."""
    found: list[Advisory] = []
    ranked = sorted(ADVISERS.values(), key=lambda adviser: adviser.rank)
    for outcome, census in evidence.outcomes:
        for adviser in ranked:
            if adviser.of_step:
                found += [a for a in adviser.of_step(outcome, census) if not _again(a, found)]
    for adviser in ranked:
        if adviser.of_all:
            found += adviser.of_all(evidence)
    return found


def read_by_all(evaluation: Evaluation) -> dict[str, Any]:
    """What the advisers look at beside the population, the results and the look, by their words."""
    return {word: adviser.reads(evaluation) for word, adviser in ADVISERS.items() if adviser.reads}


def _again(advisory: Advisory, found: Sequence[Advisory]) -> bool:
    """Whether it was told of another place already, and once is enough."""
    return advisory.code in _ONCE and any(other.code == advisory.code for other in found)
