"""Documents of version 2 of the format, brought to version 3.

Words of one version are no words of the other, so parts of documents (a chain, a ramp)
that carry no version are upgraded in the same way, and what is new already stays as it is.
"""

from __future__ import annotations

from typing import Any

VERSION = 3
#: Versions that are read.
READ = (2, VERSION)

#: Settings of a grade that come before *value* did, in the order in which it works.
_BEFORE_VALUE = ("gain", "hue_turn", "saturation", "complement", "monochrome")


def is_old(document: dict[str, Any]) -> bool:
    """Whether a document says that it is of version 2, or says nothing."""
    return document.get("gaudyseed", 2) == 2


def upgraded(document: Any) -> Any:
    """A look, or any part of one, of either version as one of this version; other JSON comes back as it is.

    >>> upgraded({"step": "even_out", "frozen": [0, 1]})
    {'step': 'even_out', 'held': [0, 1]}
    """
    if isinstance(document, list):
        return [step for item in document for step in _steps(upgraded(item))]
    if not isinstance(document, dict):
        return document
    found = {key: upgraded(value) for key, value in document.items()}
    if found.get("gaudyseed") == 2 and not isinstance(found["gaudyseed"], bool):
        found["gaudyseed"] = VERSION
    if isinstance(found.get("lanes"), dict):
        found["lanes"] = _renamed(found["lanes"], "lift", "offset")
    if found.get("maker") == "scatter":
        found = _renamed(found, "lift", "offset")
    if found.get("step") == "even_out":
        found = _renamed(found, "frozen", "held")
    if found.get("name") == "lift" and (
        found.get("of") == "channel" or (found.get("step") == "ground" and "of" not in found)
    ):
        found["name"] = "offset"
    return found


def _renamed(of: dict[str, Any], old: str, new: str) -> dict[str, Any]:
    """The same with another key, where it stood; one that has the new key already stays as it is."""
    return of if old not in of or new in of else {new if key == old else key: value for key, value in of.items()}


def _steps(item: Any) -> list[Any]:
    """What stands in a list in place of an item: a grade that moved *value* becomes up to three steps.

    *Value* was added in HSV between monochrome and brightness; a drift of no width does that.
    """
    if not isinstance(item, dict) or item.get("step") != "grade" or "value" not in item:
        return [item]
    rest = {key: setting for key, setting in item.items() if key != "value"}
    value = item["value"]
    if value in (0, None):
        return [rest]
    shared = {"enabled": item["enabled"]} if "enabled" in item else {}
    before = {key: rest[key] for key in _BEFORE_VALUE if key in rest}
    after = {key: setting for key, setting in rest.items() if key not in (*_BEFORE_VALUE, "step", "enabled")}
    moved = {"step": "drift", **shared, "space": "hsv", "lightness": [value, value], "seed": 0}
    found = [{"step": "grade", **shared, **before}] if before else []
    return [*found, moved, *([{"step": "grade", **shared, **after}] if after else [])]
