"""Documents that are one of several, told apart by a word: steps and makers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema


@dataclass(frozen=True)
class OneOf:
    """Marks a field that holds a document of whatever is registered: ``Annotated[Step, OneOf(STEPS, "step")]``.

    The choice is read when the document's model is built, so that what was registered later takes part after
    ``document.rebuild``.
    """

    registry: Mapping[str, type[BaseModel]]
    key: str

    def __get_pydantic_core_schema__(self, _source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        choices = {word: handler.generate_schema(model) for word, model in self.registry.items()}
        return core_schema.tagged_union_schema(choices, self.key)

    def __hash__(self) -> int:
        return hash(self.key)
