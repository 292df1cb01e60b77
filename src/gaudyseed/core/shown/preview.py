"""Any value of the elements as colours for the view: greys, or a scale of false colours."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Literal

import numpy as np

from ..channels import CHANNELS
from ..colour.spaces import display_bytes
from ..errors import BadInput
from ..look.results import Evaluation
from ..ramps.ramp import Ramp, compile_ramp
from ..vectors import lengths

Of = Literal["attribute", "signal", "step", "channel"]
Scale = Literal["greys", "false_colour"]

#: The part of the elements, half of it at either end, that a scale may leave out.
OUTERMOST = 0.01
#: Colours of the scale that is drawn.
BAR = 64

#: The scale of false colours: lightness rises evenly in OKLab while hue goes round, so that it also reads as greys.
_SCALE = ("#1b1440", "#1f4e8c", "#1f8f8a", "#7fbf4d", "#f2d544", "#fff6dc")


@lru_cache(maxsize=1)
def _scale() -> Ramp:
    return compile_ramp(np.linspace(0, 1, len(_SCALE)), _SCALE, "straight", "oklab")


@dataclass(frozen=True)
class Shown:
    """A value as colours: (n, 3) uint8 ``levels``, and the numbers that the ends of the scale stand for.

    ``bar`` (m, 3) uint8 is the scale from end to end; ``ends`` are None for colours and texts, which
    have none. ``trimmed`` is the part of the elements that lies beyond the ends.
    """

    levels: np.ndarray
    ends: tuple[float, float] | None = None
    bar: np.ndarray = field(default_factory=lambda: np.empty((0, 3), np.uint8))
    trimmed: float = 0.0


def preview(evaluation: Evaluation, of: Of, name: str, scale: Scale, weight: bool = False) -> Shown:
    """A value of the elements as greys or false colours, display-encoded, from its least to its greatest.

    Of a ``weight``, which is painted, the scale holds 0 and 1 whatever is there yet: what is bare is dark.

    Where the outermost 1 % of the elements would take more than half of the scale, the scale
    runs between them instead. Vectors of three show their last component (height, for places), other vectors their
    length; colours are shown as they are; of texts each has a step of the scale, in the
    order of the alphabet.

    Raises
    ------
    BadInput
        Where there is no such value.
    """
    kind, values = _found(evaluation, of, name)
    if kind == "colour":
        return Shown(display_bytes(values))
    numbers = values if values.ndim == 1 else lengths(values)
    if values.ndim == 2 and values.shape[1] == 3:
        numbers = values[:, 2]
    numbers = numbers.astype(np.float64)
    low, high, trimmed = (numbers.min(initial=0.0), numbers.max(initial=1.0), 0.0) if weight else _ends(numbers)
    scaled = np.clip((numbers - low) / (high - low), 0, 1) if high > low else np.full(len(numbers), 0.5)
    ends = None if kind == "text" else (float(low), float(high))
    return Shown(_levels(scaled, scale), ends, _levels(np.linspace(0, 1, BAR), scale), trimmed)


def _levels(scaled: np.ndarray, scale: Scale) -> np.ndarray:
    """(n, 3) uint8 colours of numbers in 0..1."""
    if scale == "false_colour":
        return display_bytes(_scale().colours_of(scaled.astype(np.float32)))
    return np.repeat((20 + 225 * scaled).astype(np.uint8)[:, None], 3, axis=1)


def _ends(numbers: np.ndarray) -> tuple[float, float, float]:
    """The numbers that a scale runs between, and the part of the elements beyond them."""
    if not len(numbers):
        return 0.0, 1.0, 0.0
    low, high = float(numbers.min()), float(numbers.max())
    inner, outer = (float(q) for q in np.quantile(numbers, [OUTERMOST / 2, 1 - OUTERMOST / 2]))
    if not 0 < outer - inner < (high - low) / 2:
        return low, high, 0.0
    return inner, outer, float(((numbers < inner) | (numbers > outer)).mean())


def _found(evaluation: Evaluation, of: Of, name: str) -> tuple[str, np.ndarray]:
    if of == "attribute":
        attribute = evaluation.population.elements.attribute(name, "preview")
        if attribute.kind != "colour" and attribute.values.ndim == 1 and any(attribute.beyond):
            return attribute.kind, attribute.precise()
        return attribute.kind, attribute.ranks if attribute.kind == "text" else attribute.readable
    if of == "signal":
        evaluation.scope.signal_kind(name, "preview")
        value = evaluation.signal_values[name]
        return value.kind.word, value.array
    if of == "channel":
        if name not in CHANNELS:
            raise BadInput(f"There is no channel {name!r}.", place="preview", code="unknown_channel")
        return CHANNELS[name].kind.word, CHANNELS[name].held(evaluation.channel(name))
    result = evaluation.step_at(name)
    if result is not None:
        value = result.value
        return value.kind.word, value.array if value.exact is None else value.exact
    raise BadInput(f"There is no step that is on at {name!r}.", place="preview", code="unknown_place")
