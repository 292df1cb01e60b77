"""What produces a population: one file a maker, which registers itself."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from ...documents.union import OneOf
from ...registry import import_all
from .base import MAKERS, ColumnSource, MakerContext, MakeRequest, MakerModel

import_all(__name__, list(__path__))

if TYPE_CHECKING:
    Maker = MakerModel
else:
    #: Any of them, in documents.
    Maker = Annotated[MakerModel, OneOf(MAKERS, "maker")]

__all__ = ["MAKERS", "ColumnSource", "MakeRequest", "Maker", "MakerContext", "MakerModel"]
