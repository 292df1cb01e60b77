"""What every step has in common."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from ...digest import digest_of
from ...documents.paths import replacing
from ...documents.union import OneOf
from ...errors import BadInput, Fix
from ...kernels.parallel import over
from ...kinds import NUMBER, Kind, Word
from ...population import Population
from ...population.attribute import WHOLE_FLOAT64
from ...reading import Reading
from ...registry import Registry
from ...runtime.buffers import empty
from ...scene.follow import Follow, FollowColour, Follower
from .reported import Advisory, Choices, Draw, Outcome
from .values import Context, Plan, Value

if TYPE_CHECKING:
    from ..scope import Scope


def drawn_places(
    parameters: Sequence[float | Follow], signals: Mapping[str, Value] | None, apart: float = 0.0
) -> np.ndarray:
    """(k,) float64: where places in 0..1 are drawn, each at least ``apart`` after the one before it.

    Places that follow a signal differ from element to element, and so do those that they
    push along: each is drawn at its mean over up to 8,192 elements.
    """
    followed = [p.signal for p in parameters if isinstance(p, Follow) and p.signal]
    count = len(signals[followed[0]].array) if signals and followed else 0
    rows = np.empty((len(parameters), len(range(0, count, max(1, count // 8192))) or 1))
    for k, place in enumerate(parameters):
        if not isinstance(place, Follow):
            rows[k] = place
        elif count and signals and place.signal:
            rows[k] = np.clip(place.scaled(signals[place.signal].array[:: max(1, count // 8192)]), 0, 1)
        else:
            rows[k] = (place.low + place.high) / 2
    steps = apart * np.arange(len(parameters))
    return (np.maximum.accumulate(rows - steps[:, None]) + steps[:, None]).mean(axis=1)


#: Every step class by the word it has in documents.
STEPS: Registry[type[Step]] = Registry("step")


class Step(Follower):
    """One operation of a chain: its parameters, its kinds and its arithmetic.

    A subclass declares ``step: Literal["word"]``, its parameters with limits, units and help, ``title``, ``group``,
    ``takes`` and ``gives``, and ``plan``; that registers it. Nothing else needs to know it: documents, checks, cache,
    census, advisories, controls, menus and docs read the class.
    """

    #: What the page calls it, as a title, within a sentence, and the part of the menu it stands in.
    title: ClassVar[str] = ""
    noun: ClassVar[str] = ""
    group: ClassVar[Literal["read", "shape", "colour", "correct", "combine"]] = "read"
    #: Kinds the step can take; none where it reads from the elements and so begins a chain.
    takes: ClassVar[tuple[Word, ...]] = ()
    gives: ClassVar[Kind] = NUMBER
    #: What the step does, in a few words, for the list it is chosen from.
    summary: ClassVar[str] = ""
    #: What one wants of it, by which the list is ordered; its group where that says enough.
    aim: ClassVar[Literal["", "chance", "place", "values", "another"]] = ""
    #: Its parameters in groups, with the title of each; those that are in none come first.
    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = ()
    #: Whether each element's result depends on that element alone, or on all.
    reach: ClassVar[Literal["element", "all"]] = "element"
    #: Whether what it gives may change much between two elements of which little else differs, as at a band's edge.
    details: ClassVar[bool] = False
    #: Whether it works out whole numbers beyond 2^24 to the last digit, or needs no more of them than float32 has.
    exact: ClassVar[bool] = False

    step: str
    enabled: bool = Field(True, title="On")

    @classmethod
    def __pydantic_init_subclass__(cls, **more: Any) -> None:
        super().__pydantic_init_subclass__(**more)
        word = get_args(cls.model_fields["step"].annotation)
        if word:
            STEPS.add(word[0], cls)

    @cached_property
    def digest(self) -> str:
        """Content digest of the word and all parameters."""
        return digest_of("step", self.model_dump(mode="json"))

    @property
    def chance_per(self) -> str | None:
        """By whose values it draws plain chance: *element*, a level or an attribute; None where it does not."""
        return None

    @property
    def reads_below(self) -> Reading | None:
        """What it reads of the population that its elements stand on; None where it reads none."""
        return None

    @classmethod
    def signal_read(cls, document: Mapping[str, Any]) -> str | None:
        """The signal whose values are all that a step of this kind gives, by its document; None for others."""
        return None

    @classmethod
    def detached(cls, document: dict[str, Any], population: str) -> dict[str, Any]:
        """The document of a step of this kind that does not read that population any more."""
        return document

    @classmethod
    def ungrounded(cls, document: dict[str, Any]) -> dict[str, Any]:
        """The document of what takes the step's place once its population stands on no other."""
        return document

    @classmethod
    def unfit(cls, population: Population) -> str:
        """Why no step of this kind can do anything for these elements, in a sentence; empty where one can."""
        return ""

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """The kind the step gives for what comes in; BadInput where it cannot read what it names."""
        return self.gives

    def before(self, following: Step | None, place: str) -> Step:
        """The step as it runs before the next one of its chain; None where it is the last."""
        return self

    def depends_on(self, scope: Scope) -> list[Any]:
        """Digests of what the step reads besides its input, parameters and signals."""
        return []

    def attributes_read(self) -> tuple[str, ...]:
        """Names that the step reads attributes by; some may turn out to be names of something else."""
        return ()

    def far_from(self, scope: Scope) -> str:
        """The name of what it reads where its numbers have digits that float32 loses, else empty."""
        return ""

    def signals_read(self) -> set[str]:
        """Names of the signals that the step reads, those of its inner chains left out."""
        return {f.signal for _, f in self.followed if isinstance(f, Follow | FollowColour) and f.signal is not None}

    def inner_chains(self) -> Sequence[tuple[str, Sequence[Step]]]:
        """The chains that the step holds, each with its path below the step."""
        return ()

    def result_kind_of(self, inner: Sequence[Kind], place: str, incoming: Kind | None) -> Kind | None:
        """The kind of a step that holds chains, from the kinds these give; None where they do not matter."""
        return None

    @property
    def alone(self) -> bool:
        """Whether what it gives depends on what comes in and its parameters alone, element by element."""
        return False

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """How the result comes about for all elements."""
        raise NotImplementedError

    def draw(self) -> Draw | None:
        """What it draws at random that other steps may draw too, or None."""
        return None

    # What is told of a result

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """Figures of the step's own beside the distribution of what leaves it, as JSON."""
        return {}

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """What is worth noticing about the result; ``census`` is that of the step."""
        return iter(())

    def choices(self) -> Choices | int:
        """How many colours it gives where each element takes one of several, or these as they are written; else 0."""
        return 0

    def choices_of(self, outcome: Outcome) -> np.ndarray:
        """(n,) uint8: which one each element takes; for steps that have several."""
        assert outcome.value.bands is not None
        return outcome.value.bands

    def band_edges(self, place: str) -> np.ndarray | None:
        """(b - 1,) float64 places in 0..1 where the bands of the values that come in meet; None where it has none.

        BadInput where they differ from element to element.
        """
        return None

    def band_colours(self, signals: Mapping[str, Value]) -> np.ndarray | None:
        """(b, 3) linear float64: the colours of the bands as they are drawn, for a step that lays values out."""
        return None

    def strip(self, count: int) -> list[str]:
        """Up to so many colours ``#rrggbb`` that stand for the step where it is kept; empty where it has none."""
        return []

    def trace(self, outcome: Outcome, element: int) -> dict[str, Any]:
        """More about one element than its value, as JSON."""
        return {} if outcome.value.bands is None else {"stop": int(outcome.value.bands[element])}

    def edited(self, action: str, outcome: Outcome, typed: Step, shares: list[float] | None) -> Step:
        """The step after an edit that needs its values. ``typed`` is the step as it is written, dials and all.

        BadInput where it has no such edit, or where it cannot be done.
        """
        raise BadInput(f"{self.title} has no edit {action!r}.", place="action", code="unknown_edit")


