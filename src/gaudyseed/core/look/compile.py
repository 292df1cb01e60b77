"""Check a look against a population before any array is touched.

Dials are put in, kinds must follow each other, names must exist, signals must not
go round in circles; every error says where, what came, what was wanted and which
step converts it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..channels import CHANNELS, Channel
from ..documents.paths import pointer
from ..errors import BadInput, Fix
from ..geometry.placing import IDENTITY
from ..kinds import NUMBER, Kind, described, vector
from ..population import Population
from ..population.attribute import WHOLE_FLOAT32
from ..scene.follow import Follow, Followed, resolved
from ..stacking import check_blend
from .material import ElementPicture, Finish, Shape, plain_finish
from .model import Lane, Layer, Look, Signal
from .scope import CHOOSERS, FINISH_LANE, SHAPE_LANE, Scope, Surroundings
from .step.base import whole_step
from .step.reported import put
from .steps import STEPS, Step

#: Which step turns one kind into another, for sentences.
_CONVERTS = {
    ("vector", "number"): "Read one component of it: x, y, z or length.",
    ("number", "colour"): "Put a ramp before it.",
    ("vector", "colour"): "Show it as colour, or read one component and put a ramp before it.",
    ("colour", "number"): "Put a component step between them, or move this step before the ramp.",
}

_STOPS = [{"at": at, "colour": colour} for at, colour in ((0.0, "#1d2b4f"), (0.5, "#c8553d"), (1.0, "#f3dfb8"))]
#: Such a step by its word, and what putting it in is called.
_CONVERTERS: dict[tuple[str, str], tuple[str, str, dict[str, Any]]] = {
    ("vector", "number"): ("Read its length", "component", {"part": "length"}),
    ("colour", "number"): ("Read its hue", "component", {"part": "hue"}),
    ("number", "colour"): ("Put a ramp in", "ramp", {"stops": _STOPS}),
    ("vector", "colour"): ("Show it as colour", "as_colour", {}),
}

#: So that chance chooses shapes and finishes apart, and apart from random steps of the same seed.
_SALTS = {"shape": 0x51A3E, "finish": 0xF1215}

#: All steps of a look together, those of chains inside steps included: each may need memory for all elements.
MOST_STEPS_IN_ALL = 1000


def _converting(came: str, wanted: str, place: str) -> Fix | None:
    """Put in the step that turns one kind into another, at a place of a chain."""
    found = _CONVERTERS.get((came, wanted))
    if found is None:
        return None
    label, word, parameters = found
    return Fix(label, [put(pointer(place), whole_step(word, **parameters))])


def _any_of(words: Sequence[str]) -> str:
    return " or ".join(f"a {word}" for word in words)


@dataclass(frozen=True)
class CompiledStep:
    """A step that is on, with its place, the kind it gives, the signals it reads and the chains it holds."""

    step: Step
    place: str
    kind: Kind
    signals: tuple[str, ...] = ()
    inner: tuple[tuple[CompiledStep, ...], ...] = ()


@dataclass(frozen=True)
class CompiledLayer:
    """A layer that is on."""

    layer: Layer
    place: str
    paint: tuple[CompiledStep, ...]
    mask: tuple[CompiledStep, ...] | None


@dataclass(frozen=True)
class CompiledSignal:
    """A signal's chain and the layers over it that are on."""

    place: str
    chain: tuple[CompiledStep, ...]
    layers: tuple[CompiledLayer, ...]

    @property
    def kind(self) -> Kind:
        """The kind of value that the signal gives."""
        return self.chain[-1].kind


@dataclass(frozen=True)
class CompiledLane:
    """The layers of one channel, ready to run; none where the lane is off or empty."""

    channel: Channel
    layers: tuple[CompiledLayer, ...]


@dataclass(frozen=True)
class CompiledLook:
    """The lanes of a look by their channel, ready to run, and the signals, each after those it reads.

    Attributes
    ----------
    signals
        Among them, under names that no signal can have, the lanes that choose shapes and finishes.
    finishes
        At least one.
    document
        The look; what belongs to single lanes is read there.
    """

    lanes: dict[str, CompiledLane]
    signals: dict[str, CompiledSignal]
    scope: Scope
    finishes: tuple[Finish, ...] = field(default_factory=lambda: (plain_finish(),))
    shapes: tuple[Shape, ...] = ()
    picture: ElementPicture | None = None
    document: Look = field(default_factory=Look)

    def stacks(self) -> Iterator[tuple[CompiledLayer, ...]]:
        """The layers of every signal and of every lane."""
        yield from (signal.layers for signal in self.signals.values())
        yield from (lane.layers for word, lane in self.lanes.items() if word not in CHOOSERS.values())


