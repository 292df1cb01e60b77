"""What an evaluation gives: the results of steps, signals, lanes and of the whole look."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ..channels import BASE_COLOUR, CHANNELS, Channel
from ..digest import digest_of
from ..population import Population
from ..runtime.task import UNWATCHED, Task
from .choosing import between
from .compile import CompiledLayer, CompiledLook, CompiledStep
from .material import Finish
from .scope import Scope
from .steps import Step, Value


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


@dataclass(frozen=True)
class LaneResult:
    """What one channel gets: (n,) or (n, k) float32, and the digest that names it by content.

    Without layers all elements have the channel's default.
    """

    channel: Channel
    layers: tuple[LayerResult, ...]
    digest: str
    values: np.ndarray


@dataclass(frozen=True)
class Chosen:
    """Which shape and finish each element has.

    Attributes
    ----------
    shape
        (n,) float32 whole numbers; None where all are the first.
    finish
        (n,) float32, between two where finishes blend; None where all have the first.
    shape_from, finish_from
        (n,) float32: the numbers by which they were chosen.
    """

    shape: np.ndarray | None = None
    finish: np.ndarray | None = None
    shape_from: np.ndarray | None = None
    finish_from: np.ndarray | None = None
    digest: str = ""


def covers(layer: CompiledLayer) -> bool:
    return layer.layer.blend == "normal" and layer.layer.amount == 1 and not layer.mask


def covers_all(layer: LayerResult) -> bool:
    """Whether nothing below the layer is seen."""
    return covers(layer.compiled)


def of_finishes(
    channel: Channel, finishes: Sequence[Finish], at: np.ndarray | None, count: int, followed: np.ndarray | None = None
) -> np.ndarray:
    """(n,) or (n, k) float32: what elements have in a channel by their finishes.

    Parameters
    ----------
    at
        (n,) float32: the finish of each element, between two where they blend; None where all have the first.
    followed
        (n, k): what finishes that leave the channel to another one have; the channel's default where it is None.
    """
    rows = [finish.of(channel) for finish in finishes]
    default = np.array(channel.default, np.float32)
    table = np.stack([default if row is None else row for row in rows])
    at = np.zeros(count, np.float32) if at is None else at
    found = between(table, at)
    free = np.array([[row is None] for row in rows], np.float32)
    if followed is not None and free.any():
        # The part that is left to the other channel.
        part = between(free, at)
        kept = between(table * (1 - free), at)
        found = kept + part * followed
    return found[:, 0] if channel.kind.word == "number" else np.ascontiguousarray(found, np.float32)


@dataclass
class Evaluation:
    """A look's results on a population.

    Attributes
    ----------
    lanes
        By channel, what it gets: base colour always, shape and finish where there are several, others where they have
        layers that are on.
    chosen
        Which shape and finish each element has.
    computed
        Places whose results were computed now; all others came from the cache.
    task
        Of what goes on to work with the results.
    """

    look: CompiledLook
    lanes: dict[str, LaneResult]
    signals: dict[str, SignalResult]
    computed: list[str] = field(default_factory=list)
    chosen: Chosen = Chosen()
    task: Task = field(default=UNWATCHED, compare=False, repr=False)

    @property
    def colours(self) -> np.ndarray:
        """(n, 3) linear float32: the finished base colour."""
        return self.lanes[BASE_COLOUR.word].values

    @property
    def results(self) -> dict[str, np.ndarray]:
        """By channel, what goes out with files, within its limits: of the lanes, and what finishes set otherwise."""
        found = {word: lane.channel.held(lane.values) for word, lane in self.lanes.items()}
        if self.look.document.finishes:
            for channel in CHANNELS.values():
                if channel.of_finish and channel.word not in found and self._differs(channel):
                    found[channel.word] = self.channel(channel.word)
        return found

    def _differs(self, channel: Channel) -> bool:
        rows = [finish.of(channel) for finish in self.look.finishes]
        return any(row is not None and not np.array_equal(row, np.array(channel.default, np.float32)) for row in rows)

    def channel(self, word: str) -> np.ndarray:
        """(n,) or (n, k) float32: what the elements have in a channel: of a lane, of their finish, or the default."""
        if word in self.lanes:
            return self.lanes[word].values
        channel = CHANNELS[word]
        if not channel.of_finish:
            return channel.base(self.population.count)
        followed = self.channel(channel.follows) if channel.follows else None
        return of_finishes(channel, self.look.finishes, self.chosen.finish, self.population.count, followed)

    @property
    def size_factors(self) -> np.ndarray | None:
        """(n,) float32: what the sizes of clones are multiplied by: the channel, and the size of each one's shape.

        None where that is 1 for all, and for elements that do not stand alone.
        """
        lane, number = self.lanes.get("size"), self.chosen.shape
        if not self.population.form.alone:
            return None
        shapes = () if self.population.shape else self.look.shapes
        sizes = np.array([shape.size for shape in shapes] or [1.0], np.float32)
        own = sizes[np.zeros(1, np.intp) if number is None or not shapes else number.astype(np.intp)]
        if lane is None:
            return None if (own == 1).all() else np.broadcast_to(own, (self.population.count,))
        found: np.ndarray = lane.channel.held(lane.values) * own
        return found

    @property
    def outputs(self) -> dict[str, Value]:
        """By the names under which they go out, the signals that the look sends beside its channels."""
        return {o.name: self.signals[o.signal].value for o in self.look.document.outputs if o.enabled}

    @property
    def layers(self) -> tuple[LayerResult, ...]:
        """The layers of the base colour."""
        return self.lanes[BASE_COLOUR.word].layers

    @cached_property
    def digest(self) -> str:
        """Names all that the look gives by content."""
        material = [[f.model_dump(mode="json") for f in self.look.finishes], self.chosen.digest]
        return digest_of("evaluation", [[word, lane.digest] for word, lane in self.lanes.items()], material)

    @property
    def scope(self) -> Scope:
        """What the look's chains can name."""
        return self.look.scope

    @property
    def population(self) -> Population:
        """The population that was evaluated."""
        return self.look.scope.population

    @property
    def stacks(self) -> list[tuple[LayerResult, ...]]:
        """The layers of every signal, and those of every lane."""
        return [*(signal.layers for signal in self.signals.values()), *(lane.layers for lane in self.lanes.values())]

    @cached_property
    def steps(self) -> list[StepResult]:
        """All step results: signals, then layers with masks after their paint; inner chains before their step."""
        chains = [c for signal in self.signals.values() for c in (signal.chain, *_chains_of(signal.layers))]
        return list(_flat([*chains, *(c for lane in self.lanes.values() for c in _chains_of(lane.layers))]))

    @cached_property
    def following(self) -> dict[int, Step]:
        """The step below each result in its chain, by the result's identity."""
        return {id(r.before): r.compiled.step for r in self.steps if r.before is not None}

    def step_at(self, place: str) -> StepResult | None:
        """The result of the step at a path of the look; None where none that is on stands there."""
        return next((result for result in self.steps if result.place == place), None)

    @property
    def signal_values(self) -> dict[str, Value]:
        """The value of each signal by its name."""
        return {name: signal.value for name, signal in self.signals.items()}

    @cached_property
    def reused(self) -> int:
        """How many step results came from the cache."""
        return sum(s.reused for s in self.steps)
