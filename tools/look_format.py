"""Write the table of every step's parameters into docs/look-format.md, from the registered classes.

``.venv/bin/python tools/look_format.py`` writes it; a stale table fails the tests.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pydantic import BaseModel

import gaudyseed.core.look.steps  # noqa: F401 - first, since what steps share imports them
from gaudyseed.core.look.curved import CurvePoint
from gaudyseed.core.look.material import ElementPicture, Finish, Shape, Version
from gaudyseed.core.look.steps import STEPS
from gaudyseed.core.look.steps.ramp import Stop
from gaudyseed.core.palette import Swatch
from gaudyseed.web.api.steps import controls

PAGE = Path(__file__).resolve().parent.parent / "docs" / "look-format.md"
_BEGIN, _END = "<!-- parameters: written by tools/look_format.py -->\n", "<!-- end -->"
_FOLLOWS = {"signal": "signal or dial", "colour": "signal or dial", "dial": "dial"}
_PARTS = {
    "a stop": Stop, "a point of a curve": CurvePoint, "a swatch": Swatch, "a finish": Finish, "a shape": Shape,
    "a picture on elements": ElementPicture, "its versions": Version,
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
        follows = _FOLLOWS.get(given.get("follow", ""), "") or (
            "each: signal or dial" if "Follow" in str(given) else ""
        )
        rows.append(f"| {name} | `{key}` | {default} | {_values(given)} | {follows} |")
    return rows


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
    low, high = number.get("minimum", given.get("minimum")), number.get("maximum", given.get("maximum"))
    unit = given.get("unit", "")
    suffix = "°" if unit == "°" else ""
    if low is None or high is None:
        return "a number or `#rrggbb`"
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
