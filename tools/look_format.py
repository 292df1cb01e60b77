"""Write the table of every step's parameters into docs/look-format.md, from the registered classes.

``.venv/bin/python tools/look_format.py`` writes it; a stale table fails the tests.
"""

from __future__ import annotations

from pathlib import Path
from types import UnionType
from typing import Annotated, Any, Union, get_args, get_origin

from pydantic import BaseModel

import gaudyseed.core.look.steps  # noqa: F401 - first, since what steps share imports them
from gaudyseed.core.look.material import ElementPicture, Finish, Output, Shape, Version
from gaudyseed.core.look.model import Lane, Layer, Signal
from gaudyseed.core.look.step.curved import CurvePoint
from gaudyseed.core.look.steps import STEPS
from gaudyseed.core.look.steps.ramp import Stop
from gaudyseed.core.palette import Swatch
from gaudyseed.core.scene.cameras import Camera
from gaudyseed.core.scene.dials import Dial, DialKey
from gaudyseed.core.scene.follow import Follow, FollowColour, FollowDial, FollowMarker
from gaudyseed.core.scene.markers import Marker, MarkerKey
from gaudyseed.core.scene.timeline import Timeline
from gaudyseed.web.api.steps import controls

PAGE = Path(__file__).resolve().parent.parent / "docs" / "look-format.md"
_BEGIN, _END = "<!-- parameters: written by tools/look_format.py -->\n", "<!-- end -->"
#: What a parameter may follow, by the documents that its type allows.
_FOLLOWS = ((Follow, "signal or dial"), (FollowColour, "signal or dial"), (FollowMarker, "dial or marker"),
            (FollowDial, "dial"))  # fmt: skip
_PARTS: dict[str, type[BaseModel]] = {
    "a stop": Stop, "a point of a curve": CurvePoint, "a swatch": Swatch, "a finish": Finish, "a shape": Shape,
    "a picture on elements": ElementPicture, "its versions": Version, "a lane": Lane, "a layer": Layer,
    "a signal": Signal, "an output": Output, "a dial": Dial, "a key of a dial": DialKey, "a marker": Marker,
    "a key of a marker": MarkerKey, "the timeline": Timeline, "a camera": Camera,
}  # fmt: skip


def table() -> str:
    """The table as Markdown."""
    lines = ["| of | key | default | values | follows |", "|---|---|---|---|---|"]
    for name, model in [(f"`{word}`", step) for word, step in sorted(STEPS.items())] + list(_PARTS.items()):
        lines += _rows(name, model)
    return "\n".join(lines) + "\n"


def _rows(name: str, model: type[BaseModel]) -> list[str]:
    rows = []
    for key, given in controls(model)["properties"].items():
        if key in ("step", "enabled"):
            continue
        default = f"`{_text(given['default'])}`" if "default" in given else "wanted"
        rows.append(f"| {name} | `{key}` | {default} | {_taken(model, key, given)} | {follows(model, key)} |")
    return rows


def _taken(model: type[BaseModel], key: str, given: dict[str, Any]) -> str:
    """What a parameter takes, in words: documents of its own, one of several kinds, or plain values."""
    parts = [part for part in _parts_of(model.model_fields[key].annotation) if part is not type(None)]
    own = [p for p in parts if isinstance(p, type) and issubclass(p, BaseModel) and p.__name__[:6] != "Follow"]
    if own:
        return f"a document: {', '.join(f'`{name}`' for name in own[0].model_fields)}"
    plain = [part for part in parts if part in (bool, float, str)]
    if len(plain) > 1:
        words = {bool: "true or false", float: "a number", str: "`#rrggbb`"}
        return ", ".join(words[part] for part in plain)
    return _values(given)


def follows(model: type[BaseModel], key: str) -> str:
    """What a parameter may follow, from its type; empty for nothing. Of tuples each number does."""
    parts = _parts_of(model.model_fields[key].annotation)
    for document, words in _FOLLOWS:
        if any(part is document for part in parts):
            return words
    inner = [_parts_of(part) for whole in parts if get_origin(whole) is tuple for part in get_args(whole)]
    for document, words in _FOLLOWS:
        if any(part is document for of in inner for part in of):
            return f"each: {words}"
    return ""


def _parts_of(kind: Any) -> list[Any]:
    """The types of a union, without what is annotated beside them."""
    if get_origin(kind) is Annotated:
        return _parts_of(get_args(kind)[0])
    if get_origin(kind) in (Union, UnionType):
        return [part for of in get_args(kind) for part in _parts_of(of)]
    return [kind]


def _text(value: Any) -> str:
    if isinstance(value, dict):
        return "{" + ", ".join(f"{k}: {_text(v)}" for k, v in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(_text, value)) + "]"
    return str(value).lower() if isinstance(value, bool) else str(value)


def _values(given: dict[str, Any]) -> str:
    """What a parameter takes, in words."""
    if "enum" in given:
        return ", ".join(f"`{v}`" for v in given["enum"])
    kind = given.get("type")
    if kind == "boolean":
        return "true or false"
    if kind == "array":
        low, high = given.get("minItems", 0), given.get("maxItems", "")
        if "prefixItems" in given:
            return f"{low} numbers, each {_limits(_plain(given['prefixItems'][0]), given)}"
        return f"{low} to {high} items" if high else "items"
    if kind == "string":
        hexadecimal = "0-9a-fA-F" in given.get("pattern", "")
        return "`#rrggbb`" if hexadecimal else f"text, {given.get('minLength', 0)} to {given.get('maxLength', '')}"
    return ("whole number, " if kind == "integer" else "") + _limits(given, given)


def _plain(item: dict[str, Any]) -> dict[str, Any]:
    """The branch of a parameter that is a number."""
    return next((b for b in item.get("anyOf", [item]) if b.get("type") == "number"), item)


def _limits(number: dict[str, Any], given: dict[str, Any]) -> str:
    low, high = (number.get(end, given.get(end)) for end in ("minimum", "maximum"))
    if low is None and number.get("exclusiveMinimum") is not None:
        return f"above {_figure(number['exclusiveMinimum'])}, to {_figure(high)}"
    unit = given.get("unit", "")
    suffix = "°" if unit == "°" else ""
    if low is None or high is None:
        return "a number"
    return f"{_figure(low)} to {_figure(high)}{suffix}"


def _figure(value: float) -> str:
    return str(int(value)) if float(value).is_integer() and abs(value) < 1e10 and abs(value) != 1e9 else f"{value:g}"


def page() -> str:
    """The whole page with a fresh table."""
    text = PAGE.read_text()
    before, _, rest = text.partition(_BEGIN)
    return before + _BEGIN + table() + _END + rest.partition(_END)[2]


if __name__ == "__main__":
    PAGE.write_text(page())
