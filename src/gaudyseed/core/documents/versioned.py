"""Documents that say which version of the format they are of."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import model_validator

from .document import Document
from .upgrade import READ, VERSION, is_old, upgraded


class Versioned(Document):
    """A document that says which version of the format it is; older ones are upgraded as they are read."""

    gaudyseed: Literal[3] = 3

    @model_validator(mode="before")
    @classmethod
    def _of_this_version(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        version = document.get("gaudyseed", VERSION)
        if isinstance(version, int) and version not in READ:
            made = "by a newer" if version > VERSION else "by an early"
            raise ValueError(
                f"This was made {made} Gaudy Seed (format {version}); this one reads formats {READ[0]} and {VERSION}. "
                "Save it there in one of these"
            )
        return upgraded(document) if is_old(document) else document
