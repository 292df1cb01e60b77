"""Any value of the elements as colours for the view: greys, or a scale of false colours."""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np

from .colour.spaces import display_bytes
from .errors import BadInput
from .look.evaluate import Evaluation
from .ramp import Ramp, compile_ramp

Of = Literal["attribute", "signal", "step"]
Scale = Literal["greys", "false_colour"]

#: The scale of false colours: lightness rises evenly in OKLab while hue goes round, so that it also reads as greys.
_SCALE = ("#1b1440", "#1f4e8c", "#1f8f8a", "#7fbf4d", "#f2d544", "#fff6dc")


@lru_cache(maxsize=1)
def _scale() -> Ramp:
    return compile_ramp(np.linspace(0, 1, len(_SCALE)), _SCALE, "linear", "oklab")


def preview(evaluation: Evaluation, of: Of, name: str, scale: Scale) -> np.ndarray:
    """(n, 3) uint8 display-encoded colours of a value, from its least to its greatest.

    Vectors of three show their last component (height, for places), other vectors their
    length; colours are shown as they are; of texts each has a step of the scale, in the
    order of the alphabet.

    Raises
    ------
    BadInput
        Where there is no such value.
    """
    kind, values = _found(evaluation, of, name)
    if kind == "colour":
        return display_bytes(values)
    numbers = values if values.ndim == 1 else np.linalg.norm(values, axis=1)
    if values.ndim == 2 and values.shape[1] == 3:
        numbers = values[:, 2]
    numbers = numbers.astype(np.float64)
    low, high = (numbers.min(), numbers.max()) if len(numbers) else (0.0, 1.0)
    scaled = (numbers - low) / (high - low) if high > low else np.full(len(numbers), 0.5)
    if scale == "false_colour":
        return display_bytes(_scale().colours_of(scaled.astype(np.float32)))
    return np.repeat((20 + 225 * scaled).astype(np.uint8)[:, None], 3, axis=1)


def _found(evaluation: Evaluation, of: Of, name: str) -> tuple[str, np.ndarray]:
    if of == "attribute":
        attribute = evaluation.population.attribute(name, "preview")
        return attribute.kind, attribute.ranks if attribute.kind == "text" else attribute.readable
    if of == "signal":
        evaluation.scope.signal_kind(name, "preview")
        value = evaluation.signal_values[name]
        return value.kind, value.array
    for result in evaluation.steps:
        if result.place == name:
            return result.value.kind, result.value.array
    raise BadInput(f"There is no step that is on at {name!r}.", place="preview", code="unknown_place")
