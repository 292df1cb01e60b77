"""What every maker has in common."""

from __future__ import annotations

from typing import Any, Protocol

from pydantic import BaseModel, ConfigDict

from ...digest import digest_of
from ..table import Population


class ColumnSource(Protocol):
    """Where imported columns lie: by the digest of their content."""

    def column(self, digest: str) -> bytes:
        """The bytes of a column; KeyError where there is none."""


class MakerModel(BaseModel):
    """A maker's document: parameters that decide the population completely."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    def key(self) -> str:
        """Equal keys make equal populations."""
        content: dict[str, Any] = self.model_dump(mode="json")
        return digest_of("maker", content)

    def make(self, columns: ColumnSource) -> Population:
        """Produce the population; BadInput where that is not possible."""
        raise NotImplementedError
