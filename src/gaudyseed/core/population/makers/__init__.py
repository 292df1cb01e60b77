"""What produces a population: one file a maker."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from .imported import ImportedMaker
from .scatter import ScatterMaker

Maker = Annotated[ScatterMaker | ImportedMaker, Field(discriminator="maker")]

__all__ = ["ImportedMaker", "Maker", "ScatterMaker"]
