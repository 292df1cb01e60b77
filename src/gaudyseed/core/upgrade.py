"""Documents of version 1 of the format, brought to version 2.

Words of one version are no words of the other, so parts of documents (a chain, a ramp)
that carry no version are upgraded in the same way, and what is new already stays as it is.
"""

from __future__ import annotations

from typing import Any

VERSION = 2

#: What lies between the stops of a ramp: the words of version 1 and those of today.
BETWEEN = {"step": "steps", "linear": "straight", "smooth": "eased", "cardinal": "through", "b_spline": "soft"}
_COMPONENTS = ("hue", "saturation", "lightness", "gamma")


def upgraded(document: Any) -> Any:
    """A look, or any part of one, of either version as one of this version; other JSON comes back as it is.

    >>> upgraded({"step": "drift", "hue": 9, "direction": "above", "seed": 1})
    {'step': 'drift', 'hue': [0.0, 9], 'seed': 1}
    """
    if isinstance(document, list):
        return [step for item in document for step in _steps(upgraded(item))]
    if not isinstance(document, dict):
        return document
    found = {key: upgraded(value) for key, value in document.items()}
    if found.get("gaudyseed") == 1 and not isinstance(found["gaudyseed"], bool):
        found["gaudyseed"] = VERSION
    if found.get("step") == "ramp" and isinstance(found.get("interpolation"), str):
        found["interpolation"] = BETWEEN.get(found["interpolation"], found["interpolation"])
    return _drift(found) if found.get("step") == "drift" else found


def _steps(item: Any) -> list[Any]:
    """What stands in a list in place of an item: ``limits`` becomes one step or two."""
    if not isinstance(item, dict) or item.get("step") != "limits":
        return [item]
    rest = {k: v for k, v in item.items() if k not in ("step", "complement", "monochrome", "minimum", "maximum")}
    shared = {"enabled": item["enabled"]} if "enabled" in item else {}
    clamp = {**rest, "step": "clamp", "least": item.get("minimum", 0.0), "greatest": item.get("maximum", 1.0)}
    turned = {k: item[k] for k in ("complement", "monochrome") if item.get(k)}
    return [{"step": "grade", **shared, **turned}, clamp] if turned else [clamp]


def _drift(step: dict[str, Any]) -> dict[str, Any]:
    """One interval for each component in place of a range, a range below and a direction."""
    old = [f"{name}_below" for name in _COMPONENTS]
    if not {"direction", "separate", *old} & set(step) and not any(_plain(step.get(n)) for n in _COMPONENTS):
        return step
    direction, separate = step.get("direction", "around"), step.get("separate", False)
    found = {k: v for k, v in step.items() if k not in ("direction", "separate", *old)}
    for name in _COMPONENTS:
        if isinstance(step.get(name), list):
            continue
        above = step.get(name, 0.0)
        below = _negative(step.get(f"{name}_below", 0.0) if separate else above)
        interval = {"above": [0.0, above], "below": [0.0, below]}.get(str(direction), [below, above])
        if interval != [0.0, 0.0] and interval != [0, 0]:
            found[name] = interval
        else:
            found.pop(name, None)
    return found


def _plain(value: Any) -> bool:
    return isinstance(value, int | float | dict)


def _negative(value: Any) -> Any:
    """The number, or what a number follows, with the other sign."""
    if isinstance(value, dict):
        return {**value, "low": _negative(value.get("low", 0.0)), "high": _negative(value.get("high", 1.0))}
    return -value if isinstance(value, int | float) and not isinstance(value, bool) else value
