"""What steps work with: values, plans of how they come about, and the context that a step sees."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from ...kinds import Kind
from ...population import Elements
from ...runtime.task import Task
from ...scene.follow import Follow, FollowColour

if TYPE_CHECKING:
    from ..scope import Scope
    from ..whole import Whole
    from .base import Step
from .parameters import Numbers, limits, numbers_of


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
    def whole(self) -> Whole:
        """What is asked of all elements."""
        return self.scope.surroundings.whole

    @property
    def elements(self) -> Elements:
        """The tables of what the elements carry."""
        return self.scope.elements

    def numbers(self, step: Step, name: str) -> Numbers:
        """The numbers of a parameter, the same for all elements or following a signal."""
        return self.numbers_of(getattr(step, name), limits(type(step), name))

    def numbers_of(self, parameter: float | Follow, within: tuple[float, float]) -> Numbers:
        """The numbers of a parameter by its value and limits."""
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
