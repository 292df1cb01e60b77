"""Renaming a signal or a dial, with every use of it."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import TypeVar

from ..documents.document import Document, parse
from ..documents.references import renamed
from ..errors import BadInput, no_population
from ..painting.painted import Painted
from ..scene.assets import Asset
from ..scene.dials import Dial
from ..scene.markers import Marker
from ..scene.model import PopulationDocument, Scene, SharedLook
from .model import Look, Signal

Named = TypeVar("Named", Signal, Dial, SharedLook, Marker, Asset, Painted)


def rename_signal(look: Look, old: str, new: str) -> Look:
    """The look with the signal called ``new`` wherever it was called ``old``: in steps, parameters and formulas.

    Raises
    ------
    BadInput
        Where there is no such signal, or the new name is taken or cannot be one.
    """
    _check("signal", "signals", [s.name for s in look.signals], old, new)
    found: Look = renamed(look, "signal", old, new)
    return _checked(Look, found.model_copy(update={"signals": _called(found.signals, old, new)}))


def rename_dial(scene: Scene, old: str, new: str, carried: Mapping[str, Collection[str]]) -> Scene:
    """The scene with the dial called ``new`` wherever it was called ``old``, in all populations.

    Parameters
    ----------
    carried
        For each population's id the names of its attributes, which formulas read before dials.

    Raises
    ------
    BadInput
        Where there is no such dial, the new name is taken or cannot be one, or a formula
        would read something else by it.
    """
    _check("dial", "dials", [d.name for d in scene.dials], old, new)
    changes = {
        "dials": _called(scene.dials, old, new),
        "populations": tuple(_dialled(p, scene, old, new, carried) for p in scene.populations),
        "looks": tuple(_look_dialled(s, scene, old, new, carried) for s in scene.looks),
        "signals": renamed(scene.signals, "dial", old, new, not _carry(scene.populations, carried, old)),
    }
    return _checked(Scene, scene.model_copy(update=changes))


def rename_look(scene: Scene, old: str, new: str) -> Scene:
    """The scene with one of its looks called ``new``, for all populations that wear it."""
    _check("look", "looks", [s.name for s in scene.looks], old, new)
    found: Scene = renamed(scene, "look", old, new)
    return _checked(Scene, found.model_copy(update={"looks": _called(found.looks, old, new)}))


def rename_marker(scene: Scene, old: str, new: str) -> Scene:
    """The scene with a marker called ``new`` wherever something goes along with it."""
    _check("marker", "markers", [m.name for m in scene.markers], old, new)
    found: Scene = renamed(scene, "marker", old, new)
    return _checked(Scene, found.model_copy(update={"markers": _called(found.markers, old, new)}))


def rename_painted(scene: Scene, population: str, old: str, new: str) -> Scene:
    """The scene with a painted column of a population called ``new`` wherever the look that it wears reads it."""
    entry = next((p for p in scene.populations if p.id == population), None)
    if entry is None:
        raise no_population(population, "population")
    _check("painted column", "painted", [p.name for p in entry.painted], old, new)
    change = {"painted": _called(entry.painted, old, new)}
    if entry.wears is None:
        change["look"] = renamed(entry.look, "attribute", old, new)
    looks = tuple(
        s.model_copy(update={"look": renamed(s.look, "attribute", old, new)}) if s.name == entry.wears else s
        for s in scene.looks
    )
    populations = tuple(p.model_copy(update=change) if p is entry else p for p in scene.populations)
    return _checked(Scene, scene.model_copy(update={"populations": populations, "looks": looks}))


def rename_asset(scene: Scene, old: str, new: str) -> Scene:
    """The scene with a picture called ``new`` wherever it is read."""
    _check("picture", "assets", [a.name for a in scene.assets], old, new)
    found: Scene = renamed(scene, "asset", old, new)
    return _checked(Scene, found.model_copy(update={"assets": _called(found.assets, old, new)}))


def rename_shared_signal(scene: Scene, old: str, new: str) -> Scene:
    """The scene with one of its signals called ``new`` wherever a look reads it.

    A look that has a signal of its own by the old name reads that one, and stays as it is; one that has one by the new
    name would hide the scene's, and is refused.
    """
    _check("signal", "signals", [s.name for s in scene.signals], old, new)

    def changed(look: Look, where: str) -> Look:
        own = [s.name for s in look.signals]
        if old in own:
            return look
        found: Look = renamed(look, "signal", old, new)
        if new in own and found != look:
            raise BadInput(
                f"{where} has a signal {new!r} of its own, which would hide this one. Choose another name.",
                place="signals", code="name_taken",
            )  # fmt: skip
        return found

    changes = {
        "signals": _called(renamed(scene.signals, "signal", old, new), old, new),
        "populations": tuple(p.model_copy(update={"look": changed(p.look, p.name)}) for p in scene.populations),
        "looks": tuple(s.model_copy(update={"look": changed(s.look, s.name)}) for s in scene.looks),
    }
    return _checked(Scene, scene.model_copy(update=changes))


def _check(what: str, place: str, names: list[str], old: str, new: str) -> None:
    if old not in names:
        raise BadInput(f"There is no {what} {old!r}.", place=place, code=f"unknown_{what}")
    if new != old and new in names:
        raise BadInput(f"There is a {what} {new!r} already. Choose another name.", place=place, code="name_taken")


def _called(items: tuple[Named, ...], old: str, new: str) -> tuple[Named, ...]:
    return tuple(item.model_copy(update={"name": new}) if item.name == old else item for item in items)


def _checked(model: type[Document], changed: Document):  # type: ignore[no-untyped-def]
    """The changed document, checked anew: the name may be none, or a text too long."""
    return parse(model, changed.model_dump(mode="json"))


def _carry(populations: tuple[PopulationDocument, ...], carried: Mapping[str, Collection[str]], name: str) -> bool:
    """Whether one of these populations has an attribute of that name."""
    return any(name in carried[p.id] for p in populations)


def _dialled(
    entry: PopulationDocument, scene: Scene, old: str, new: str, carried: Mapping[str, Collection[str]]
) -> PopulationDocument:
    """A population with the dial renamed in what makes it and in its own look."""
    before = {*carried[entry.id], *(s.name for s in entry.look.signals), *(s.name for s in scene.signals)}
    look = renamed(entry.look, "dial", old, new, old not in before)
    _check_hidden(look, entry.look, entry.name, before, old, new)
    return renamed(entry, "dial", old, new, False).model_copy(update={"look": look})


def _look_dialled(
    shared: SharedLook, scene: Scene, old: str, new: str, carried: Mapping[str, Collection[str]]
) -> SharedLook:
    """The same for a look of the scene, which several populations may wear."""
    worn = [name for p in scene.populations if p.wears == shared.name for name in carried[p.id]]
    before = {*worn, *(s.name for s in shared.look.signals), *(s.name for s in scene.signals)}
    look = renamed(shared.look, "dial", old, new, old not in before)
    _check_hidden(look, shared.look, shared.name, before, old, new)
    return shared.model_copy(update={"look": look})


def _check_hidden(look: Look, was: Look, where: str, before: Collection[str], old: str, new: str) -> None:
    """BadInput where a formula would read something else by the dial's new name."""
    if new in before and look != renamed(was, "dial", old, new, False):
        raise BadInput(
            f"A formula of {where} reads this dial, but there {new!r} is a value of the elements. "
            "Choose another name.",
            place="dials", code="name_taken",
        )  # fmt: skip
