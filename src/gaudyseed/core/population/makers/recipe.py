"""What was asked when a file was imported, so that it can be read again in the same way."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ...documents.document import Document


class ImportRecipe(Document):
    """How one thing of a file was read: the file's content, which thing, as what, at which frame, coloured how."""

    fingerprint: str = Field(pattern=r"^[0-9a-f]{32}$", description="Digest of the file's bytes.")
    thing: str = Field("", max_length=1000, description="What the file calls it.")
    number: int = Field(0, ge=0, le=1_000_000, description="Its number among the things of the file.")
    repeated: Literal["clones", "parts"] = "clones"
    copies: Literal["parts", "clones"] = "parts"
    each: Literal["copy", "part"] = "copy"
    frame: float | None = Field(None, ge=-1e9, le=1e9)
    colours: str = Field("own", max_length=300)
