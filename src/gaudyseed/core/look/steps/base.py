"""What every step has in common."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache, cached_property, lru_cache
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import BaseModel, Field
from pydantic.fields import FieldInfo

from ...colour.spaces import parse_hex
from ...digest import digest_of
from ...documents.paths import replacing
from ...documents.union import OneOf
from ...errors import BadInput, Fix, PatchOperation
from ...kernels.parallel import CHUNK, over
from ...kinds import NUMBER, Kind, Word
from ...palette import UNKNOWN
from ...population import Elements, Population
from ...population.attribute import WHOLE_FLOAT64
from ...registry import Registry
from ...runtime.buffers import empty
from ...runtime.task import Task
from ...scene.follow import Follow, FollowColour, FollowDial, Follower

if TYPE_CHECKING:
    from ..scope import Scope

#: How a layer meets what lies below it: W3C Compositing and Blending Level 1, and plain arithmetic.
Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "colour_dodge", "colour_burn", "hard_light",
    "soft_light", "difference", "exclusion", "hue", "saturation", "colour", "luminosity", "add", "subtract", "minimum",
    "maximum", "average",
]  # fmt: skip

#: Steps of one chain: twice what version 1 took, one of whose steps may become two.
MOST_STEPS = 128
#: Common limits of numbers.
Share = Annotated[float, Field(ge=0, le=1)]
Wide = Annotated[float, Field(ge=-1e9, le=1e9)]
SeedNumber = Annotated[int, Field(ge=0, le=2**32 - 1)] | FollowDial
Seed = Field(title="Seed", json_schema_extra={"control": "seed"})

#: Gives the numbers of a parameter for the elements start to stop, (m,) float32; its colours, (m, 3).
Numbers = Callable[[int, int], np.ndarray]


@dataclass(frozen=True)
class Value:
    """What a step gives: (n,) float32 numbers, or (n, k) float32 vectors or linear colours (k = 3).

    ``exact`` (n,) int64 or float64 are the numbers with digits that float32 loses, whole ones beyond
    2^24; ``array`` holds them rounded. By-products: ``bands`` (n,) uint8, which of several colours each
    element took; ``facts``, figures worth telling.
    """

    kind: Kind
    array: np.ndarray
    bands: np.ndarray | None = None
    facts: dict[str, float] | None = None
    exact: np.ndarray | None = None

    @property
    def nbytes(self) -> int:
        """Bytes that the arrays hold."""
        return sum(a.nbytes for a in (self.array, self.bands, self.exact) if a is not None)


@dataclass(frozen=True)
class Plan:
    """How a step's result comes about: a function that fills a slice of it, or the whole result.

    Attributes
    ----------
    fill
        ``fill(start, stop, out)`` writes the results of the elements start to stop into ``out``, which is
        that slice of the result; with ``banded`` it is ``fill(start, stop, out, bands)``. It may be called for
        the slices in any order, from several threads at once.
    whole
        The result where it is there already, (n,) or (n, k) float32; nothing is filled then.
    banded
        Whether the step also tells which of several colours each element takes, (n,) uint8.
    chunk
        Elements filled at a time.
    """

    fill: Callable[..., object] | None = None
    whole: np.ndarray | None = None
    banded: bool = False
    facts: dict[str, float] | None = None
    exact: np.ndarray | None = None
    chunk: int | None = None


@dataclass(frozen=True)
class Context:
    """What a step may look at besides its input.

    Attributes
    ----------
    place
        The step's path in the document, for sentences.
    task
        Raises when a newer request has overtaken this one.
    kind
        What the step gives, as it was found when the look was compiled.
    signals
        The results of all signals by name.
    inner
        The results of the chains that the step holds, in their order.
    """

    scope: Scope
    place: str
    task: Task
    kind: Kind
    signals: Mapping[str, Value] = field(default_factory=dict)
    inner: tuple[Value, ...] = ()

    @property
    def elements(self) -> Elements:
        """What the elements carry."""
        return self.scope.elements

    def numbers(self, step: Step, name: str) -> Numbers:
        """The numbers of a parameter, the same for all elements or following a signal."""
        return self.numbers_of(getattr(step, name), limits(type(step), name))

    def numbers_of(self, parameter: float | Follow, within: tuple[float, float]) -> Numbers:
        """The same for a parameter's value and limits."""
        return numbers_of(parameter, within, self.signals)

    def wide_numbers(self, step: Step, name: str) -> Numbers:
        """The numbers of a parameter in float64, with all their digits where it is fixed."""
        parameter = getattr(step, name)
        if isinstance(parameter, Follow):
            followed = self.numbers(step, name)
            return lambda a, b: followed(a, b).astype(np.float64)
        return lambda a, b: np.full(b - a, parameter, np.float64)

    def colours_of(self, parameter: FollowColour) -> Numbers:
        """The linear colours, (m, 3), of a parameter that follows a signal."""
        assert parameter.signal is not None
        colours = self.signals[parameter.signal].array
        return lambda a, b: colours[a:b]


