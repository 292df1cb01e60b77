"""Renaming a signal or a dial, with every use of it."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any, Literal

from ..documents import parse
from ..errors import BadInput
from ..formula import renamed_in_formula
from .model import Look, Scene


def rename_signal(look: Look, old: str, new: str) -> Look:
    """The look with the signal called ``new`` wherever it was called ``old``: in steps, parameters and formulas.

    Raises
    ------
    BadInput
        Where there is no such signal, or the new name is taken or cannot be one.
    """
    names = [s.name for s in look.signals]
    if old not in names:
        raise BadInput(f"There is no signal {old!r}.", place="signals", code="unknown_signal")
    if new != old and new in names:
        raise BadInput(f"There is a signal {new!r} already. Choose another name.", place="signals", code="name_taken")
    return parse(Look, _renamed(look.model_dump(mode="json"), "signal", old, new))


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
    names = [d.name for d in scene.dials]
    if old not in names:
        raise BadInput(f"There is no dial {old!r}.", place="dials", code="unknown_dial")
    if new != old and new in names:
        raise BadInput(f"There is a dial {new!r} already. Choose another name.", place="dials", code="name_taken")
    document = scene.model_dump(mode="json")
    for dial in document["dials"]:
        dial["name"] = new if dial["name"] == old else dial["name"]
    for entry in document["populations"]:
        before = {*carried[entry["id"]], *(s["name"] for s in entry["look"]["signals"])}
        look = _renamed(entry["look"], "dial", old, new, old not in before)
        if new in before and look != _renamed(entry["look"], "dial", old, new, False):
            raise BadInput(
                f"A formula of {entry['name']} reads this dial, but there {new!r} is a value of the elements. "
                "Choose another name.",
                place="dials", code="name_taken",
            )  # fmt: skip
        entry["look"] = look
    return parse(Scene, document)


def _renamed(value: Any, kind: Literal["signal", "dial"], old: str, new: str, formulas: bool = True) -> Any:
    """A document in which whatever follows or reads the signal or dial does so by its new name."""
    if isinstance(value, list):
        return [_renamed(v, kind, old, new, formulas) for v in value]
    if not isinstance(value, dict):
        return value
    found = {k: _renamed(v, kind, old, new, formulas) for k, v in value.items()}
    if found.get(kind) == old:
        found[kind] = new
    names_a_signal = found.get("step") == "signal" or ("chain" in found and "step" not in found)
    if kind == "signal" and names_a_signal and found.get("name") == old:
        found["name"] = new
    if formulas and found.get("step") == "formula":
        found["text"] = renamed_in_formula(found["text"], old, new)
    return found
