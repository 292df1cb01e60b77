"""Check a look against a population before any array is touched.

Kinds must follow each other, attributes must exist; every error says where, what
came, what was wanted and which step converts it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import BadInput
from ..population import Population
from .model import Layer, Look
from .steps import Kind, Step
from .steps.base import KIND_WORDS

#: Which step turns one kind into another, for sentences.
_CONVERTS = {
    ("vector", "number"): "Read one component of it: x, y, z or length.",
    ("number", "colour"): "Put a ramp before it.",
    ("vector", "colour"): "Read one component and put a ramp before it.",
    ("colour", "number"): "Put a component step between them, or move this step before the ramp.",
}


def _any_of(kinds: tuple[Kind, ...]) -> str:
    return " or ".join(KIND_WORDS[k] for k in kinds)


@dataclass(frozen=True)
class CompiledStep:
    """A step that is on, with its place in the document and the kind it gives."""

    step: Step
    place: str
    kind: Kind


@dataclass(frozen=True)
class CompiledLayer:
    """A layer that is on."""

    layer: Layer
    index: int
    place: str
    paint: tuple[CompiledStep, ...]
    mask: tuple[CompiledStep, ...] | None


@dataclass(frozen=True)
class CompiledLook:
    """The base colour lane, ready to run; no layers where it is off or empty."""

    layers: tuple[CompiledLayer, ...]


def compile_chain(
    steps: Sequence[Step], population: Population, place: str, wanted: Kind | None
) -> tuple[CompiledStep, ...]:
    """Check one chain. ``wanted`` is the kind its end must give, None for any."""
    compiled: list[CompiledStep] = []
    kind: Kind | None = None
    for index, step in enumerate(steps):
        if not step.enabled:
            continue
        here = f"{place}[{index}]"
        name = step.step
        if not step.takes and kind is not None:
            raise BadInput(
                f"{name!r} reads from the elements, so it can only begin a chain; here it follows "
                f"{compiled[-1].step.step!r}. "
                "Move it to the top or remove it.",
                place=here, code="wrong_kind",
            )  # fmt: skip
        if step.takes and kind is None:
            raise BadInput(
                f"{name!r} wants {_any_of(step.takes)}, but nothing comes before it. "
                "Begin with a step that reads, such as random.",
                place=here, code="wrong_kind",
            )  # fmt: skip
        if step.takes and kind not in step.takes:
            assert kind is not None
            raise BadInput(
                f"{name!r} wants {_any_of(step.takes)}, but {KIND_WORDS[kind]} comes. "
                f"{_CONVERTS.get((kind, step.takes[0]), '')}".strip(),
                place=here, code="wrong_kind",
            )  # fmt: skip
        kind = step.result_kind(population, here, kind)
        compiled.append(CompiledStep(step, here, kind))
    if not compiled:
        raise BadInput("Every step of this chain is off. Switch one on.", place=place, code="empty_chain")
    if wanted is not None and kind != wanted:
        assert kind is not None
        hint = _CONVERTS.get((kind, wanted), "").replace("before it", "at the end")
        raise BadInput(
            f"The chain ends with {KIND_WORDS[kind]}, but {KIND_WORDS[wanted]} is wanted. {hint}".strip(),
            place=place, code="wrong_kind",
        )  # fmt: skip
    return tuple(compiled)


def compile_look(look: Look, population: Population) -> CompiledLook:
    """Check all layers that are on."""
    lane = look.lanes.base_colour
    layers = []
    for index, layer in enumerate(lane.layers if lane.enabled else ()):
        if not layer.enabled:
            continue
        place = f"lanes.base_colour.layers[{index}]"
        paint = compile_chain(layer.paint, population, f"{place}.paint", "colour")
        mask = compile_chain(layer.mask, population, f"{place}.mask", "number") if layer.mask else None
        layers.append(CompiledLayer(layer, index, place, paint, mask))
    return CompiledLook(tuple(layers))
