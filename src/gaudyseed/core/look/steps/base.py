"""What every step has in common."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache, lru_cache
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from pydantic.fields import FieldInfo

from ...colour.spaces import parse_hex
from ...errors import BadInput
from ...kernels.parallel import CHUNK
from ...palette import UNKNOWN
from ...population import Population
from ...population.table import WHOLE_FLOAT64
from ..follow import Follow, FollowColour, FollowDial, followings

if TYPE_CHECKING:
    from ..scope import Scope

Kind = Literal["number", "vector", "colour"]

#: Words for kinds in sentences.
KIND_WORDS = {"number": "a number", "vector": "a vector", "colour": "a colour"}

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
    2^24; ``array`` holds them rounded. By-products: ``stops`` (n,) uint8, the band of each element
    under a stepped ramp; ``facts``, figures worth telling.
    """

    kind: Kind
    array: np.ndarray
    stops: np.ndarray | None = None
    facts: dict[str, float] | None = None
    exact: np.ndarray | None = None

    @property
    def nbytes(self) -> int:
        """Bytes that the arrays hold."""
        return sum(a.nbytes for a in (self.array, self.stops, self.exact) if a is not None)


@dataclass(frozen=True)
class Context:
    """What a step may look at besides its input.

    Attributes
    ----------
    place
        The step's path in the document, for sentences.
    check
        Raises when a newer request has overtaken this one.
    signals
        The results of all signals by name.
    inner
        The results of the chains that the step holds, in their order.
    """

    population: Population
    place: str
    check: Callable[[], None]
    scope: Scope
    signals: Mapping[str, Value] = field(default_factory=dict)
    inner: tuple[Value, ...] = ()

    def numbers(self, step: Step, name: str) -> Numbers:
        """The numbers of a parameter, the same for all elements or following a signal."""
        return self.numbers_of(getattr(step, name), limits(type(step), name))

    def numbers_of(self, parameter: float | Follow, within: tuple[float, float]) -> Numbers:
        """The same for a parameter's value and limits."""
        if isinstance(parameter, Follow):
            assert parameter.signal is not None  # dials are resolved when a look is compiled
            values = self.signals[parameter.signal].array

            def scaled(a: int, b: int) -> np.ndarray:
                with np.errstate(over="ignore"):  # what overflows lies beyond the limits, and so becomes one of them
                    return np.clip(parameter.scaled(values[a:b]), *within).astype(np.float32)

            return scaled
        same = _constant(parameter)
        return lambda a, b: same[: b - a] if b - a <= CHUNK else np.full(b - a, parameter, np.float32)

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


class Step(BaseModel):
    """One operation of a chain: its parameters, its kinds and its arithmetic.

    A subclass declares ``step: Literal["name"]``, its parameters with limits,
    units and help, ``takes`` and ``gives``, and ``apply``. Nothing else needs to
    know it: documents, checks, cache, controls and docs read the class.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    #: Kinds the step can take; none where it reads from the elements and so begins a chain.
    takes: ClassVar[tuple[Kind, ...]] = ()
    gives: ClassVar[Kind] = "number"
    #: What the step does, in a few words, for the list it is chosen from.
    summary: ClassVar[str] = ""
    #: Whether each element's result depends on that element alone.
    elementwise: ClassVar[bool] = True
    #: Whether it works out whole numbers beyond 2^24 to the last digit, or needs no more of them than float32 has.
    exact: ClassVar[bool] = False

    step: str
    enabled: bool = Field(True, title="On")

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """The kind the step gives for what comes in; BadInput where it cannot read what it names."""
        return self.gives

    def before(self, following: Step | None, place: str) -> Step:
        """The step as it runs before the next one of its chain; None where it is the last."""
        return self

    def depends_on(self, scope: Scope) -> list[Any]:
        """Digests of what the step reads besides its input, parameters and signals."""
        return []

    def far_from(self, scope: Scope) -> str:
        """The name of what it reads where its numbers have digits that float32 loses, else empty."""
        return ""

    def signals_read(self) -> set[str]:
        """Names of the signals that the step reads, those of its inner chains left out."""
        return {f.signal for _, f in followings(self) if not isinstance(f, FollowDial) and f.signal is not None}

    def inner_chains(self) -> Sequence[tuple[str, Sequence[Step]]]:
        """The chains that the step holds, each with its path below the step."""
        return ()

    def result_kind_of(self, inner: Sequence[Kind], place: str, incoming: Kind | None) -> Kind | None:
        """The kind of a step that holds chains, from the kinds these give; None where they do not matter."""
        return None

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """Compute the result for all elements."""
        raise NotImplementedError


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


def same_shapes(values: Sequence[Value], place: str) -> None:
    """BadInput where vectors that are to be joined differ in length."""
    if len({v.array.shape[1:] for v in values}) > 1:
        raise BadInput("The chains give vectors of different lengths.", place=place, code="wrong_kind")


def same_width(width: int, wanted: int, place: str, what: str) -> None:
    """BadInput where a vector has fewer parts than are read."""
    if width <= wanted:
        raise BadInput(f"The vector that comes has {width} components, so no {what!r}.", place=place, code="wrong_kind")


__all__ = [
    "KIND_WORDS", "Context", "Follow", "FollowColour", "FollowDial", "Kind", "Numbers", "Seed", "SeedNumber", "Share",
    "Step", "Value", "Wide", "drawn_places", "limits", "mean_colour", "mean_of", "precise", "same_shapes", "same_width",
]  # fmt: skip
