"""The base of all documents, and the way from JSON to checked ones, with errors as sentences that name the place."""

from __future__ import annotations

import difflib
import json
from collections import Counter
from functools import lru_cache
from typing import Any, ClassVar, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from ..errors import BadInput
from .paths import Path, path_of, path_text
from .upgrade import is_old, upgraded

Model = TypeVar("Model", bound=BaseModel)


class Document(BaseModel):
    """Whatever is stored, sent or read from a file: unknown keys are errors that name them, and nothing changes later.

    Models are built when they are first used. Those that hold what is registered (steps, makers, channels) are built
    again by ``rebuild`` after something was registered later.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)
    #: Every document there is, each after those that it holds.
    kinds: ClassVar[list[type[Document]]] = []

    @classmethod
    def __pydantic_init_subclass__(cls, **more: Any) -> None:
        super().__pydantic_init_subclass__(**more)
        Document.kinds.append(cls)

    @classmethod
    def take_registered(cls) -> None:
        """Take in what was registered since; of documents whose parameters are rows of a table."""


def rebuild() -> None:
    """Build all documents anew: a step, maker or channel was registered, or taken away, after they had been used."""
    for kind in Document.kinds:
        # Else those that hold it would go on with the schema that it had.
        if "__pydantic_core_schema__" in kind.__dict__:
            del kind.__pydantic_core_schema__
    for kind in Document.kinds:
        kind.take_registered()
    for kind in Document.kinds:
        kind.model_rebuild(force=True)
    _known_keys.cache_clear()


LARGEST_DOCUMENT = 8 * 1024 * 1024
DEEPEST = 40


def parse_json(data: bytes | str, place: str) -> Any:
    """The value in JSON text; BadInput for anything that is not plain, finite, shallow JSON."""
    if len(data) > LARGEST_DOCUMENT:
        raise BadInput(
            f"The document has {len(data) / 1e6:.1f} MB; at most {LARGEST_DOCUMENT // 2**20} MB are taken. "
            "Leave out some of it: of a sequence bring fewer frames or columns, of a scene fewer populations.",
            place=place,
        )
    try:
        text = data.decode("utf-8-sig") if isinstance(data, bytes) else data
        value = json.loads(text, parse_constant=_no_constant, object_pairs_hook=_no_twice)
        _check_depth(value)
    except UnicodeDecodeError as error:
        raise BadInput(f"Not UTF-8 text (byte {error.start}). Save it as UTF-8.", place=place) from None
    except json.JSONDecodeError as error:
        raise BadInput(
            f"Not JSON: {error.msg} at line {error.lineno}, column {error.colno}.",
            place=f"{place}, line {error.lineno}",
        ) from None
    except RecursionError:
        raise BadInput(f"Nested deeper than {DEEPEST} levels.", place=place, code="too_deep") from None
    except ValueError as error:  # integers of thousands of digits
        raise BadInput(f"Not usable JSON: {error}.", place=place) from None
    return value


def _no_constant(word: str) -> None:
    raise BadInput(f"{word} is not JSON. Write a finite number.")


def _no_twice(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) != len(pairs):
        twice, _ = Counter(name for name, _ in pairs).most_common(1)[0]
        raise BadInput(f"The key {twice[:60]!r} stands twice in one object. Keep one.")
    return found


def _check_depth(value: Any) -> None:
    level = [value]
    for _ in range(DEEPEST):
        level = [
            child
            for item in level
            if isinstance(item, dict | list)
            for child in (item.values() if isinstance(item, dict) else item)
            if isinstance(child, dict | list)
        ]
        if not level:
            return
    raise RecursionError


def parse(model: type[Model], value: Any, place: str = "") -> Model:
    """``value`` as a checked ``model``; BadInput names the first place that is wrong."""
    try:
        return model.model_validate(value)
    except ValidationError as error:
        raise from_validation(error, model, value, place) from None


def from_validation(error: ValidationError, model: type[BaseModel], value: Any, place: str = "") -> BadInput:
    """A BadInput for the first error of a pydantic report about a value."""
    listed = error.errors(include_url=False)
    first = listed[0]
    if first["type"].endswith("_type") and isinstance(first.get("input"), dict):
        # A parameter that follows: what is wrong lies in the object, not in its not being a number.
        meant = {"FollowMarker"} if "marker" in first["input"] else _FOLLOWING - {"FollowMarker"}
        branches = [e for e in listed if set(e["loc"]) & meant] or [e for e in listed if set(e["loc"]) & _FOLLOWING]
        first = next(iter(branches), first)
    cause = first.get("ctx", {}).get("error")
    if isinstance(cause, BadInput) and cause.place:  # found by a reader of a part, which knows the place
        return cause
    return BadInput(
        _sentence(first, model),
        place=".".join(p for p in (place, path_text(_path(first, model, value))) if p),
        code=f"document_{first['type']}",
    )


#: The branches of a parameter's union that follow something.
_FOLLOWING = {"Follow", "FollowColour", "FollowDial", "FollowMarker"}


def _path(error: Any, model: type[BaseModel], value: Any) -> Path:
    """Where an error lies: as in the value, or as in its newer form where the value is of an older version."""
    old = "gaudyseed" in model.model_fields and isinstance(value, dict) and is_old(value)
    return path_of(error["loc"], upgraded(value) if old else value, error["type"] == "missing")


def _sentence(error: Any, model: type[BaseModel]) -> str:
    kind, given, context = error["type"], error.get("input"), error.get("ctx", {})
    last = str(error["loc"][-1]) if error["loc"] else "document"
    shown = repr(given)[:60]
    if kind == "extra_forbidden" and last in ("low", "high") and set(error["loc"]) & {"FollowDial", "FollowMarker"}:
        what = "marker" if "FollowMarker" in error["loc"] else "dial"
        return (
            f"Here the {what}'s own value counts, so {last!r} has no place. Remove low and high, and give the {what} "
            "the value that is wanted."
        )
    if kind == "extra_forbidden":
        near = [n for n in difflib.get_close_matches(last, _known_keys(model), n=3, cutoff=0.6) if n != last][:2]
        hint = f" Nearest: {', '.join(near)}." if near else ""
        return f"{last!r} is not a key here.{hint} Remove it or correct it."
    if kind == "missing":
        return f"{last!r} is missing. Add it."
    if kind == "union_tag_invalid":
        return f"{context['tag']!r} is not known here. There are: {context['expected_tags']}."
    if kind == "union_tag_not_found":
        return f"{context['discriminator']} is missing, which says what this is. Add it."
    if kind == "literal_error":
        return f"{shown} is not one of {context['expected']}."
    if kind == "value_error":
        return f"{str(context['error']).rstrip('.')}."
    if kind == "string_pattern_mismatch" and "0-9a-fA-F" in context.get("pattern", ""):
        return f"{shown} is not a colour. Write six hexadecimal digits after #, such as #d8452f."
    if kind == "string_pattern_mismatch" and last == "name":
        return f"{shown} is no name here. Leave out quotes, brackets and backslashes, and blanks at its ends."
    if kind in ("too_long", "string_too_long"):
        many = len(given) if isinstance(given, str) else context.get("actual_length") or "too many"
        what = "characters" if isinstance(given, str) else "items"
        return f"{last!r} has {many} {what}; at most {context['max_length']} are taken. Leave out some."
    if kind in ("too_short", "string_too_short"):
        many = len(given) if isinstance(given, str) else context.get("actual_length", 0)
        what = "characters" if isinstance(given, str) else "items"
        return f"{last!r} has {many} {what}; at least {context['min_length']} is wanted. Add some."
    return f"{error['msg']}; got {shown}."


@lru_cache(maxsize=64)
def _known_keys(model: type[BaseModel]) -> tuple[str, ...]:
    keys: set[str] = set()

    def collect(schema: Any) -> None:
        if isinstance(schema, dict):
            keys.update(schema.get("properties", {}))
            for child in schema.values():
                collect(child)
        elif isinstance(schema, list):
            for child in schema:
                collect(child)

    collect(model.model_json_schema())
    return tuple(sorted(keys))
