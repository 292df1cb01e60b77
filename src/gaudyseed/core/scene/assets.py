"""Assets: the pictures and small meshes of a scene, and where what it keeps beside its document is found."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal, Protocol

from pydantic import Field

from ..documents.document import Document
from ..documents.named import NAME_PATTERN
from ..errors import BadInput

if TYPE_CHECKING:
    from ..geometry.shapes import ShapeMesh
    from ..pictures.picture import Picture


class Asset(Document):
    """A picture or small mesh of the scene, kept in the store by its content.

    Of a mesh ``width`` is how many triangles it has, and ``height`` how many vertices.
    """

    kind: Literal["picture", "mesh"] = "picture"

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    digest: str = Field(pattern=r"^[0-9a-f]{32}$", description="Of the file's bytes, or made: and a generated picture.")
    width: Annotated[int, Field(ge=1, le=100_000)] = 1
    height: Annotated[int, Field(ge=1, le=100_000)] = 1
    file: str = Field("", max_length=200)


class AssetSource(Protocol):
    """What a scene keeps beside its document."""

    def column(self, digest: str, place: str) -> bytes:
        """The bytes of a painted column; BadInput where they are gone."""

    def picture(self, asset: Asset, place: str) -> Picture:
        """A picture; BadInput where it is gone or cannot be read."""

    def mesh(self, asset: Asset, place: str) -> ShapeMesh:
        """A small mesh; BadInput where it is gone or cannot be read."""


class _NoAssets:
    def column(self, digest: str, place: str) -> bytes:
        raise gone_column(place)

    def picture(self, asset: Asset, place: str) -> Picture:
        raise gone_picture(asset, place)

    def mesh(self, asset: Asset, place: str) -> ShapeMesh:
        raise gone_picture(asset, place)


#: Of a scene that stands alone.
NO_ASSETS: AssetSource = _NoAssets()


def gone_column(place: str) -> BadInput:
    """The sentence for painted values that the store does not have."""
    return BadInput(
        "The painted values of this column are gone from the data file. Remove the column, or paint it anew.",
        place=place, code="column_gone",
    )  # fmt: skip


def gone_picture(asset: Asset, place: str) -> BadInput:
    """The sentence for a picture or mesh that the store does not have."""
    return BadInput(
        f"The {asset.kind} {asset.name!r} is gone from the data file. Replace it, or choose another.",
        place=place, code="picture_gone",
    )  # fmt: skip
