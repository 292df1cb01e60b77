"""component: one number out of a colour or a vector."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...colour.spaces import saturation
from ...documents.paths import pointer
from ...errors import BadInput, Fix
from ...kernels import components as kernels
from ...kernels.parallel import over
from ...kinds import AXES, NUMBER, Kind, Word, require_axis
from ...plurals import having
from ...reports import census
from ...runtime.buffers import empty
from ...runtime.task import UNWATCHED, Task
from ...vectors import lengths
from ..scope import Scope
from ..step.base import Step
from ..step.reported import Advisory, Outcome, put
from ..step.values import Context, Plan, Value

_NUMBERS = {**AXES, "red": 0, "green": 1, "blue": 2}
_DISPLAY = {"hue": kernels.HUE, "saturation": kernels.SATURATION, "value": kernels.VALUE, "luma": kernels.LUMA}
_OKLCH = {"lightness": 0, "chroma": 1, "oklch_hue": 2}
#: Elements that the parts are compared by.
_SAMPLE = 8192
_OF_VECTORS = ("x", "y", "z", "length")
OF_COLOURS = (
    "hue", "saturation", "value", "luma", "luminance", "red", "green", "blue", "lightness", "chroma", "oklch_hue",
)  # fmt: skip


class Component(Step):
    """One part of a colour or vector as a number.

    Hue (in turns; 0 for greys, which have none), saturation and value are those of
    HSV (A. R. Smith 1978), luma has Rec. 709 weights, all on display-encoded values.
    Red, green, blue and luminance (Rec. 709 weights) are linear light. Lightness,
    chroma and oklch_hue (turns) are OKLCH (Ottosson 2020).
    """

    title: ClassVar[str] = "Component"
    noun: ClassVar[str] = "a component"
    group: ClassVar = "shape"
    takes: ClassVar[tuple[Word, ...]] = ("colour", "vector")
    summary: ClassVar[str] = "one number out of a colour or vector"

    step: Literal["component"]
    part: Literal[
        "hue", "saturation", "value", "luma", "luminance", "red", "green", "blue", "lightness", "chroma",
        "oklch_hue", "x", "y", "z", "length",
    ] = Field("hue", title="Part")  # fmt: skip

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number; the part must belong to what comes in."""
        word = incoming.word if incoming else "number"
        if (word == "vector") != (self.part in _OF_VECTORS):
            fitting = "x, y, z or length" if word == "vector" else "hue, saturation, luma, red, chroma and the like"
            raise BadInput(
                f"A {word} has no part {self.part!r}. Choose {fitting}.", place=f"{place}.part", code="wrong_kind"
            )
        if incoming is not None and word == "vector":
            require_axis(incoming, self.part, f"{place}.part")
        return NUMBER

    @property
    def alone(self) -> bool:
        """Each value by itself."""
        return True

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32."""
        assert incoming is not None
        return Plan(whole=part_of(incoming.array, self.part, context.task))

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """What every part of the incoming colours or vectors would give, from an even sample."""
        if outcome.incoming is None:
            return {}
        source = outcome.incoming.array
        sample = np.ascontiguousarray(source[:: max(1, len(source) // _SAMPLE)])
        parts = parts_of(outcome.incoming.kind)
        return {"parts": {part: census.of_numbers(part_of(sample, part)) for part in parts}}

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """A warning that hue is read from greys."""
        if self.part not in ("hue", "oklch_hue") or outcome.incoming is None:
            return
        colours = outcome.incoming.array
        grey = int((saturation(colours) < 1e-3).sum()) if len(colours) else 0
        if grey:
            sentence = f"{having(grey, 'element', 'is', 'are')} grey, without a hue, which reads as 0."
            fix = Fix("Read luma instead", [put(f"{pointer(outcome.place)}/part", "luma")])
            yield Advisory("hue_of_greys", outcome.place, sentence, (fix,))


def parts_of(kind: Kind) -> tuple[str, ...]:
    """The parts that a colour, or a vector of that width, has."""
    return (*_OF_VECTORS[: min(kind.width, 3)], "length") if kind.word == "vector" else OF_COLOURS


def part_of(source: np.ndarray, part: str, task: Task = UNWATCHED) -> np.ndarray:
    """(n,) float32: one part of each of (n, 3) linear colours or (n, k) vectors."""
    if part == "length":
        return lengths(source)
    if part in _NUMBERS:
        return np.ascontiguousarray(source[:, _NUMBERS[part]])
    if part == "luminance":
        return (source @ np.array(kernels.WEIGHTS)).astype(np.float32)
    out = empty(len(source))
    kernel = kernels.display_part if part in _DISPLAY else kernels.oklch_part
    index = _DISPLAY.get(part, _OKLCH.get(part, 0))
    over(len(out), lambda a, b: kernel(source[a:b].reshape(-1), index, out[a:b]), task)
    return out
