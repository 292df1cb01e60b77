"""Run a compiled look over a population.

Each step's result is cached under a digest of what it depends on: its word and
parameters, what it reads from the population, and the digest of its input. An
edit of a ramp therefore recomputes the ramp and what follows it, nothing above.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import cast

import numpy as np

from ..channels import BASE_COLOUR, CHANNELS, FINISH, SHAPE, Channel
from ..colour.vision import simulated
from ..digest import digest_of
from ..geometry.placing import IDENTITY
from ..kernels.parallel import over
from ..kinds import Kind
from ..population import Population
from ..runtime.buffers import empty
from ..runtime.cache import ResultCache
from ..runtime.task import UNWATCHED, Task
from ..scene.dials import Dial
from ..scene.follow import Follow
from ..stacking import blending_of
from .choosing import chosen
from .compile import CompiledLane, CompiledLayer, CompiledLook, CompiledSignal, CompiledStep, compile_look
from .model import Look, Signal
from .results import (
    Chain,
    Chosen,
    Evaluation,
    LaneResult,
    LayerResult,
    SignalResult,
    StepResult,
    covers,
    covers_all,
    of_finishes,
)
from .scope import CHOOSERS, FINISH_LANE, SHAPE_LANE, Scope, Surroundings
from .step.parameters import Numbers, limits, numbers_of
from .steps import Context, Step, Value, carried_out

#: Bytes of results that are kept, and how many of the largest where these are more: of one look, and of some edits.
_KEPT, _LARGE = 512 * 1024 * 1024, 8


class Evaluator:
    """Evaluates looks with a shared result cache; safe to use from several threads."""

    def __init__(self, cache: ResultCache | None = None) -> None:
        self.cache = cache or ResultCache(_KEPT, grows=_LARGE)

    def evaluate(
        self, population: Population, look: Look, task: Task = UNWATCHED,
        dials: Sequence[Dial] = (), surroundings: Surroundings | None = None, shared: Sequence[Signal] = (),
        placement: np.ndarray = IDENTITY,
    ) -> Evaluation:  # fmt: skip
        """All results of a look on a population.

        Parameters
        ----------
        task
            Asked between steps and chunks whether to stop.
        dials
            The scene's; where ``surroundings`` are given theirs count.
        shared
            The scene's signals.
        placement
            (4, 4): from the population's own space into that of the scene.

        Raises
        ------
        BadInput
            Where the look does not fit the population; nothing has been computed then.

        Examples
        --------
        >>> from gaudyseed.core.population import Attribute, of_points
        >>> wear = Attribute("wear", "number", np.array([0.0, 1.0], np.float32))
        >>> ramp = {"step": "ramp", "stops": [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}]}
        >>> layer = {"paint": [{"step": "attribute", "name": "wear"}, ramp]}
        >>> look = Look.model_validate({"lanes": {"base_colour": {"layers": [layer]}}})
        >>> Evaluator().evaluate(of_points(2, {"wear": wear}), look).colours.round(3).tolist()
        [[0.0, 0.0, 0.0], [1.0, 1.0, 1.0]]
        """
        around = surroundings or Surroundings({d.name: d for d in dials})
        return self.run(compile_look(look, population, around, shared, placement), task)

    def run(self, look: CompiledLook, task: Task = UNWATCHED) -> Evaluation:
        """All results of a look that was compiled before."""
        run = _Run(self.cache, look, task)
        for name, signal in look.signals.items():
            run.signals[name] = run.chooser(name, signal) if name in CHOOSERS else run.signal(signal)
        run.choose()
        words = dict.fromkeys([BASE_COLOUR.word, *(w for w in look.lanes if w not in CHOOSERS.values())])
        for word in words:
            run.lanes[word] = run.lane(CHANNELS[word], look.lanes.get(word))
        signals = {name: signal for name, signal in run.signals.items() if name not in CHOOSERS}
        return Evaluation(look, {**run.lanes, **run.chosen_lanes()}, signals, run.computed, run.chosen, task)

    def sent(
        self, lane: LaneResult, task: Task = UNWATCHED, vision: str = ""
    ) -> tuple[str, np.ndarray]:  # fmt: skip
        """A lane's values as the page gets them, cached, with the digest that names them.

        Colours as seen with a dichromacy where one is named.
        """
        coloured = lane.channel.sent == "display"
        key = digest_of("sent", lane.digest, lane.channel.word, vision if coloured else "")
        found = self.cache.get(key)
        if found is None:
            values = simulated(lane.values, vision) if vision and coloured else lane.values
            found = lane.channel.encoded(values, task)
            self.cache.put(key, found, found.nbytes)
        return key, found


def run_step(
    step: Step, population: Population, incoming: Value | None = None, signals: Mapping[str, Value] | None = None
) -> Value:
    """The result of one step alone on a population, not cached; BadInput where it does not fit what comes in.

    Examples
    --------
    >>> from gaudyseed.core.kinds import NUMBER
    >>> from gaudyseed.core.look.steps import STEPS
    >>> from gaudyseed.core.population import of_points
    >>> values = Value(NUMBER, np.array([0.2, 0.9], np.float32))
    >>> run_step(STEPS["quantise"](step="quantise", levels=2), of_points(2, {}), values).array.tolist()
    [0.25, 0.75]
    """
    scope = Scope(population)
    kind = step.result_kind(scope, "step", incoming.kind if incoming else None)
    return carried_out(step, Context(scope, "step", UNWATCHED, kind, signals or {}), incoming)


class _Run:
    """One evaluation under way."""

    def __init__(self, cache: ResultCache, look: CompiledLook, task: Task) -> None:
        self.cache = cache
        self.look = look
        self.scope = look.scope
        self.population = look.scope.population
        self.task = task
        self.signals: dict[str, SignalResult] = {}
        self.lanes: dict[str, LaneResult] = {}
        self.raw: dict[str, np.ndarray] = {}
        self.chosen = Chosen()
        self.computed: list[str] = []
        self.start = digest_of(self.population.kind, self.population.count)

    def chain(self, steps: tuple[CompiledStep, ...]) -> Chain:
        results: list[StepResult] = []
        for compiled in steps:
            self.task.check()
            results.append(self._step(compiled, results[-1] if results else None))
        return tuple(results)

    def _step(self, compiled: CompiledStep, before: StepResult | None) -> StepResult:
        inner = tuple(self.chain(c) for c in compiled.inner)
        above = before.digest if before else self.start
        read = [self.signals[name].digest for name in compiled.signals]
        held = [c[-1].digest for c in inner]
        step = compiled.step
        digest = digest_of("step", step.digest, step.depends_on(self.scope), read, held, above)
        value = self.cache.get(digest)
        reused = value is not None
        if value is None:
            values = {name: self.signals[name].value for name in compiled.signals}
            ends = tuple(c[-1].value for c in inner)
            context = Context(self.scope, compiled.place, self.task, compiled.kind, values, ends)
            value = carried_out(step, context, before.value if before else None)
            self.cache.put(digest, value, value.nbytes)
            self.computed.append(compiled.place)
        return StepResult(compiled, digest, value, reused, before, inner)

    def signal(self, signal: CompiledSignal) -> SignalResult:
        chain = self.chain(signal.chain)
        below = chain[-1].value
        layers, digest, array = self.stack(signal.layers, below.array, chain[-1].digest, signal.kind)
        value = below if array is None or not layers else Value(signal.kind, array)
        return SignalResult(signal.place, chain, layers, digest, value)

    def chooser(self, name: str, signal: CompiledSignal) -> SignalResult:
        """Which shape or finish each element gets, as numbers from 0 on."""
        found, word = self.signal(signal), CHOOSERS[name]
        lane = self.look.document.lanes.get(word)
        by = lane.choose if lane is not None and signal.layers else "share"
        items = self.look.shapes if name == SHAPE_LANE else self.look.finishes
        # Those that a blend runs through come first.
        among = len(lane.among or items) if lane is not None and by == "blend" else len(items)
        weights = [item.weight for item in items[:among]]
        digest = digest_of("chosen", found.digest, weights, by)
        self.raw[name] = found.value.array
        number = self.cache.get(digest)
        if number is None:
            number = chosen(found.value.array, weights, by)
            self.cache.put(digest, number, number.nbytes)
        return SignalResult(found.place, found.chain, found.layers, digest, Value(found.value.kind, number))

    def choose(self) -> None:
        """Note which shape and finish each element has; a shape's own finish goes before the elements'."""
        shape, finish = self.signals.get(SHAPE_LANE), self.signals.get(FINISH_LANE)
        number = None if finish is None else finish.value.array
        names = [f.name for f in self.look.finishes]
        own = [names.index(s.finish) if s.finish in names else -1 for s in self.look.shapes]
        if any(k >= 0 for k in own):
            of = np.array(own, np.float32)[0 if shape is None else shape.value.array.astype(np.intp)]
            number = np.where(of >= 0, of, 0 if number is None else number).astype(np.float32)
            number = np.broadcast_to(number, (self.population.count,))
        digest = digest_of("chosen", shape.digest if shape else "", finish.digest if finish else "", own)
        self.chosen = Chosen(
            None if shape is None else shape.value.array, number, self.raw.get(SHAPE_LANE), self.raw.get(FINISH_LANE),
            digest,
        )  # fmt: skip

    def chosen_lanes(self) -> dict[str, LaneResult]:
        """Shape and finish as lanes, where there are several."""
        found = {}
        pairs = ((SHAPE, SHAPE_LANE, self.chosen.shape), (FINISH, FINISH_LANE, self.chosen.finish))
        for channel, name, values in pairs:
            if values is not None:
                layers = self.signals[name].layers if name in self.signals else ()
                digest = digest_of(channel.word, self.chosen.digest)
                found[channel.word] = LaneResult(channel, layers, digest, np.ascontiguousarray(values))
        return found

    def base(self, channel: Channel) -> tuple[str, np.ndarray]:
        """What lies under the layers of a channel: of the elements' finishes, or the default; and its digest."""
        followed = self.lanes.get(channel.follows)
        rows = [finish.of(channel) for finish in self.look.finishes] if channel.of_finish else []
        default = np.array(channel.default, np.float32)
        follows = bool(channel.follows)
        if all((row is None and not follows) or (row is not None and np.array_equal(row, default)) for row in rows):
            return digest_of("base", channel.word, self.population.count), channel.base(self.population.count)
        parts = [None if row is None else row.tolist() for row in rows]
        digest = digest_of("base", channel.word, parts, self.chosen.digest, followed.digest if followed else "",
                           self.population.count)  # fmt: skip
        found = self.cache.get(digest)
        if found is None:
            below = followed.values if followed else None
            found = of_finishes(channel, self.look.finishes, self.chosen.finish, self.population.count, below)
            self.cache.put(digest, found, found.nbytes)
        return digest, found

    def lane(self, channel: Channel, compiled: CompiledLane | None) -> LaneResult:
        """What a channel gets; what its elements' finishes have, or its default, where it has no layers."""
        covered = compiled is not None and any(covers(layer) for layer in compiled.layers)
        # What is covered all over is not worked out.
        start, below = ("", None) if covered else self.base(channel)
        layers, digest, values = self.stack(compiled.layers if compiled else (), below, start, channel.kind, channel)
        if values is None:
            values = channel.base(self.population.count)
        return LaneResult(channel, layers, digest, values)

    def stack(
        self, layers: Sequence[CompiledLayer], base: np.ndarray | None, digest: str, kind: Kind,
        channel: Channel | None = None,
    ) -> tuple[tuple[LayerResult, ...], str, np.ndarray | None]:  # fmt: skip
        """The results of layers over a base (None: the channel's default), and the digest and array after the last."""
        found = []
        for layer in layers:
            paint = self.chain(layer.paint)
            found.append(LayerResult(layer, paint, self.chain(layer.mask) if layer.mask else None))
            digest, base = self.blend(base, digest, found[-1], kind, channel)
        return tuple(found), digest, base

    def blend(
        self, base: np.ndarray | None, below: str, layer: LayerResult, kind: Kind, channel: Channel | None
    ) -> tuple[str, np.ndarray]:
        """The digest and values after one more layer."""
        document, paint, mask = layer.compiled.layer, layer.paint[-1], layer.mask
        amount = document.amount
        if covers_all(layer):
            return paint.digest, paint.value.array
        read = self.signals[amount.signal].digest if isinstance(amount, Follow) and amount.signal else ""
        settings = [document.blend, document.blend_in, amount.model_dump() if isinstance(amount, Follow) else amount]
        digest = digest_of("blend", settings, read, below, paint.digest, mask[-1].digest if mask else "")
        found = cast("np.ndarray | None", self.cache.get(digest))
        if found is not None:
            return digest, found
        if base is None:
            assert channel is not None
            base = channel.base(self.population.count)
        display = document.blend_in == "display"
        fill = blending_of(base, paint.value.array, kind, self._amounts(layer), document.blend, display)
        out = empty(base.shape)
        over(len(out), lambda a, b: fill(a, b, out[a:b]), self.task)
        self.cache.put(digest, out, out.nbytes)
        return digest, out

    def _amounts(self, layer: LayerResult) -> Numbers:
        """How much of the layer each element gets: its amount, times its mask held within 0..1."""
        document = layer.compiled.layer
        values = {name: signal.value for name, signal in self.signals.items()}
        amounts = numbers_of(document.amount, limits(type(document), "amount"), values)
        if not layer.mask:
            return amounts
        mask = layer.mask[-1].value.array
        return lambda a, b: np.clip(mask[a:b], 0, 1) * amounts(a, b)
