"""clamp: colours held between a least and a greatest level."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ...buffers import empty
from ...kernels import grading as kernels
from ...kernels.parallel import over
from ..follow import Follow
from .base import Context, Kind, Share, Step, Value

_Level = Annotated[float, Field(ge=0, le=64)]


class Clamp(Step):
    """Each display-encoded channel held at the least and the greatest level; where these cross, the greatest holds."""

    takes: ClassVar[tuple[Kind, ...]] = ("colour",)
    gives: ClassVar[Kind] = "colour"
    summary: ClassVar[str] = "least and greatest level of colours"

    step: Literal["clamp"]
    least: Share | Follow = Field(0.0, title="Least")
    greatest: _Level | Follow = Field(1.0, title="Greatest")

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n, 3) linear float32."""
        assert incoming is not None
        colours, out = incoming.array, empty(incoming.array.shape)
        low, high = context.numbers(self, "least"), context.numbers(self, "greatest")

        def work(a: int, b: int) -> None:
            kernels.clamp(colours[a:b].reshape(-1), low(a, b), high(a, b), out[a:b].reshape(-1))

        over(len(out), work, context.check)
        return Value("colour", out)
