"""What steps share that bend values along a drawn curve through points."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from ...documents.document import Document
from ...documents.limits import Share
from ...kernels import curves as kernels
from ...kernels import shaping
from ...kernels.ramps import segment_table
from ...ramps.curves import bezier_polyline, coefficients, monotone_slopes
from ...runtime.buffers import empty
from ...scene.follow import Follow
from .base import Step, drawn_places
from .parameters import Numbers, mean_of
from .values import Context, Value

#: Places at which a curve is drawn.
SAMPLES = 129
#: Two points are at least this far apart, so that float32 can tell them apart.
APART = 1e-4


_Reach = Annotated[float, Field(ge=-4, le=4)]


class CurvePoint(Document):
    """A point of the curve; ``left`` and ``right`` are Bezier handles relative to it, each a place and a height."""

    x: Share | Follow = Field(title="x")
    y: Share | Follow = Field(title="y")
    left: tuple[_Reach | Follow, _Reach | Follow] = (-0.1, 0.0)
    right: tuple[_Reach | Follow, _Reach | Follow] = (0.1, 0.0)

    def row(self) -> tuple[float | Follow, ...]:
        """Place, height, left handle, right handle: six numbers."""
        return (self.x, self.y, *self.left, *self.right)


_LIMITS = ((0.0, 1.0), (0.0, 1.0), *[(-4.0, 4.0)] * 4)
_KINDS = {"straight": kernels.STRAIGHT, "monotone": kernels.MONOTONE, "bezier": kernels.BEZIER}


class Curved(Step):
    """A step with a curve through points from left to right, level outside them.

    ``straight`` joins them; ``monotone`` is a cubic without overshoot (Fritsch and Butland
    1984 with three-point ends, known as PCHIP); ``bezier`` follows handles. A point whose place follows a signal
    never passes the one before it.
    """

    details: ClassVar[bool] = True

    interpolation: Literal["straight", "monotone", "bezier"] = Field("monotone", title="Between points")
    points: tuple[CurvePoint, ...] = Field(
        (CurvePoint(x=0, y=0), CurvePoint(x=1, y=1)), min_length=1, max_length=64, title="Points",
        json_schema_extra={"control": "curve"},
    )  # fmt: skip

    @field_validator("points")
    @classmethod
    def _in_order(cls, points: tuple[CurvePoint, ...]) -> tuple[CurvePoint, ...]:
        fixed = [(k, p.x) for k, p in enumerate(points, 1) if isinstance(p.x, float)]
        for (j, before), (k, x) in itertools.pairwise(fixed):
            if x < before + APART:
                raise ValueError(
                    f"point {k} at {x:g} does not lie at least {APART:g} to the right of point {j} at {before:g}. "
                    "List the points from left to right"
                )
        return points

    def drawn(self, signals: Mapping[str, Value] | None = None) -> np.ndarray:
        """(k, 6) float64 rows of the points as they are drawn: what follows a signal has its mean."""
        rows = np.array([[mean_of(v, w, signals) for v, w in zip(p.row(), _LIMITS, strict=True)] for p in self.points])
        rows[:, 0] = drawn_places([p.x for p in self.points], signals, APART)
        return rows

    def _pieces(self, points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Knots (k,) and rows of coefficients (k + 1, 5), float32."""
        places = np.ascontiguousarray(points[:, :2])
        knots, heights = np.ascontiguousarray(places[:, 0]), np.ascontiguousarray(places[:, 1])
        slopes = None
        if self.interpolation == "bezier":
            knots, heights = bezier_polyline(places, points[:, 2:4], points[:, 4:6])
            keep = np.concatenate([[True], np.diff(np.maximum.accumulate(knots)) > 1e-7])
            knots, heights = knots[keep], heights[keep]
        elif self.interpolation == "monotone":
            slopes = monotone_slopes(knots, heights)
        return knots.astype(np.float32), coefficients(knots, heights, slopes)

    def _filling(self, values: np.ndarray, points: np.ndarray) -> Callable[[int, int, np.ndarray], None]:
        """Fills heights, within 0..1, of the curve through (k, 6) ``points`` at (n,) float32 values."""
        knots, rows = self._pieces(points)
        table = segment_table(knots)
        return lambda a, b, out: shaping.cubics(values[a:b], knots, table, rows, out)

    def heights(self, values: np.ndarray, points: np.ndarray) -> np.ndarray:
        """(n,) float32: the same for all values at once."""
        out = empty(len(values))
        self._filling(values, points)(0, len(values), out)
        return out

    def _filling_each(self, values: np.ndarray, context: Context) -> Callable[[int, int, np.ndarray], None]:
        """The same where each element has a curve of its own."""
        fixed, which = np.zeros((len(self.points), 6), np.float32), np.full((len(self.points), 6), -1, np.int32)
        own: list[Numbers] = []
        for k, point in enumerate(self.points):
            for c, number in enumerate(point.row()):
                if isinstance(number, Follow):
                    which[k, c] = len(own)
                    own.append(context.numbers_of(number, _LIMITS[c]))
                else:
                    fixed[k, c] = number
        kind = _KINDS[self.interpolation]

        def fill(a: int, b: int, out: np.ndarray) -> None:
            rows = np.stack([of(a, b) for of in own])
            kernels.curve_each(values[a:b], fixed, which, rows, kind, APART, out)

        return fill

    def bent(self, values: np.ndarray, context: Context) -> Callable[[int, int, np.ndarray], None]:
        """Fills the heights, within 0..1, of (n,) float32 values."""
        if any(isinstance(number, Follow) for point in self.points for number in point.row()):
            return self._filling_each(values, context)
        return self._filling(values, self.drawn())

    def of_curve(self, signals: Mapping[str, Value]) -> dict[str, Any]:
        """For a census: the curve's heights over 0..1, and its points as they are drawn."""
        points = self.drawn(signals)
        return {
            "curve": self.heights(np.linspace(0, 1, SAMPLES, dtype=np.float32), points).round(5).tolist(),
            "points": points.round(6).tolist(),
        }
