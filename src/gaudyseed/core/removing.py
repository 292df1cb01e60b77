"""What reads a signal or a population that is to be removed, and the scene without it in which that still works."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from .channels import CHANNELS
from .documents.document import parse
from .documents.references import named, renamed
from .errors import BadInput, no_population
from .look.model import Look
from .look.steps import STEPS, Step
from .population.makers import MAKERS
from .scene.model import PopulationDocument, Scene


@dataclass(frozen=True)
class Removal:
    """A removal before it is carried out.

    ``readers`` say in words what reads the thing; ``scene`` is the scene without it, ``instead`` one in which the
    readers work on, with what it does in words, or None where there is no such.
    """

    what: str
    readers: list[str]
    scene: Scene
    instead: tuple[str, Scene] | None


def remove_signal(scene: Scene, population: str, name: str, shared: bool = False) -> Removal:
    """A signal of a population's look, or of the scene, removed; its chain can go where it was read.

    Raises
    ------
    BadInput
        Where there is no such population or signal.
    """
    entry = _entry(scene, population)
    look = scene.look_of(entry)
    signals = scene.signals if shared else look.signals
    signal = next((s for s in signals if s.name == name), None)
    if signal is None:
        raise BadInput(f"There is no signal {name!r}.", place="name", code="unknown_signal")
    chain = [step.model_dump(mode="json") for step in signal.chain]
    readers, rest, inlined = [], scene.model_dump(mode="json"), scene.model_dump(mode="json")
    for document, put in ((rest, None), (inlined, None if signal.layers else chain)):
        _drop(document, scene, entry, name, shared)
        for where, part in _looks(document, scene, entry, shared):
            if put is not None:
                part["lanes"], part["signals"] = (_inlined(part[key], name, put) for key in ("lanes", "signals"))
            elif document is rest:
                readers += _said(part, name, where)
    left = [reader for where, part in _looks(inlined, scene, entry, shared) for reader in _said(part, name, where)]
    # What follows it is a number, which no chain can stand for.
    instead = None if left or signal.layers or not readers else ("Put its chain in their place", _scene(inlined))
    return Removal(f"the signal {name!r}", readers, _scene(rest), instead)


def remove_population(scene: Scene, population: str) -> Removal:
    """A population removed; what stands on it can stand on a surface of its own, what measures to it on markers."""
    entry = _entry(scene, population)
    others = tuple(p for p in scene.populations if p.id != population)
    worn = {p.wears for p in others}
    rest = scene.model_copy(update={"populations": others, "looks": tuple(s for s in scene.looks if s.name in worn)})
    readers = [f"{p.name} stands on it." for p in others if p.maker.stands_on == population]
    readers += [f"{p.name} measures to it." for p in others if population in named(scene.look_of(p), "population")]
    document = rest.model_dump(mode="json")
    whole = all(_freed(p, entry) for p in document["populations"] if p["maker"].get("on") == population)
    document = _mapped(document, lambda part: _unread(part, population))
    instead = ("Let them stand by themselves", _scene(document)) if readers and whole else None
    return Removal(f"{entry.name}", readers, rest, instead)


def _entry(scene: Scene, population: str) -> PopulationDocument:
    for entry in scene.populations:
        if entry.id == population:
            return entry
    raise no_population(population, "id")


def _scene(document: dict[str, Any]) -> Scene:
    return parse(Scene, document)


def _looks(
    document: dict[str, Any], scene: Scene, entry: PopulationDocument, shared: bool
) -> Iterator[tuple[str, dict[str, Any]]]:
    """The looks that can read the signal, each with what it is called: one, or for a shared one all."""
    if entry.wears is not None and not shared:
        yield entry.wears, next(s["look"] for s in document["looks"] if s["name"] == entry.wears)
        return
    for p in document["populations"]:
        if p["id"] == entry.id if not shared else p["wears"] is None:
            yield p["name"], p["look"]
    if shared:
        yield from ((s["name"], s["look"]) for s in document["looks"])


def _drop(document: dict[str, Any], scene: Scene, entry: PopulationDocument, name: str, shared: bool) -> None:
    if shared:
        document["signals"] = [s for s in document["signals"] if s["name"] != name]
        return
    for _, look in _looks(document, scene, entry, shared):
        look["signals"] = [s for s in look["signals"] if s["name"] != name]


def _said(look: dict[str, Any], name: str, where: str) -> list[str]:
    """Where a look reads a signal, in words."""
    parsed = parse(Look, look)
    found = []
    for word, lane in parsed.lanes.items():
        if renamed(lane, "signal", name, "\u0001") != lane:
            found.append(f"{CHANNELS[word].title} of {where} reads it.")
    for signal in parsed.signals:
        if renamed(signal, "signal", name, "\u0001") != signal:
            found.append(f"The signal {signal.name!r} of {where} reads it.")
    return found


def _inlined(part: Any, name: str, chain: list[dict[str, Any]]) -> Any:
    """The same with a chain in place of each step that reads the signal."""
    if isinstance(part, dict):
        return {key: _inlined(value, name, chain) for key, value in part.items()}
    if not isinstance(part, list):
        return part
    found: list[Any] = []
    for item in part:
        kind = _kind(item)
        if kind is not None and kind.signal_read(item) == name:
            on = item.get("enabled", True)
            found += [{**step, "enabled": step.get("enabled", True) and on} for step in chain]
        else:
            found.append(_inlined(item, name, chain))
    return found


def _mapped(part: Any, change: Callable[[dict[str, Any]], dict[str, Any]]) -> Any:
    if isinstance(part, dict):
        return change({key: _mapped(value, change) for key, value in part.items()})
    return [_mapped(item, change) for item in part] if isinstance(part, list) else part


def _kind(part: Any) -> type[Step] | None:
    """The kind of step that a part of a document is; None where it is none."""
    return STEPS.get(part.get("step", "")) if isinstance(part, dict) else None


def _unread(part: dict[str, Any], population: str) -> dict[str, Any]:
    kind = _kind(part)
    return part if kind is None else kind.detached(part, population)


def _grounded(part: dict[str, Any]) -> dict[str, Any]:
    kind = _kind(part)
    return part if kind is None else kind.ungrounded(part)


def _freed(entry: dict[str, Any], below: PopulationDocument) -> bool:
    """Let a population stand on a surface of its own, where the one below stood; whether that is possible."""
    maker = entry["maker"]
    if "surface" not in maker and not MAKERS[maker["maker"]].placed_by_itself:
        return False
    maker["on"] = None
    for reading in ("density", "length_by"):
        if reading in maker:
            maker[reading] = None
    if entry["place"] == PopulationDocument.model_fields["place"].default.model_dump(mode="json"):
        entry["place"] = below.place.model_dump(mode="json")
    surface = getattr(below.maker, "surface", None)
    if isinstance(surface, str) and surface in ("beetle", "ball", "ring", "sheet") and "surface" in maker:
        maker["surface"] = surface
    if entry["wears"] is None:
        entry["look"] = _mapped(entry["look"], _grounded)
    return True
