"""Run a compiled look over a population.

Each step's result is cached under a digest of what it depends on: its word and
parameters, what it reads from the population, and the digest of its input. An
edit of a ramp therefore recomputes the ramp and what follows it, nothing above.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ..buffers import empty
from ..cache import ResultCache
from ..colour.spaces import display_bytes
from ..digest import digest_of
from ..kernels import blending
from ..kernels.parallel import over
from ..population import Population
from .compile import CompiledLayer, CompiledLook, CompiledStep, compile_look
from .model import Look
from .steps import Context, Value

#: What lies under the lowest layer: unpainted, white.
BASE = np.float32(1.0)


def _never() -> None:
    """The check of an evaluation that nothing overtakes."""


@dataclass(frozen=True)
class StepResult:
    """What one step gave, the digest it is cached under, whether it came from the cache, and the step above it."""

    compiled: CompiledStep
    digest: str
    value: Value
    reused: bool
    before: StepResult | None = field(default=None, compare=False, repr=False)

    @property
    def place(self) -> str:
        """The step's path in the look."""
        return self.compiled.place


@dataclass(frozen=True)
class LayerResult:
    """The results of a layer's chains."""

    compiled: CompiledLayer
    paint: tuple[StepResult, ...]
    mask: tuple[StepResult, ...] | None


@dataclass
class Evaluation:
    """A look's results on a population.

    Attributes
    ----------
    colours
        (n, 3) linear float32: the finished base colour.
    digest
        Names the finished colours by content.
    computed
        Places whose results were computed now; all others came from the cache.
    """

    population: Population
    layers: tuple[LayerResult, ...]
    colours: np.ndarray
    digest: str
    computed: list[str] = field(default_factory=list)

    @property
    def steps(self) -> list[StepResult]:
        """All step results, masks after their paint."""
        return [s for layer in self.layers for s in (*layer.paint, *(layer.mask or ()))]

    @cached_property
    def reused(self) -> int:
        """How many step results came from the cache."""
        return sum(s.reused for s in self.steps)


class Evaluator:
    """Evaluates looks with a shared result cache; safe to use from several threads."""

    def __init__(self, cache: ResultCache | None = None) -> None:
        self.cache = cache or ResultCache()

    def evaluate(self, population: Population, look: Look, check: Callable[[], None] = _never) -> Evaluation:
        """All results of the look.

        ``check`` is called between steps and chunks; what it raises passes through.
        """
        return self.run(population, compile_look(look, population), check)

    def run(self, population: Population, look: CompiledLook, check: Callable[[], None] = _never) -> Evaluation:
        """The same for a look compiled before."""
        computed: list[str] = []
        layers = []
        colours: np.ndarray | None = None
        below = "base"
        for layer in look.layers:
            paint = self._chain(population, layer.paint, computed, check)
            mask = self._chain(population, layer.mask, computed, check) if layer.mask else None
            layers.append(LayerResult(layer, paint, mask))
            below, colours = self._blend(population.count, colours, below, layer, paint, mask, check)
        if colours is None:
            colours = np.full((population.count, 3), BASE, np.float32)
            below = digest_of("base", population.count)
        return Evaluation(population, tuple(layers), colours, below, computed)

    def _chain(
        self,
        population: Population,
        steps: tuple[CompiledStep, ...],
        computed: list[str],
        check: Callable[[], None],
    ) -> tuple[StepResult, ...]:
        results: list[StepResult] = []
        value: Value | None = None
        above = digest_of(population.kind, population.count)
        for compiled in steps:
            check()
            parameters = compiled.step.model_dump(mode="json")
            above = digest_of("step", parameters, compiled.step.depends_on(population), above)
            found = self.cache.get(above)
            if found is None:
                context = Context(population, compiled.place, check)
                value = compiled.step.apply(context, value)
                size = value.array.nbytes + (0 if value.stops is None else value.stops.nbytes)
                self.cache.put(above, value, size)
                computed.append(compiled.place)
            else:
                value = found
            before = results[-1] if results else None
            results.append(StepResult(compiled, above, value, found is not None, before))
        return tuple(results)

    def _blend(
        self,
        count: int,
        base: np.ndarray | None,
        below: str,
        layer: CompiledLayer,
        paint: tuple[StepResult, ...],
        mask: tuple[StepResult, ...] | None,
        check: Callable[[], None],
    ) -> tuple[str, np.ndarray]:
        amount, multiply = layer.layer.amount, layer.layer.blend == "multiply"
        if amount == 1 and not mask and not (multiply and base is not None):
            # Opaque over what lies below, or multiplied with white: the paint itself.
            return paint[-1].digest, paint[-1].value.array
        digest = digest_of("blend", layer.layer.blend, amount, below, paint[-1].digest, mask[-1].digest if mask else "")
        found = self.cache.get(digest)
        if found is not None:
            return digest, found
        under = base if base is not None else np.full((count, 3), BASE, np.float32)
        amounts = np.full(1, amount, np.float32)
        if mask:
            amounts = np.clip(mask[-1].value.array, 0, 1) * np.float32(amount)
        out = empty(under.shape)
        each, colours = len(amounts) > 1, paint[-1].value.array
        over(
            count,
            lambda a, b: blending.over(under[a:b], colours[a:b], amounts[a:b] if each else amounts, multiply, out[a:b]),
            check,
        )
        self.cache.put(digest, out, out.nbytes)
        return digest, out

    def display(self, evaluation: Evaluation, check: Callable[[], None] = _never) -> np.ndarray:
        """(n, 3) uint8 display-encoded finished colours, cached."""
        key = digest_of("display", evaluation.digest)
        found = self.cache.get(key)
        if found is None:
            found = display_bytes(evaluation.colours, check)
            self.cache.put(key, found, found.nbytes)
        return found
