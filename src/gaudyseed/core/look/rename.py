"""Renaming a signal, with every use of it."""

from __future__ import annotations

import ast
from typing import Any

from ..documents import parse
from ..errors import BadInput
from ..formula import BLANKS, CONSTANTS
from .model import Look


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
    return parse(Look, _renamed(look.model_dump(mode="json"), old, new))


def _renamed(value: Any, old: str, new: str) -> Any:
    if isinstance(value, list):
        return [_renamed(v, old, new) for v in value]
    if not isinstance(value, dict):
        return value
    found = {k: _renamed(v, old, new) for k, v in value.items()}
    if found.get("signal") == old:
        found["signal"] = new
    names_a_signal = found.get("step") == "signal" or ("chain" in found and "step" not in found)
    if names_a_signal and found.get("name") == old:
        found["name"] = new
    if found.get("step") == "formula":
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
