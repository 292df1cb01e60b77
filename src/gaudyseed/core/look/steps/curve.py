"""curve: number to number through points."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from ...buffers import empty
from ...curves import bezier_polyline, coefficients, monotone_slopes
from ...kernels import shaping
from ...kernels.parallel import over
from ...kernels.ramps import segment_table
from .base import Context, Kind, Step, Value

#: Two points are at least this far apart, so that float32 can tell them apart.
APART = 1e-4


class CurvePoint(BaseModel):
    """A point of the curve; ``left`` and ``right`` are Bezier handles relative to it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    x: float = Field(ge=0, le=1, title="x")
    y: float = Field(ge=0, le=1, title="y")
    left: tuple[float, float] = (-0.1, 0.0)
    right: tuple[float, float] = (0.1, 0.0)

    @field_validator("left", "right")
    @classmethod
    def _within(cls, handle: tuple[float, float]) -> tuple[float, float]:
        if not all(abs(v) <= 4 for v in handle):
            raise ValueError("a handle reaches at most 4 in each direction")
        return handle


class Curve(Step):
    """Through points from left to right, level outside them.

    ``straight`` joins them; ``monotone`` is a cubic without overshoot (Fritsch and
    Carlson 1980); ``bezier`` follows handles.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    summary: ClassVar[str] = "bend the values along a drawn curve"

    step: Literal["curve"]
    interpolation: Literal["straight", "monotone", "bezier"] = Field("monotone", title="Between points")
    points: tuple[CurvePoint, ...] = Field(
        (CurvePoint(x=0, y=0), CurvePoint(x=1, y=1)), min_length=1, max_length=64, title="Points",
        json_schema_extra={"control": "curve"},
    )  # fmt: skip

    @field_validator("points")
    @classmethod
    def _in_order(cls, points: tuple[CurvePoint, ...]) -> tuple[CurvePoint, ...]:
        for k in range(1, len(points)):
            if points[k].x < points[k - 1].x + APART:
                raise ValueError(
                    f"point {k + 1} at {points[k].x:g} does not lie at least {APART:g} to the right of point {k} at "
                    f"{points[k - 1].x:g}. List the points from left to right"
                )
        return points

    def pieces(self) -> tuple[np.ndarray, np.ndarray]:
        """Knots (k,) and rows of coefficients (k + 1, 5), float32."""
        places = np.array([[p.x, p.y] for p in self.points])
        knots, heights = places.T
        slopes = None
        if self.interpolation == "bezier":
            left, right = np.array([p.left for p in self.points]), np.array([p.right for p in self.points])
            knots, heights = bezier_polyline(places, left, right)
            keep = np.concatenate([[True], np.diff(np.maximum.accumulate(knots)) > 1e-7])
            knots, heights = knots[keep], heights[keep]
        elif self.interpolation == "monotone":
            slopes = monotone_slopes(knots, heights)
        return knots.astype(np.float32), coefficients(knots, heights, slopes)

    def heights(self, values: np.ndarray, context: Context | None = None) -> np.ndarray:
        """(n,) float32 heights of the curve at (n,) float32 values, within 0..1."""
        knots, rows = self.pieces()
        table = segment_table(knots)
        out = empty(len(values))

        def work(a: int, b: int) -> None:
            shaping.cubics(values[a:b], knots, table, rows, out[a:b])

        over(len(out), work, context.check if context else None)
        return out

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32 in 0..1."""
        assert incoming is not None
        return Value("number", self.heights(incoming.array, context))
