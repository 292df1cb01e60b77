"""What steps share that draw at random for each element, each owner, or each value of an attribute."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import Field

from ..errors import BadInput
from ..population import Elements
from .scope import Scope
from .steps.base import Step

ELEMENT = "element"


class Keyed(Step):
    """A step that draws by the key of each element: its stable id, else its index.

    Or by the value of an integer or text attribute, so that equal values get the same. A coarser level is named by the
    attribute of its own name: ``per`` strand gives all points of a strand the same.
    """

    per: str = Field(
        ELEMENT, min_length=1, max_length=200, title="Per",
        description="Each element, each strand or part it belongs to, or each value of an integer or text attribute.",
        json_schema_extra={"control": "key"},
    )  # fmt: skip

    def check_key(self, scope: Scope, place: str) -> None:
        """BadInput where there is nothing of that name, or it holds neither whole numbers nor texts."""
        if self.per == ELEMENT:
            return
        kind = scope.attribute(self.per, f"{place}.per").kind
        if kind not in ("integer", "text"):
            raise BadInput(
                f"{self.per!r} holds {kind}s; a random value per attribute wants whole numbers or texts.",
                place=f"{place}.per", code="wrong_kind",
            )  # fmt: skip

    def words(self, elements: Elements) -> tuple[np.ndarray, np.ndarray]:
        """The keys of the elements, two words of (n,) uint32."""
        return elements.keys if self.per == ELEMENT else elements.attribute(self.per).key_words

    def keys_read(self, scope: Scope) -> list[Any]:
        """Digests of the keys, for ``depends_on``."""
        if self.per == ELEMENT:
            return [scope.elements.key_digest]
        return [scope.elements.attribute(self.per).digest]
