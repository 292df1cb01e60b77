"""The fan maker: clones on arcs, each pointing outwards, one row behind the other."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...errors import BadInput
from ...scene.follow import Dialled
from ..attribute import Attribute
from ..attribute import Field as Column
from ..meshes import column
from ..population import Population, of_points
from .base import ALONE, ColumnSource, MakerContext, MakerModel
from .grid import LARGEST_COUNT

_Number = Dialled[Annotated[int, Field(ge=1, le=10_000)]]
_Length = Dialled[Annotated[float, Field(ge=0, le=1000)]]


class FanMaker(MakerModel):
    """Clones on arcs about the middle of the ground, their own y outwards; each knows its row and its place across.

    Every other one lies a little higher, and rows lie one over the other, so that flat ones do not cut into each other.
    """

    summary: ClassVar[str] = "things fanned out about a middle, row behind row"
    title: ClassVar[str] = "Fan"

    maker: Literal["fan"]
    across: _Number = Field(32, title="Across", description="Of each row.")
    rows: _Number = Field(3, title="Rows")
    spread: Dialled[Annotated[float, Field(gt=0, le=360)]] = Field(
        150.0, title="Spread", json_schema_extra={"unit": "°"}
    )
    radius: _Length = Field(
        1.0, title="Radius", description="Of the outermost row.", json_schema_extra={"unit": "units"}
    )
    row_spacing: _Length = Field(0.28, title="Row spacing", json_schema_extra={"unit": "units"})
    size: Dialled[Annotated[float, Field(gt=0, le=100)]] = Field(0.5, title="Size", json_schema_extra={"unit": "units"})
    layer: _Length = Field(
        0.004, title="Apart", description="Upwards from one to the next.", json_schema_extra={"unit": "units"}
    )

    def estimated(self) -> int:
        """How many elements: those across times the rows."""
        return self.across * self.rows

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """Lay them out, the outermost row first, from left to right."""
        count = self.estimated()
        if count > LARGEST_COUNT:
            raise BadInput(
                f"{self.across:,} across and {self.rows:,} rows are {count:,} elements; at most {LARGEST_COUNT:,} are "
                "made. Use fewer.",
                place="maker", code="too_many",
            )  # fmt: skip
        at = np.arange(count)
        row, k = at // self.across, at % self.across
        # Each row begins half a place beside the one before it.
        part = (k + 0.5 * (row % 2) + 0.25) / self.across
        angle = np.radians(self.spread) * (part - 0.5)
        radius = np.maximum(self.radius - row * self.row_spacing, 0)
        height = (2 * row + k % 2) * self.layer
        place = np.stack([radius * np.sin(angle), radius * np.cos(angle), height], -1)
        turn = np.stack([0 * angle, 0 * angle, np.sin(-angle / 2), np.cos(angle / 2)], -1)
        whole = [Attribute(name, "integer", values.astype(np.int32), (), (Column(name, "<i4"),))
                 for name, values in {"id": at, "row": row, "place": k}.items()]  # fmt: skip
        made = [
            column("position", "vector", place, "x", "y", "z"),
            column("normal", "vector", np.broadcast_to([0, 0, 1], (count, 3)), "nx", "ny", "nz"),
            column("orientation", "vector", turn, "qx", "qy", "qz", "qw"),
            column("size", "number", np.full(count, self.size), "size"),
            column("across", "number", part, "across"),
        ]
        return of_points(count, {a.name: a for a in [*whole, *made]})
