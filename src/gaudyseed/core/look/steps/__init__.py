"""The steps. One file a step; the registry finds every module of this package."""

from __future__ import annotations

import importlib
import pkgutil
from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from .base import Context, Kind, Step, Value

#: Every step class by the word it has in documents.
REGISTRY: dict[str, type[Step]] = {}

for _module in sorted(m.name for m in pkgutil.iter_modules(__path__)):
    for _item in vars(importlib.import_module(f"{__name__}.{_module}")).values():
        if isinstance(_item, type) and issubclass(_item, Step) and _item is not Step:
            REGISTRY[_item.model_fields["step"].annotation.__args__[0]] = _item  # type: ignore[union-attr]

if TYPE_CHECKING:
    AnyStep = Step
else:
    #: The discriminated union of all steps, for documents.
    AnyStep = Annotated[Union[tuple(REGISTRY.values())], Field(discriminator="step")]  # noqa: UP007
    # Steps that hold chains name the union before it exists.
    for _step in REGISTRY.values():
        _step.model_rebuild(_types_namespace={"AnyStep": AnyStep})

__all__ = ["REGISTRY", "AnyStep", "Context", "Kind", "Step", "Value"]