class _Compiler:
    def __init__(
        self, look: Look, population: Population, surroundings: Surroundings, shared: Sequence[Signal],
        placement: np.ndarray,
    ) -> None:  # fmt: skip
        own = {s.name: (s, f"signals[{k}]") for k, s in enumerate(look.signals)}
        # A look's own signal goes before one of the scene's of the same name.
        self.places = {**{s.name: (s, f"scene.signals[{k}]") for k, s in enumerate(shared)}, **own}
        self.look = look
        self.scope = Scope(population, surroundings, self.places, placement)
        self.scope.kind_of = self.signal
        self.scope.shapes = len(look.shapes)
        self.signals: dict[str, CompiledSignal] = {}
        #: What each step gives that was compiled, by its place.
        self.kinds: dict[str, str] = {}
        self._open: list[str] = []
        self._count = 0

    def signal(self, name: str, place: str = "") -> Kind:
        """The kind of a signal, compiled when it is first named."""
        if name in self._open:
            circle = [*self._open[self._open.index(name) :], name]
            arrows = " reads ".join(f"the lane of {CHOOSERS[n]}" if n in CHOOSERS else repr(n) for n in circle)
            raise BadInput(
                f"These signals go round in a circle: {arrows}. Let one of them read something else.",
                place=place, code="signal_cycle",
            )  # fmt: skip
        if name in CHOOSERS and name not in self.signals:
            self._open.append(name)
            self.signals[name] = self.chooser(CHOOSERS[name])
            self._open.pop()
        if name not in self.signals:
            signal, at = self.places[name]
            if name in self.scope.elements.names:
                raise BadInput(
                    f"The signal {name!r} has the name of an attribute. Rename the signal.",
                    place=f"{at}.name", code="name_taken",
                )  # fmt: skip
            self._open.append(name)
            chain = self.chain(signal.chain, f"{at}.chain", None)
            self.signals[name] = CompiledSignal(at, chain, self.layers(signal.layers, at, chain[-1].kind))
            self._open.pop()
        return self.signals[name].kind

    def chooser(self, word: str) -> CompiledSignal:
        """The lane that chooses shapes or finishes: a random number for each element, under its layers."""
        lane = self.look.lanes.get(word, Lane())
        step = STEPS["random"].model_validate({"step": "random", "seed": lane.seed ^ _SALTS[word]})
        layers = self.layers(lane.layers if lane.enabled else (), f"lanes.{word}", NUMBER)
        return CompiledSignal(f"lanes.{word}", (CompiledStep(step, f"lanes.{word}.seed", NUMBER),), layers)

    def resolved(self, model: Followed, place: str) -> Followed:
        """The document with its dials put in, and every signal that it follows looked up."""
        for path, follow in model.followed:
            self.scope.check_following(follow, f"{place}.{path}")
        return resolved(model, self.scope.given, place)

    def chain(self, steps: Sequence[Step], place: str, wanted: Kind | None) -> tuple[CompiledStep, ...]:
        """Check one chain. ``wanted`` is the kind its end must give, None for any."""
        compiled: list[CompiledStep] = []
        places = [f"{place}[{k}]" for k in range(len(steps))]
        running = [(self.resolved(s, here), here) for s, here in zip(steps, places, strict=True) if s.enabled]
        for index, (step, here) in enumerate(running):
            following = running[index + 1][0] if index + 1 < len(running) else None
            compiled.append(self.step(step.before(following, here), here, compiled[-1] if compiled else None))
        if not compiled:
            raise BadInput("Every step of this chain is off. Switch one on.", place=place, code="empty_chain")
        kind = compiled[-1].kind
        self.keep_digits(compiled[-1], f"{place}.-", None)
        if wanted is not None and kind.word == wanted.word == "vector" and kind != wanted:
            raise BadInput(
                f"The chain ends with {described(kind, wanted)}, but {described(wanted, kind)} is wanted.",
                place=place, code="wrong_kind",
            )  # fmt: skip
        if wanted is not None and kind != wanted:
            hint = _CONVERTS.get((kind.word, wanted.word), "").replace("before it", "at the end")
            raise BadInput(
                f"The chain ends with {kind.said}, but {wanted.said} is wanted. {hint}".strip(),
                place=place, code="wrong_kind", fix=_converting(kind.word, wanted.word, f"{place}.-"),
            )  # fmt: skip
        return tuple(compiled)

    def keep_digits(self, before: CompiledStep | None, here: str, step: Step | None) -> None:
        """BadInput where whole numbers beyond 2^24 would be rounded by the next step, or by what reads the chain."""
        name = before.step.far_from(self.scope) if before is not None and not (step and step.exact) else ""
        if name and before is not None:
            raise BadInput(
                f"{name!r} has numbers beyond {WHOLE_FLOAT32:,} whose last digits would be lost here. Put Range with "
                f"the data's own range, Even out or Quantise right after it, or take a part in a formula, "
                f"such as {name} % 7.",
                place=before.place, code="digits_lost",
                fix=Fix("Use the whole range", [put(pointer(here), whole_step("range", own=True))]),
            )  # fmt: skip

    def step(self, step: Step, here: str, before: CompiledStep | None) -> CompiledStep:
        """Check one step, its dials put in, after the one before it."""
        self._count += 1
        if self._count > MOST_STEPS_IN_ALL:
            raise BadInput(f"The look has more than {MOST_STEPS_IN_ALL} steps in all. Use fewer.", place=here)
        kind = before.kind if before else None
        if not step.takes and before is not None:
            raise BadInput(
                f"{step.step!r} reads from the elements, so it can only begin a chain; here it follows "
                f"{before.step.step!r}. Move it to the top or remove it.",
                place=here, code="wrong_kind",
            )  # fmt: skip
        if step.takes and kind is None:
            raise BadInput(
                f"{step.step!r} wants {_any_of(step.takes)}, but nothing comes before it. "
                "Begin with a step that reads, such as random.",
                place=here, code="wrong_kind",
            )  # fmt: skip
        if step.takes and kind is not None and kind.word not in step.takes:
            raise BadInput(
                f"{step.step!r} wants {_any_of(step.takes)}, but {kind.said} comes. "
                f"{_CONVERTS.get((kind.word, step.takes[0]), '')}".strip(),
                place=here, code="wrong_kind", fix=_converting(kind.word, step.takes[0], here),
            )  # fmt: skip
        self.keep_digits(before, here, step)
        inner = tuple(self.chain(steps, f"{here}.{path}", None) for path, steps in step.inner_chains())
        gives = step.result_kind_of([c[-1].kind for c in inner], here, kind) or step.result_kind(self.scope, here, kind)
        signals = tuple(sorted(n for n in step.signals_read() if n in self.signals))
        self.kinds[here] = gives.word
        return CompiledStep(step, here, gives, signals, inner)

    def layers(self, layers: Sequence[Layer], stack: str, kind: Kind) -> tuple[CompiledLayer, ...]:
        """Check those layers of a stack that are on; each must give that kind."""
        return tuple(self.layer(layer, f"{stack}.layers[{k}]", kind) for k, layer in enumerate(layers) if layer.enabled)

    def layer(self, layer: Layer, place: str, kind: Kind) -> CompiledLayer:
        """Check one layer."""
        check_blend(kind.word, layer.blend, place)
        paint = self.chain(layer.paint, f"{place}.paint", kind)
        mask = self.chain(layer.mask, f"{place}.mask", NUMBER) if layer.mask else None
        return CompiledLayer(self.resolved(layer, place), place, paint, mask)

    def check_along(self) -> None:
        """BadInput where the lane of offset goes along something that is no vector of three."""
        lane = self.look.lanes.get("offset")
        if lane is None or lane.along in ("normal", "up"):
            return
        place = "lanes.offset.along"
        if lane.along in self.scope.elements.names or lane.along not in self.scope.signals:
            column = self.scope.attribute(lane.along, place)
            word, width = str(column.kind), column.width
        else:
            kind = self.scope.signal_kind(lane.along, place)
            word, width = kind.word, kind.width
        if word != "vector" or width != 3:
            raise BadInput(
                f"{lane.along!r} is no vector of three numbers, so nothing is moved along it. Choose normal, up or a "
                "vector.",
                place=place, code="wrong_kind",
            )  # fmt: skip

    def check_outputs(self) -> None:
        """BadInput where a signal that goes out is not there."""
        taken = {name for channel in CHANNELS.values() for name in (*channel.columns, *channel.shown)}
        for k, output in enumerate(self.look.outputs):
            if not output.enabled:
                continue
            place = f"outputs[{k}]"
            kind = self.scope.signal_kind(output.signal, f"{place}.signal")
            if output.name in taken or output.name == "id":
                raise BadInput(
                    f"{output.name!r} is written already. Send the signal under another name.", place=f"{place}.name",
                    code="name_taken",
                )  # fmt: skip
            if output.name == "position" and kind != vector(3):
                raise BadInput(
                    f"The signal {output.signal!r} gives {kind.said}, but places are vectors of three numbers.",
                    place=f"{place}.signal", code="wrong_kind",
                )  # fmt: skip


