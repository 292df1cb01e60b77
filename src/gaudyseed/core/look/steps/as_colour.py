"""as_colour: the numbers of a vector as red, green and blue."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from ...colour.spaces import decode_srgb
from ...kinds import AXES, COLOUR, Kind, Word, require_axis
from ..scope import Scope
from ..step.base import Step
from ..step.values import Context, Plan, Value

Axis = Literal["x", "y", "z", "w"]
From = Literal["signed", "unit"]


class AsColour(Step):
    """Each of red, green and blue is one number of the vector, held within 0 to 1.

    ``signed`` numbers run from -1 to 1, as those of normals do, ``unit`` ones from 0 to 1. The numbers are levels on
    the display, as pictures of normals are stored (common practice), or linear light.
    """

    title: ClassVar[str] = "As colour"
    noun: ClassVar[str] = "a vector as colour"
    group: ClassVar = "colour"
    takes: ClassVar[tuple[Word, ...]] = ("vector",)
    gives: ClassVar[Kind] = COLOUR
    summary: ClassVar[str] = "the numbers of a vector as red, green and blue"

    step: Literal["as_colour"]
    red: Axis = Field("x", title="Red")
    red_from: From = Field("signed", title="Red from", json_schema_extra={"words": ["-1 to 1", "0 to 1"]})
    green: Axis = Field("y", title="Green")
    green_from: From = Field("signed", title="Green from", json_schema_extra={"words": ["-1 to 1", "0 to 1"]})
    blue: Axis = Field("z", title="Blue")
    blue_from: From = Field("signed", title="Blue from", json_schema_extra={"words": ["-1 to 1", "0 to 1"]})
    levels: Literal["display", "linear"] = Field("display", title="Numbers are")

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A colour; the vector must have the axes."""
        for name in ("red", "green", "blue"):
            axis = getattr(self, name)
            # Of a vector of two, blue reads as 0 where it is left as it comes.
            if incoming is not None and not (axis == "z" and name == "blue"):
                require_axis(incoming, axis, f"{place}.{name}")
        return COLOUR

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n, 3) linear float32 in 0..1."""
        assert incoming is not None
        source = incoming.array
        axes = [(AXES[getattr(self, n)], getattr(self, f"{n}_from") == "signed") for n in ("red", "green", "blue")]

        def fill(a: int, b: int, out: np.ndarray) -> None:
            for k, (axis, signed) in enumerate(axes):
                if axis >= source.shape[1]:
                    out[:, k] = 0
                    continue
                column = source[a:b, axis]
                np.clip(column * np.float32(0.5) + np.float32(0.5) if signed else column, 0, 1, out=out[:, k])
            if self.levels == "display":
                out[:] = decode_srgb(out)

        return Plan(fill)
