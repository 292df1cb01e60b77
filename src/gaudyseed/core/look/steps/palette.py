"""palette: a place in an ordered set or grid of colours."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...errors import BadInput
from ...kernels import palettes as kernels
from ...kernels import ramps as ramp_kernels
from ...kernels.parallel import over
from ...palette import MOST_SWATCHES, Swatch, linear_of
from ...picking import picked
from ..follow import FollowColour, FollowDial
from .base import Context, Kind, Step, Value, mean_colour


class Palette(Step):
    """One whole swatch for each element.

    A number chooses by position: 0..1 is cut into as many parts as there are swatches,
    equal ones or by their weights (1 belongs to the last). A vector chooses a cell of the
    grid: its first number within the row, its second the row.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number", "vector")
    gives: ClassVar[Kind] = "colour"
    summary: ClassVar[str] = "one swatch of a palette for each element"
    exact: ClassVar[bool] = True  # values beyond 1 are all alike to it

    step: Literal["palette"]
    name: str = Field("Palette", min_length=1, max_length=100, title="Name")
    parts: Literal["equal", "weights"] = Field("equal", title="Parts", description="Of 0 to 1, for each swatch.")
    columns: Annotated[int, Field(ge=1, le=64)] | FollowDial = Field(8, title="Columns")
    swatches: tuple[Swatch, ...] = Field(
        min_length=1, max_length=MOST_SWATCHES, title="Swatches", json_schema_extra={"control": "swatches"}
    )

    def edges(self) -> np.ndarray:
        """(s - 1,) float32: where each part but the first begins; infinite behind the last that has a weight."""
        n = len(self.swatches)
        weights = np.array([s.weight for s in self.swatches], np.float64)  # dials are resolved when a look is compiled
        if self.parts == "equal" or weights.sum() <= 0:
            return (np.arange(1, n) / n).astype(np.float32)
        sums = np.cumsum(weights)
        # Behind the last swatch that has a weight nothing begins: its part reaches to the end.
        return np.where(sums[:-1] < sums[-1], sums[:-1] / sums[-1], np.inf).astype(np.float32)

    def cells_of(self, incoming: Value, place: str = "", check: Callable[[], None] | None = None) -> np.ndarray:
        """(n,) uint8: the swatch of each element."""
        values = incoming.array
        out = empty(len(values), np.uint8)
        if incoming.kind == "vector":
            if values.shape[1] < 2:
                raise BadInput("A palette wants a vector of at least two numbers.", place=place, code="wrong_kind")
            pairs = np.ascontiguousarray(values[:, :2])
            count, columns = len(self.swatches), self.columns
            assert isinstance(columns, int)
            over(len(out), lambda a, b: kernels.cells(pairs[a:b], count, columns, out[a:b]), check)
        else:
            edges = self.edges()
            table = ramp_kernels.segment_table(edges)
            over(len(out), lambda a, b: ramp_kernels.bands(values[a:b], edges, table, out[a:b]), check)
        return out

    def drawn(self, signals: Mapping[str, Value] | None = None) -> np.ndarray:
        """(s, 3) linear float64 colours as they are drawn: what follows a signal has its mean."""
        return np.array([mean_colour(s.colour, signals) for s in self.swatches])

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n, 3) linear float32; ``stops`` tells which swatch each element took."""
        assert incoming is not None
        cells = self.cells_of(incoming, context.place, context.check)
        own = {
            k: context.colours_of(s.colour) for k, s in enumerate(self.swatches) if isinstance(s.colour, FollowColour)
        }
        return Value("colour", picked(cells, linear_of(self.swatches), own, context.check), cells)