def compile_look(
    look: Look, population: Population, surroundings: Surroundings | None = None, shared: Sequence[Signal] = (),
    placement: np.ndarray = IDENTITY,
) -> CompiledLook:  # fmt: skip
    """Check a look against a population: all its signals, and all layers that are on.

    Parameters
    ----------
    surroundings
        What the scene has that chains can name: dials, the moment, other populations.
    shared
        The scene's signals; only those that the look reads are compiled.
    placement
        (4, 4): from the population's own space into that of the scene.

    Raises
    ------
    BadInput
        Where kinds do not follow each other, names are unknown, or signals go round in a circle.
    """
    compiler = _Compiler(look, population, surroundings or Surroundings({}), shared, placement)
    try:
        return _compiled(compiler, look, population)
    except BadInput as error:
        error.kinds = compiler.kinds
        raise


def _compiled(compiler: _Compiler, look: Look, population: Population) -> CompiledLook:
    """All signals, then all lanes, then what goes with them."""
    for k, signal in enumerate(look.signals):
        compiler.signal(signal.name, f"signals[{k}].chain")
    if len(look.shapes) > 1 and population.kind in CHANNELS["shape"].populations:
        compiler.signal(SHAPE_LANE, "lanes.shape")
    if len(look.finishes) > 1:
        compiler.signal(FINISH_LANE, "lanes.finish")
    lanes = {}
    for word, lane in look.lanes.items():
        channel = CHANNELS[word]
        if channel.populations and population.kind not in channel.populations:
            raise BadInput(
                f"{channel.title} is no channel of {population.kind}. Remove the lane.",
                place=f"lanes.{word}", code="wrong_channel",
            )  # fmt: skip
        if lane.enabled and lane.layers:
            layers = compiler.layers(lane.layers, f"lanes.{word}", channel.kind)
            lanes[word] = CompiledLane(channel, layers)
    compiler.check_along()
    compiler.check_outputs()
    finishes = tuple(compiler.resolved(f, f"finishes[{k}]") for k, f in enumerate(look.finishes)) or (plain_finish(),)
    blending = look.lanes.get("finish")
    if blending is not None and blending.choose == "blend" and blending.among:
        # In the order of the blend, the others behind: what lies between two numbers is then a mix of neighbours.
        finishes = tuple(sorted(finishes, key=lambda f: blending.place_of(f.name)))
    shapes = tuple(compiler.resolved(shape, f"shapes[{k}]") for k, shape in enumerate(look.shapes))
    picture = compiler.resolved(look.picture, "picture") if look.picture else None
    return CompiledLook(lanes, compiler.signals, compiler.scope, finishes, shapes, picture, look)


def signals_in(compiled: Sequence[CompiledStep]) -> set[str]:
    """The signals that a compiled chain reads, those of inner chains included."""
    found: set[str] = set()
    for step in compiled:
        found |= set(step.signals)
        for chain in step.inner:
            found |= signals_in(chain)
    return found


def signals_read(look: CompiledLook) -> set[str]:
    """All signals that something in the look reads."""
    layers = [layer for stack in look.stacks() for layer in stack]
    chains = [signal.chain for signal in look.signals.values()] + [
        c for la in layers for c in (la.paint, la.mask or ())
    ]
    followed = {
        la.layer.amount.signal for la in layers if isinstance(la.layer.amount, Follow) and la.layer.amount.signal
    }
    sent = {output.signal for output in look.document.outputs if output.enabled}
    along = {lane.along for word, lane in look.document.lanes.items() if word == "offset"}
    return followed.union(sent, along, *(signals_in(chain) for chain in chains))
