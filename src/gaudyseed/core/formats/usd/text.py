"""Readable USD: words, arrays and primvars as text."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from contextvars import ContextVar

import numpy as np

from ...channels import CHANNELS
from ...population import Attribute
from ..columns import Results
from ..lines import number_lines

_TYPES = {"f4": "float", "f8": "double", "i1": "int", "u1": "int", "i2": "int", "u2": "int", "i4": "int", "u4": "uint",
          "i8": "int64"}  # fmt: skip


USD_NAMES = {"uv": "st", "colour": "original_color", "original_colour": "original_color", "normal": "normals"}


#: While a binary file is written: its arrays, which go to the other process as bytes. In the text stands the number of
#: each as an array of one element.
binary_arrays: ContextVar[list[np.ndarray] | None] = ContextVar("arrays of a binary file", default=None)


def usd_name(name: str) -> str:
    """A name as USD allows it."""
    plain = re.sub(r"[^A-Za-z0-9_]+", "_", name).strip("_") or "population"
    return plain if not plain[0].isdigit() else f"_{plain}"


def listed(values: np.ndarray) -> str:
    """An array in brackets, vectors in parentheses; numbers with digits that read back exactly."""
    columns = [values] if values.ndim == 1 else [values[:, k] for k in range(values.shape[1])]
    before, after = (b"", b", ") if values.ndim == 1 else (b"(", b"), ")
    rows = number_lines(columns, before, b", ", after).text
    return f"[{str(rows[: -len(b', ')], 'ascii')}]"


def array_text(declared: str, values: np.ndarray, more: str = "") -> Iterator[str]:
    yield f"    {declared} = "
    apart = binary_arrays.get()
    if apart is None:
        yield listed(values)
    else:
        yield listed(np.full((1, *values.shape[1:]), len(apart), np.int32))
        apart.append(values)
    yield f"{more}\n"


def primvar(name: str, kind: str, values: np.ndarray, interpolation: str, shown: str = "") -> Iterator[str]:
    yield from array_text(f"{kind}[] primvars:{name}", values, primvar_metadata(interpolation, shown))


def primvar_metadata(interpolation: str, shown: str = "") -> str:
    """What is told of a primvar: where it lives, and its own name where USD does not allow that."""
    named = f"        displayName = {json.dumps(shown, ensure_ascii=False)}\n" if shown else ""
    return f' (\n{named}        interpolation = "{interpolation}"\n    )'


def type_of(a: Attribute) -> str | None:
    """The USD type of an attribute; None for what has none."""
    width = a.width
    scalar = _TYPES[a.values.dtype.str[1:]]
    if a.kind == "colour":
        return f"color{min(width, 4)}f"
    if width == 1:
        return scalar
    if width > 4:
        return None
    role = {"point": "point3f", "direction": "vector3f", "normal": "normal3f"}.get(a.role)
    short = {"float": "f", "double": "d", "int": "i"}.get(scalar)
    return role or (f"{'texCoord2f' if a.name == 'uv' else ('float' if short != 'i' else 'int') + str(width)}")


class PrimvarNames:
    """The names of the primvars of one prim: as the attributes are called, as USD allows it, no two alike."""

    def __init__(self, results: Results | None) -> None:
        self.given = {CHANNELS[word].name for word in results or {}} | {"displayColor"}
        self.given |= {"emission"} if "emission_strength" in (results or {}) else set()
        self._taken = set(self.given)

    def replaced(self, a: Attribute) -> bool:
        """Whether it came in as what a result is written as now: results of an earlier run are replaced."""
        return (USD_NAMES.get(a.name) or usd_name(a.name)) in self.given

    def of(self, a: Attribute) -> tuple[str, str]:
        """The name of an attribute, and its own where that is another one."""
        word = base = USD_NAMES.get(a.name) or usd_name(a.name)
        number = 2
        while word in self._taken:
            word, number = f"{base}_{number}", number + 1
        self._taken.add(word)
        return word, "" if word in (a.name, USD_NAMES.get(a.name)) else a.name


def differing(names: list[str]) -> list[str]:
    """Names that differ: those that come again carry their number."""
    seen: set[str] = set()
    found = []
    for k, name in enumerate(names):
        found.append(name if name not in seen else f"{name}_{k}")
        seen.add(name)
    return found