def numbers_of(parameter: float | Follow, within: tuple[float, float], signals: Mapping[str, Value]) -> Numbers:
    """The numbers of a parameter, the same for all elements or following a signal; held within its limits."""
    if isinstance(parameter, Follow):
        assert parameter.signal is not None  # dials are resolved when a look is compiled
        values = signals[parameter.signal].array

        def scaled(a: int, b: int) -> np.ndarray:
            with np.errstate(over="ignore"):  # what overflows lies beyond the limits, and so becomes one of them
                return np.clip(parameter.scaled(values[a:b]), *within).astype(np.float32)

        return scaled
    same = _constant(parameter)
    return lambda a, b: same[: b - a] if b - a <= CHUNK else np.full(b - a, parameter, np.float32)


def mean_of(parameter: float | Follow, within: tuple[float, float], signals: Mapping[str, Value] | None) -> float:
    """The one number that stands for a parameter where only one can be drawn: that of all elements, or their mean.

    Without signals, the middle of the ends of a parameter that follows one.
    """
    if not isinstance(parameter, Follow):
        return parameter
    values = signals[parameter.signal].array if signals and parameter.signal else np.full(1, 0.5, np.float32)
    if len(values) == 0:
        values = np.full(1, 0.5, np.float32)
    return float(np.clip(parameter.scaled(values), *within).mean(dtype=np.float64))


def mean_colour(parameter: str | FollowColour, signals: Mapping[str, Value] | None) -> np.ndarray:
    """(3,) linear float64: the one colour that stands for a parameter; without signals a grey where it follows one."""
    if isinstance(parameter, str):
        return parse_hex(parameter)
    colours = signals[parameter.signal].array if signals and parameter.signal else np.empty((0, 3))
    return colours.mean(axis=0, dtype=np.float64) if len(colours) else parse_hex(UNKNOWN)


@lru_cache(maxsize=128)
def _constant(number: float) -> np.ndarray:
    """One chunk of the same number, kept: a step has up to a score of them."""
    same = np.full(CHUNK, number, np.float32)
    same.flags.writeable = False
    return same


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


@cache
def limits(model: type[BaseModel], name: str) -> tuple[float, float]:
    """The least and greatest value of a number parameter."""
    low, high = -np.inf, np.inf
    for part in (model.model_fields[name].annotation, *get_args(model.model_fields[name].annotation)):
        for info in get_args(part):
            for rule in info.metadata if isinstance(info, FieldInfo) else ():
                low, high = getattr(rule, "ge", low), getattr(rule, "le", high)
    return float(low), float(high)


@dataclass(frozen=True)
class Outcome:
    """A step's result with what led to it, for the census, the advisories and the bands of the step.

    Attributes
    ----------
    incoming
        What came into the step; None where it began a chain.
    before
        The outcome of the step above it in its chain.
    following
        The step below it in its chain.
    cached
        ``cached(word, make, size)`` gives what ``make()`` gave for this very result before; ``size`` in bytes.
    """

    step: Step
    place: str
    value: Value
    incoming: Value | None
    signals: Mapping[str, Value]
    scope: Scope
    before: Outcome | None
    cached: Callable[[str, Callable[[], Any], int], Any]
    following: Step | None = None

    def above(self) -> Iterator[Outcome]:
        """The outcomes of the steps above this one, the nearest first."""
        earlier = self.before
        while earlier is not None:
            yield earlier
            earlier = earlier.before


@dataclass(frozen=True)
class Advisory:
    """One thing noticed: a code, a place in the look, the reason as a sentence, and what one click can do."""

    code: str
    place: str
    sentence: str
    fixes: tuple[Fix, ...] = ()


@dataclass(frozen=True)
class Draw:
    """What a step draws at random: steps of one ``key`` and one seed get the same; ``linked`` says on purpose."""

    key: str
    seed: int | FollowDial
    linked: bool


@dataclass(frozen=True)
class Choices:
    """The several colours that a step gives, as they are written.

    ``path`` is the field of the step that holds them, ``colours`` what is written there: ``#rrggbb``, or what follows.
    ``apart`` says whether each is seen by itself, and not on the way to the next.
    """

    path: str
    colours: tuple[str | FollowColour, ...]
    apart: bool = True

    def __len__(self) -> int:
        return len(self.colours)


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


def put(pointer: str, value: Any) -> PatchOperation:
    """A JSON Patch operation that adds or replaces."""
    return {"op": "add", "path": pointer, "value": value}


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
