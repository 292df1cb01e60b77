"""What steps share that draw at random for each element, each owner, or each value of an attribute."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from pydantic import Field

from ...errors import BadInput
from ...population import Elements
from ..scope import Scope
from .base import Step

ELEMENT = "element"
#: Gives the keys of the elements start to stop.
Words = Callable[[int, int], tuple[np.ndarray, np.ndarray]]


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
        found = scope.elements.above(self.per)
        kind = (found[0] if found else scope.attribute(self.per, f"{place}.per")).kind
        if kind not in ("integer", "text"):
            raise BadInput(
                f"{self.per!r} holds {kind}s; a random value per attribute wants whole numbers or texts.",
                place=f"{place}.per", code="wrong_kind",
            )  # fmt: skip

    def words(self, elements: Elements) -> Words:
        """The keys of the elements start to stop, two words of (m,) uint32."""
        if self.per == ELEMENT:
            low, high = elements.keys
            return lambda a, b: (low[a:b], high[a:b])
        found = elements.above(self.per)
        if found is None:
            low, high = elements.attribute(self.per).key_words
            return lambda a, b: (low[a:b], high[a:b])
        # Owners are far fewer: their words are looked up for a chunk at a time.
        (low, high), owner = found[0].key_words, found[1]
        if high.any():
            return lambda a, b: (low.take(owner[a:b], mode="clip"), high.take(owner[a:b], mode="clip"))
        nothing = np.zeros(elements.count, np.uint32)
        return lambda a, b: (low.take(owner[a:b], mode="clip"), nothing[a:b])

    def keys_read(self, scope: Scope) -> list[Any]:
        """Digests of the keys, for ``depends_on``."""
        if self.per == ELEMENT:
            return [scope.elements.key_digest]
        found = scope.elements.above(self.per)
        return [scope.elements.attribute(self.per).digest if found is None else found[2]]
