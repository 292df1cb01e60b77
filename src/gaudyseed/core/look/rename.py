"""Renaming a signal or a dial, with every use of it."""

from __future__ import annotations

import ast
from collections.abc import Collection, Mapping
from typing import Any, Literal

from ..documents import parse
from ..errors import BadInput
from ..formula import BLANKS, CONSTANTS
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


def renamed_in_formula(text: str, old: str, new: str) -> str:
    """The formula with one name in place of another; all else stays as it was typed."""
    data = text.encode()
    tree = ast.parse(text.translate(BLANKS).rstrip(), mode="eval")
    plain = new.isidentifier() and new not in CONSTANTS and new not in ("and", "or", "not", "if", "else", "in", "is")
    called = {id(n.func) for n in ast.walk(tree) if isinstance(n, ast.Call)}
    swaps: list[tuple[int, int, str]] = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Name) and node.id == old and id(node) not in called:
            swaps.append((node.col_offset, node.end_col_offset or 0, new if plain else f'value("{new}")'))
        elif isinstance(node, ast.Constant) and node.value == old:
            swaps.append((node.col_offset, node.end_col_offset or 0, f'"{new}"'))
    for start, end, word in sorted(swaps, reverse=True):
        data = data[:start] + word.encode() + data[end:]
    return data.decode()
