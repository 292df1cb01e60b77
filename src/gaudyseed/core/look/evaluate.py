"""Run a compiled look over a population.

Each step's result is cached under a digest of what it depends on: its word and
parameters, what it reads from the population, and the digest of its input. An
edit of a ramp therefore recomputes the ramp and what follows it, nothing above.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ..buffers import empty
from ..cache import ResultCache
from ..colour.spaces import display_bytes
from ..colour.vision import simulated
from ..digest import digest_of
from ..kernels import blending
from ..kernels.parallel import over
from ..population import Population
from .compile import CompiledLayer, CompiledLook, CompiledStep, compile_look
from .follow import Follow
from .model import Dial, Look
from .scope import Scope
from .steps import Context, Value
from .steps.base import limits

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
    inner: tuple[Chain, ...] = field(default=(), compare=False, repr=False)

    @property
    def place(self) -> str:
        """The step's path in the look."""
        return self.compiled.place


#: The results of a chain's steps that are on.
Chain = tuple[StepResult, ...]


def _flat(chains: Iterable[Chain]) -> Iterator[StepResult]:
    for chain in chains:
        for result in chain:
            yield from _flat(result.inner)
            yield result


@dataclass(frozen=True)
class LayerResult:
    """The results of a layer's chains."""

    compiled: CompiledLayer
    paint: Chain
    mask: Chain | None


def covers_all(layer: LayerResult) -> bool:
    """Whether nothing below the layer is seen."""
    document = layer.compiled.layer
    return document.blend == "normal" and document.amount == 1 and not layer.mask


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
    signals: dict[str, Chain]
    scope: Scope
    computed: list[str] = field(default_factory=list)

    @cached_property
    def steps(self) -> list[StepResult]:
        """All step results: signals, then layers with masks after their paint; inner chains before their step."""
        layers = [c for layer in self.layers for c in (layer.paint, layer.mask or ())]
        return list(_flat([*self.signals.values(), *layers]))

    @property
    def signal_values(self) -> dict[str, Value]:
        """What each signal gives."""
        return {name: chain[-1].value for name, chain in self.signals.items()}

    @cached_property
    def reused(self) -> int:
        """How many step results came from the cache."""
        return sum(s.reused for s in self.steps)


class Evaluator:
    """Evaluates looks with a shared result cache; safe to use from several threads."""

    def __init__(self, cache: ResultCache | None = None) -> None:
        self.cache = cache or ResultCache()

    def evaluate(
        self, population: Population, look: Look, check: Callable[[], None] = _never, dials: Sequence[Dial] = ()
    ) -> Evaluation:
        """All results of the look.

        ``check`` is called between steps and chunks; what it raises passes through.
        """
        return self.run(compile_look(look, population, dials), check)

    def run(self, look: CompiledLook, check: Callable[[], None] = _never) -> Evaluation:
        """The same for a look compiled before."""
        population = look.scope.population
        run = _Run(self.cache, look.scope, check)
        for name, steps in look.signals.items():
            run.signals[name] = run.chain(steps)
        layers = []
        colours: np.ndarray | None = None
        below = "base"
        for layer in look.layers:
            paint = run.chain(layer.paint)
            mask = run.chain(layer.mask) if layer.mask else None
            layers.append(LayerResult(layer, paint, mask))
            below, colours = run.blend(colours, below, layers[-1])
        if colours is None:
            colours = np.full((population.count, 3), BASE, np.float32)
            below = digest_of("base", population.count)
        return Evaluation(population, tuple(layers), colours, below, run.signals, look.scope, run.computed)

    def display(self, evaluation: Evaluation, check: Callable[[], None] = _never, vision: str = "") -> np.ndarray:
        """(n, 3) uint8 display-encoded finished colours, cached; as seen with a dichromacy where one is named."""
        key = digest_of("display", evaluation.digest, vision)
        found = self.cache.get(key)
        if found is None:
            found = display_bytes(simulated(evaluation.colours, vision) if vision else evaluation.colours, check)
            self.cache.put(key, found, found.nbytes)
        return found


class _Run:
    """One evaluation under way."""

    def __init__(self, cache: ResultCache, scope: Scope, check: Callable[[], None]) -> None:
        self.cache = cache
        self.scope = scope
        self.population = scope.population
        self.check = check
        self.signals: dict[str, Chain] = {}
        self.computed: list[str] = []

    def chain(self, steps: tuple[CompiledStep, ...]) -> Chain:
        results: list[StepResult] = []
        for compiled in steps:
            self.check()
            results.append(self._step(compiled, results[-1] if results else None))
        return tuple(results)

    def _step(self, compiled: CompiledStep, before: StepResult | None) -> StepResult:
        inner = tuple(self.chain(c) for c in compiled.inner)
        above = before.digest if before else digest_of(self.population.kind, self.population.count)
        read = [self.signals[name][-1].digest for name in compiled.signals]
        held = [c[-1].digest for c in inner]
        step = compiled.step
        digest = digest_of("step", step.model_dump(mode="json"), step.depends_on(self.scope), read, held, above)
        value = self.cache.get(digest)
        reused = value is not None
        if value is None:
            values = {name: self.signals[name][-1].value for name in compiled.signals}
            ends = tuple(c[-1].value for c in inner)
            context = Context(self.population, compiled.place, self.check, self.scope, values, ends)
            value = step.apply(context, before.value if before else None)
            size = value.array.nbytes + (0 if value.stops is None else value.stops.nbytes)
            self.cache.put(digest, value, size)
            self.computed.append(compiled.place)
        return StepResult(compiled, digest, value, reused, before, inner)

    def blend(self, base: np.ndarray | None, below: str, layer: LayerResult) -> tuple[str, np.ndarray]:
        """The digest and colours after one more layer."""
        document, paint, mask = layer.compiled.layer, layer.paint[-1], layer.mask
        amount = document.amount
        if amount == 1 and not mask and document.blend == "normal":
            # Opaque over what lies below: the paint itself.
            return paint.digest, paint.value.array
        read = self.signals[amount.signal][-1].digest if isinstance(amount, Follow) and amount.signal else ""
        settings = [document.blend, document.blend_in, amount.model_dump() if isinstance(amount, Follow) else amount]
        digest = digest_of("blend", settings, read, below, paint.digest, mask[-1].digest if mask else "")
        found = self.cache.get(digest)
        if found is not None:
            return digest, found
        count = self.population.count
        under = base if base is not None else np.full((count, 3), BASE, np.float32)
        amounts = self._amounts(layer)
        out = empty(under.shape)
        each, colours = len(amounts) > 1 and count > 1, paint.value.array
        mode, display = blending.MODES[document.blend], document.blend_in == "display"

        def work(a: int, b: int) -> None:
            part = amounts[a:b] if each else amounts
            blending.blend(
                under[a:b].reshape(-1), colours[a:b].reshape(-1), part, 3, mode, display, out[a:b].reshape(-1)
            )

        over(count, work, self.check)
        self.cache.put(digest, out, out.nbytes)
        return digest, out

    def _amounts(self, layer: LayerResult) -> np.ndarray:
        """One amount for all elements, or one for each."""
        document = layer.compiled.layer
        if isinstance(document.amount, Follow):
            values = {name: chain[-1].value for name, chain in self.signals.items()}
            context = Context(self.population, layer.compiled.place, self.check, self.scope, values)
            amounts = context.numbers_of(document.amount, limits(type(document), "amount"))(0, self.population.count)
        else:
            amounts = np.full(1, document.amount, np.float32)
        if layer.mask:
            amounts = np.clip(layer.mask[-1].value.array, 0, 1) * amounts
        return amounts
