"""Typed paths in documents: what lies where, such as ``lanes.base_colour.layers[0].paint[1]``.

A path is a tuple of keys: names of fields or of entries of a mapping, and indices of lists. The page has the
same rules (``frontend/src/state/paths.ts``); ``tests/core/data/paths.json`` holds both to them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel

from ..errors import BadInput, PatchOperation

Path = tuple[str | int, ...]

_KEY = re.compile(r"(?:^|\.)([^.\[\]]+)|\[(\d{1,9})\]")


def parse_path(text: str) -> Path:
    """The keys of a path's text; BadInput where it is none.

    >>> parse_path("signals[1].chain[2]")
    ('signals', 1, 'chain', 2)
    """
    keys: list[str | int] = []
    end = 0
    for found in _KEY.finditer(text):
        if found.start() != end:
            break
        keys.append(found[1] if found[2] is None else int(found[2]))
        end = found.end()
    if end != len(text):
        raise BadInput(f"{text[:200]!r} is no path.", place="place", code="unknown_place")
    return tuple(keys)


def path_text(path: Path) -> str:
    """The text of a path.

    >>> path_text(("signals", 1, "chain", 2))
    'signals[1].chain[2]'
    """
    text = ""
    for key in path:
        text += f"[{key}]" if isinstance(key, int) else f".{key}" if text else key
    return text


def pointer(text: str) -> str:
    """The JSON Pointer (RFC 6901) of a path's text.

    >>> pointer("lanes.base_colour.layers[0].paint[1]")
    '/lanes/base_colour/layers/0/paint/1'
    """
    escaped = (str(key).replace("~", "~0").replace("/", "~1") for key in parse_path(text))
    return "".join(f"/{key}" for key in escaped)


def replacing(text: str, value: object) -> PatchOperation:
    """The JSON Patch operation (RFC 6902) that puts a value at a path."""
    return {"op": "replace", "path": pointer(text), "value": value}


def resolve(document: BaseModel, text: str) -> Any:
    """What lies at a path of a checked document; BadInput where there is nothing."""
    found: Any = document
    for key in parse_path(text):
        if not _has(found, key):
            raise BadInput(f"There is nothing at {text[:200]!r}.", place="place", code="unknown_place")
        found = getattr(found, str(key)) if isinstance(found, BaseModel) else found[key]
    return found


def _has(holder: Any, key: str | int) -> bool:
    if isinstance(key, int):
        return isinstance(holder, tuple) and key < len(holder)
    if isinstance(holder, BaseModel):
        return key in type(holder).model_fields
    return isinstance(holder, Mapping) and key in holder


def placed(document: Any, path: Path, value: Any) -> Any:
    """A copy of plain JSON with something else at a path; what lies beside it is shared."""
    if not path:
        return value
    key, rest = path[0], path[1:]
    copy: Any = list(document) if isinstance(document, list) else dict(document)
    copy[key] = placed(copy[key], rest, value)
    return copy


def path_of(location: tuple[str | int, ...], value: Any, missing: bool = False) -> Path:
    """The path of a pydantic error in the value that was checked.

    A location also names the branches of unions that were tried; these are no keys. Whatever is no key of
    the value, walked along, is left out, but for the name of a key that is missing.
    """
    path: list[str | int] = []
    for k, part in enumerate(location):
        last = missing and k == len(location) - 1
        inside = isinstance(value, Mapping) and part in value and not _tag(value, part, location[k + 1 :])
        if isinstance(part, int) and isinstance(value, list | tuple):
            path.append(part)
            value = value[part] if part < len(value) else None
        elif inside or last:
            path.append(part)
            value = value[part] if inside else None
    return tuple(path)


def _tag(value: Mapping[str, Any], part: str | int, rest: tuple[str | int, ...]) -> bool:
    """Whether a name that is a key too stands for the branch of a union: then the next one is a key beside it."""
    return part in (value.get("step"), value.get("maker")) and bool(rest) and rest[0] in value
