"""limits: complement, monochrome, and levels that colours are held between."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ...buffers import empty
from ...kernels import grading as kernels
from ...kernels.parallel import over
from ..follow import Follow
from .base import Context, Kind, Share, Step, Value

_Level = Annotated[float, Field(ge=0, le=64)]


class Limits(Step):
    """In this order, on display-encoded values: complement, monochrome, minimum, maximum.

    Complement turns HSV hue half round; monochrome mixes with Rec. 709 luma; minimum and
    maximum hold each channel.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("colour",)
    gives: ClassVar[Kind] = "colour"
    summary: ClassVar[str] = "complement, monochrome, least and greatest level"

    step: Literal["limits"]
    complement: bool = Field(False, title="Complement")
    monochrome: Share | Follow = Field(0.0, title="Monochrome", json_schema_extra={"unit": "share"})
    minimum: Share | Follow = Field(0.0, title="Minimum")
    maximum: _Level | Follow = Field(1.0, title="Maximum")

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n, 3) linear float32."""
        assert incoming is not None
        colours, out = incoming.array, empty(incoming.array.shape)
        settings = [context.numbers(self, name) for name in ("monochrome", "minimum", "maximum")]

        def work(a: int, b: int) -> None:
            parts = [of(a, b) for of in settings]
            kernels.limits(colours[a:b].reshape(-1), self.complement, *parts, out[a:b].reshape(-1))

        over(len(out), work, context.check)
        return Value("colour", out)
