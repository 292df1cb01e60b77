"""Check a look against a population before any array is touched.

Dials are put in, kinds must follow each other, names must exist, signals must not
go round in circles; every error says where, what came, what was wanted and which
step converts it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from pydantic import BaseModel

from ..documents import parse
from ..errors import BadInput, Fix
from ..population import Population
from ..population.table import WHOLE_FLOAT32
from ..stacking import check_blend
from .follow import Follow, followings
from .model import Dial, Layer, Look
from .scope import Scope, pointer
from .steps import Kind, Step
from .steps.base import KIND_WORDS
from .steps.component import Component
from .steps.ramp import Ramp, Stop
from .steps.range import Range

#: Which step turns one kind into another, for sentences.
_CONVERTS = {
    ("vector", "number"): "Read one component of it: x, y, z or length.",
    ("number", "colour"): "Put a ramp before it.",
    ("vector", "colour"): "Read one component and put a ramp before it.",
    ("colour", "number"): "Put a component step between them, or move this step before the ramp.",
}

#: Such a step, whole, as documents have it, and what putting it in is called.
_CONVERTERS: dict[tuple[str, str], tuple[str, dict[str, Any]]] = {
    ("vector", "number"): ("Read its length", Component(step="component", part="length").model_dump(mode="json")),
    ("colour", "number"): ("Read its hue", Component(step="component", part="hue").model_dump(mode="json")),
    ("number", "colour"): (
        "Put a ramp in",
        Ramp(step="ramp", stops=(Stop(at=0.0, colour="#1d2b4f"), Stop(at=0.5, colour="#c8553d"),
                                 Stop(at=1.0, colour="#f3dfb8"))).model_dump(mode="json"),
    ),
}  # fmt: skip

_FIT = Range(step="range", own=True).model_dump(mode="json")

#: All steps of a look together, those of chains inside steps included: each may need memory for all elements.
MOST_STEPS_IN_ALL = 1000

Model = TypeVar("Model", bound=BaseModel)


def _converting(came: Kind, wanted: Kind, place: str) -> Fix | None:
    """Put in the step that turns one kind into another, at a place of a chain."""
    found = _CONVERTERS.get((came, wanted))
    return Fix(found[0], [{"op": "add", "path": pointer(place), "value": found[1]}]) if found else None


def _any_of(kinds: Sequence[Kind]) -> str:
    return " or ".join(KIND_WORDS[k] for k in kinds)


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
        """What it gives."""
        return self.chain[-1].kind


@dataclass(frozen=True)
class CompiledLook:
    """The base colour lane, ready to run, and the signals, each after those it reads.

    There are no layers where the lane is off or empty.
    """

    layers: tuple[CompiledLayer, ...]
    signals: dict[str, CompiledSignal]
    scope: Scope


class _Compiler:
    def __init__(self, look: Look, population: Population, dials: Mapping[str, Dial]) -> None:
        self.look = look
        self.places = {s.name: k for k, s in enumerate(look.signals)}
        self.scope = Scope(population, dials, self.places)
        self.scope.kind_of = self.signal
        self.signals: dict[str, CompiledSignal] = {}
        self._open: list[str] = []
        self._count = 0

    def signal(self, name: str, place: str = "") -> Kind:
        """The kind of a signal, compiled when it is first named."""
        if name in self._open:
            circle = [*self._open[self._open.index(name) :], name]
            arrows = " reads ".join(repr(n) for n in circle)
            raise BadInput(
                f"These signals go round in a circle: {arrows}. Let one of them read something else.",
                place=place, code="signal_cycle",
            )  # fmt: skip
        if name not in self.signals:
            at = f"signals[{self.places[name]}]"
            if name in self.scope.population.names:
                raise BadInput(
                    f"The signal {name!r} has the name of an attribute. Rename the signal.",
                    place=f"{at}.name", code="name_taken",
                )  # fmt: skip
            self._open.append(name)
            signal = self.look.signals[self.places[name]]
            chain = self.chain(signal.chain, f"{at}.chain", None)
            self.signals[name] = CompiledSignal(at, chain, self.layers(signal.layers, at, chain[-1].kind))
            self._open.pop()
        return self.signals[name].kind

    def resolved(self, model: Model, place: str) -> Model:
        """The document with its dials put in, and every signal that it follows looked up."""
        found = list(followings(model))
        if not found:
            return model
        document: dict[str, Any] | None = None
        for path, follow in found:
            here = f"{place}.{path}"
            if follow.dial is None:
                self.scope.check_following(follow, here)
                continue
            value = self.scope.dial(follow, here)
            document = model.model_dump(mode="json") if document is None else document
            holder: Any = document
            parts = path.replace("[", ".").replace("]", "").split(".")
            keys = [int(part) if part.isdigit() else part for part in parts]
            for key in keys[:-1]:
                holder = holder[key]
            holder[keys[-1]] = value
        if document is None:
            return model
        try:
            return parse(type(model), document, place)
        except BadInput as error:
            names = ", ".join(repr(f.dial) for _, f in found if f.dial is not None)
            raise BadInput(
                f"{error.sentence} It follows a dial: {names}.", place=error.place, code=error.code
            ) from None

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
        if wanted is not None and kind != wanted:
            hint = _CONVERTS.get((kind, wanted), "").replace("before it", "at the end")
            raise BadInput(
                f"The chain ends with {KIND_WORDS[kind]}, but {KIND_WORDS[wanted]} is wanted. {hint}".strip(),
                place=place, code="wrong_kind", fix=_converting(kind, wanted, f"{place}.-"),
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
                fix=Fix("Fit the range", [{"op": "add", "path": pointer(here), "value": _FIT}]),
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
        if step.takes and kind is not None and kind not in step.takes:
            raise BadInput(
                f"{step.step!r} wants {_any_of(step.takes)}, but {KIND_WORDS[kind]} comes. "
                f"{_CONVERTS.get((kind, step.takes[0]), '')}".strip(),
                place=here, code="wrong_kind", fix=_converting(kind, step.takes[0], here),
            )  # fmt: skip
        self.keep_digits(before, here, step)
        inner = tuple(self.chain(steps, f"{here}.{path}", None) for path, steps in step.inner_chains())
        gives = step.result_kind_of([c[-1].kind for c in inner], here, kind) or step.result_kind(self.scope, here, kind)
        signals = tuple(sorted(n for n in step.signals_read() if n in self.signals))
        return CompiledStep(step, here, gives, signals, inner)

    def layers(self, layers: Sequence[Layer], stack: str, kind: Kind) -> tuple[CompiledLayer, ...]:
        """Check those layers of a stack that are on; each must give that kind."""
        return tuple(self.layer(layer, f"{stack}.layers[{k}]", kind) for k, layer in enumerate(layers) if layer.enabled)

    def layer(self, layer: Layer, place: str, kind: Kind) -> CompiledLayer:
        """Check one layer."""
        check_blend(kind, layer.blend, place)
        paint = self.chain(layer.paint, f"{place}.paint", kind)
        mask = self.chain(layer.mask, f"{place}.mask", "number") if layer.mask else None
        return CompiledLayer(self.resolved(layer, place), place, paint, mask)


def compile_look(look: Look, population: Population, dials: Sequence[Dial] = ()) -> CompiledLook:
    """Check all signals, and all layers that are on."""
    compiler = _Compiler(look, population, {d.name: d for d in dials})
    for k, signal in enumerate(look.signals):
        compiler.signal(signal.name, f"signals[{k}].chain")
    lane = look.lanes.base_colour
    layers = compiler.layers(lane.layers if lane.enabled else (), "lanes.base_colour", "colour")
    return CompiledLook(layers, compiler.signals, compiler.scope)


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
    layers = [*look.layers, *(layer for signal in look.signals.values() for layer in signal.layers)]
    chains = [signal.chain for signal in look.signals.values()] + [
        c for la in layers for c in (la.paint, la.mask or ())
    ]
    followed = {
        la.layer.amount.signal for la in layers if isinstance(la.layer.amount, Follow) and la.layer.amount.signal
    }
    return followed.union(*(signals_in(chain) for chain in chains))


__all__ = ["CompiledLayer", "CompiledLook", "CompiledSignal", "CompiledStep", "compile_look", "signals_read"]