def carried_out(step: Step, context: Context, incoming: Value | None) -> Value:
    """The result of a step for all elements: its plan, filled in chunks on several threads."""
    plan = step.plan(context, incoming)
    count, kind = context.elements.count, context.kind
    if plan.whole is not None:
        return Value(kind, plan.whole, None, plan.facts, plan.exact)
    fill, out = plan.fill, empty(kind.shape(count))
    bands = empty(count, np.uint8) if plan.banded else None
    assert fill is not None

    def work(a: int, b: int) -> None:
        if bands is None:
            fill(a, b, out[a:b])
        else:
            fill(a, b, out[a:b], bands[a:b])

    over(count, work, context.task, plan.chunk)
    return Value(kind, out, bands, plan.facts, plan.exact)


def whole_step(word: str, **parameters: Any) -> dict[str, Any]:
    """A step's document, all parameters written out, for fixes that put one in."""
    return STEPS[word](step=word, **parameters).model_dump(mode="json")


def take_equal_bands(place: str) -> Fix:
    """The way out where the step after a spread has no bands that are the same for all elements."""
    return Fix("Take equal bands", [replacing(f"{place}.by", "equal_bands")])


def precise(value: Value, place: str) -> np.ndarray:
    """(n,) numbers with all their digits: float32 as they are, else float64; BadInput where that has too few."""
    if value.exact is None:
        return value.array
    exact = value.exact
    if exact.dtype.kind == "i" and ((exact > WHOLE_FLOAT64) | (exact < -WHOLE_FLOAT64)).any():
        raise BadInput(
            f"Some of these whole numbers lie beyond {WHOLE_FLOAT64:,}, so their last digits would be lost. "
            "Put Even out here, or read random per value.",
            place=place, code="digits_lost",
        )  # fmt: skip
    return exact.astype(np.float64)


if TYPE_CHECKING:
    AnyStep = Step
else:
    #: Any step that is registered, in documents.
    AnyStep = Annotated[Step, OneOf(STEPS, "step")]
