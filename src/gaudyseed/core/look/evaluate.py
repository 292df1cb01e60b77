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

from ..cache import ResultCache
from ..colour.spaces import display_bytes
from ..colour.vision import simulated
from ..digest import digest_of
from ..population import Population
from ..stacking import blended
from .compile import CompiledLayer, CompiledLook, CompiledSignal, CompiledStep, compile_look
from .follow import Follow
from .model import Dial, Look
from .scope import Scope
from .steps import Context, Kind, Value
from .steps.base import Numbers, limits, same_shapes

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


def _chains_of(layers: Iterable[LayerResult]) -> list[Chain]:
    return [c for layer in layers for c in (layer.paint, layer.mask or ())]


@dataclass(frozen=True)
class SignalResult:
    """The results of a signal's chain and layers; what it gives, and the digest that names it by content."""

    place: str
    chain: Chain
    layers: tuple[LayerResult, ...]
    digest: str
    value: Value

    @property
    def counted_at(self) -> str:
        """The place whose census is that of the signal: its own where it has layers, else that of its last step."""
        return self.place if self.layers else self.chain[-1].place


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

    look: CompiledLook
    layers: tuple[LayerResult, ...]
    colours: np.ndarray
    digest: str
    signals: dict[str, SignalResult]
    computed: list[str] = field(default_factory=list)

    @property
    def scope(self) -> Scope:
        """What the look's chains can name."""
        return self.look.scope

    @property
    def population(self) -> Population:
        """The elements."""
        return self.look.scope.population

    @property
    def stacks(self) -> list[tuple[LayerResult, ...]]:
        """The layers of every signal, and those of the base colour last."""
        return [*(signal.layers for signal in self.signals.values()), self.layers]

    @cached_property
    def steps(self) -> list[StepResult]:
        """All step results: signals, then layers with masks after their paint; inner chains before their step."""
        chains = [c for signal in self.signals.values() for c in (signal.chain, *_chains_of(signal.layers))]
        return list(_flat([*chains, *_chains_of(self.layers)]))

    @property
    def signal_values(self) -> dict[str, Value]:
        """What each signal gives."""
        return {name: signal.value for name, signal in self.signals.items()}

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
        run = _Run(self.cache, look.scope, check)
        for name, signal in look.signals.items():
            run.signals[name] = run.signal(signal)
        count = look.scope.population.count
        layers, digest, colours = run.stack(look.layers, None, digest_of("base", count), "colour")
        if colours is None:
            colours = np.full((count, 3), BASE, np.float32)
        return Evaluation(look, layers, colours, digest, run.signals, run.computed)

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
        self.signals: dict[str, SignalResult] = {}
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
        read = [self.signals[name].digest for name in compiled.signals]
        held = [c[-1].digest for c in inner]
        step = compiled.step
        digest = digest_of("step", step.model_dump(mode="json"), step.depends_on(self.scope), read, held, above)
        value = self.cache.get(digest)
        reused = value is not None
        if value is None:
            values = {name: self.signals[name].value for name in compiled.signals}
            ends = tuple(c[-1].value for c in inner)
            context = Context(self.population, compiled.place, self.check, self.scope, values, ends)
            value = step.apply(context, before.value if before else None)
            self.cache.put(digest, value, value.nbytes)
            self.computed.append(compiled.place)
        return StepResult(compiled, digest, value, reused, before, inner)

    def signal(self, signal: CompiledSignal) -> SignalResult:
        chain = self.chain(signal.chain)
        below = chain[-1].value
        layers, digest, array = self.stack(signal.layers, below.array, chain[-1].digest, signal.kind)
        value = below if array is None or not layers else Value(signal.kind, array)
        return SignalResult(signal.place, chain, layers, digest, value)

    def stack(
        self, layers: Sequence[CompiledLayer], base: np.ndarray | None, digest: str, kind: Kind
    ) -> tuple[tuple[LayerResult, ...], str, np.ndarray | None]:
        """The results of layers over a base (None: white), and the digest and array after the last one."""
        found = []
        for layer in layers:
            paint = self.chain(layer.paint)
            found.append(LayerResult(layer, paint, self.chain(layer.mask) if layer.mask else None))
            digest, base = self.blend(base, digest, found[-1], kind)
        return tuple(found), digest, base

    def blend(self, base: np.ndarray | None, below: str, layer: LayerResult, kind: Kind) -> tuple[str, np.ndarray]:
        """The digest and values after one more layer."""
        document, paint, mask = layer.compiled.layer, layer.paint[-1], layer.mask
        amount = document.amount
        if covers_all(layer):
            return paint.digest, paint.value.array
        read = self.signals[amount.signal].digest if isinstance(amount, Follow) and amount.signal else ""
        settings = [document.blend, document.blend_in, amount.model_dump() if isinstance(amount, Follow) else amount]
        digest = digest_of("blend", settings, read, below, paint.digest, mask[-1].digest if mask else "")
        found = self.cache.get(digest)
        if found is not None:
            return digest, found
        under = base if base is not None else np.full((self.population.count, 3), BASE, np.float32)
        same_shapes((Value(kind, under), paint.value), layer.compiled.place)
        display = document.blend_in == "display"
        out = blended(under, paint.value.array, kind, self._amounts(layer), document.blend, display, self.check)
        self.cache.put(digest, out, out.nbytes)
        return digest, out

    def _amounts(self, layer: LayerResult) -> Numbers:
        """How much of the layer each element gets: its amount, times its mask held within 0..1."""
        document = layer.compiled.layer
        values = {name: signal.value for name, signal in self.signals.items()}
        context = Context(self.population, layer.compiled.place, self.check, self.scope, values)
        amounts = context.numbers_of(document.amount, limits(type(document), "amount"))
        if not layer.mask:
            return amounts
        mask = layer.mask[-1].value.array
        return lambda a, b: np.clip(mask[a:b], 0, 1) * amounts(a, b)
