"""The document of a painted column, and its values as they are kept."""

from __future__ import annotations

import json
import zlib
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Literal

import numpy as np
from pydantic import Field

from ..colour.spaces import parse_hex
from ..documents.document import Document
from ..errors import BadInput
from ..population import Attribute
from ..population.naming import fits

if TYPE_CHECKING:
    pass
from typing import Self

from pydantic import model_validator

from ..documents.limits import Wide
from ..documents.named import NAME_PATTERN
from ..scene.assets import AssetSource, gone_column

#: Of one column, unpacked.
_LARGEST = 400 * 1024 * 1024


_WIDTHS = {"number": 1, "colour": 3, "vector": 3}


#: What elements are known by and placed by: never painted.
_PLACING = ("id", "position", "orientation", "copy_position")


@dataclass(frozen=True)
class Values:
    """Painted values (n, k) float32 of elements with these (n,) int64 ids, ascending; None for 0 to n - 1."""

    values: np.ndarray
    ids: np.ndarray | None = None

    def packed(self) -> bytes:
        """The bytes under which they are kept."""
        ids = b"" if self.ids is None else self.ids.astype("<i8").tobytes()
        header = {"rows": len(self.values), "width": self.values.shape[1], "ids": self.ids is not None}
        return json.dumps(header).encode() + b"\n" + zlib.compress(ids + self.values.astype("<f4").tobytes(), 1)


def unpacked(data: bytes, place: str) -> Values:
    """Values from what was kept; BadInput where that is damaged."""
    try:
        end = data.index(b"\n")
        header = json.loads(data[:end])
        rows, width, known = int(header["rows"]), int(header["width"]), bool(header["ids"])
        size = rows * width * 4 + (rows * 8 if known else 0)
        unpacking = zlib.decompressobj()
        held = unpacking.decompress(data[end + 1 :], min(size + 1, _LARGEST))
        if len(held) != size or width not in (1, 3) or not unpacking.eof:
            raise ValueError
    except (ValueError, KeyError, TypeError, OverflowError, zlib.error):
        raise gone_column(place) from None
    cut = rows * 8 if known else 0
    ids = np.frombuffer(held[:cut], "<i8") if known else None
    return Values(np.frombuffer(held[cut:], "<f4").reshape(rows, width).astype(np.float32), ids)


def values_of(painted: Painted, kept: AssetSource, place: str) -> Values | None:
    """What was painted of a column; None where all are alike.

    BadInput where the values are gone, or are another column's.
    """
    if not painted.digest:
        return None
    found, width = unpacked(kept.column(painted.digest, place), place), _WIDTHS[painted.kind]
    if found.values.shape[1] != width or not np.isfinite(found.values).all():
        raise BadInput(
            f"The painted values of {painted.name!r} are another column's. Remove the column, or paint it anew.",
            place=place, code="column_gone",
        )  # fmt: skip
    return found


def check_name(painted: Painted, place: str) -> None:
    """BadInput where a column is called like something that elements are known by or placed by."""
    example = np.zeros((1, _WIDTHS[painted.kind])) if painted.kind != "number" else np.zeros(1)
    if painted.name in _PLACING or not fits(Attribute(painted.name, painted.kind, example)):
        raise BadInput(
            f"A painted column cannot be called {painted.name!r}: elements have something else under that name. "
            "Give it another one.",
            place=place, code="taken_name",
        )  # fmt: skip


def fill_of(painted: Painted) -> np.ndarray:
    """(k,) float32: what stands for the unpainted."""
    if isinstance(painted.fill, str):
        return parse_hex(painted.fill).astype(np.float32)
    if isinstance(painted.fill, tuple):
        return np.array(painted.fill, np.float32)
    return np.full(_WIDTHS[painted.kind], painted.fill, np.float32)


class Painted(Document):
    """A column that was painted onto the elements of a population, or kept from a signal; kept in the store by content.

    Elements are known by their id where they have one, else by their number; vertices of a mesh by their number at the
    subdivision at which they were painted.
    """

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    kind: Literal["number", "colour", "vector"] = "number"
    digest: str = Field(
        "", pattern=r"^(?:[0-9a-f]{32})?$", description="Of the kept values; empty where all are alike."
    )
    fill: Wide | str | tuple[Wide, Wide, Wide] = Field(
        0.0, union_mode="left_to_right",
        description="Of what has not been painted, and of what a column of that name lacks: number, #rrggbb or three.",
    )  # fmt: skip
    role: Literal["", "point", "direction", "normal"] = Field("", description="What a vector is in space.")
    subdivision: Annotated[int, Field(ge=0, le=4)] = 0

    @model_validator(mode="after")
    def _filled(self) -> Self:
        if isinstance(self.fill, str) != (self.kind == "colour"):
            raise ValueError("what stands for the unpainted is a colour for colours, else a number")
        if self.kind != "vector" and (isinstance(self.fill, tuple) or self.role):
            raise ValueError("only vectors have three numbers and a role in space")
        if isinstance(self.fill, str):
            parse_hex(self.fill)
        return self
