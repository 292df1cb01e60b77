"""Paths in a look, such as ``lanes.base_colour.layers[0].paint[1]``."""

from __future__ import annotations

import re
from typing import Any

from ..errors import BadInput
from .evaluate import Evaluation
from .model import Look
from .steps import Step


def step_at(look: Look, place: str) -> Step:
    """The step at a place, as it is written; BadInput where there is none."""
    found: Any = look
    for key in place.replace("]", "").replace("[", ".").split("."):
        if isinstance(found, tuple) and re.fullmatch("[0-9]{1,6}", key) and int(key) < len(found):
            found = found[int(key)]
        elif not isinstance(found, tuple) and key in getattr(type(found), "model_fields", {}):
            found = getattr(found, key)
        else:
            raise BadInput(f"There is nothing at {place!r}.", place="place", code="unknown_place")
    if not isinstance(found, Step):
        raise BadInput(f"There is no step at {place!r}.", place="place", code="unknown_place")
    return found


def step_of(evaluation: Evaluation, place: str) -> Step | None:
    """The step that ran at a place, with its dials put in."""
    return next((r.compiled.step for r in evaluation.steps if r.place == place), None)
