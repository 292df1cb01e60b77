"""Names in documents: what they may hold, and that no two are alike."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

#: No blanks at the ends, no quotes, brackets or control characters: the name can stand in a formula.
NAME_PATTERN = r"^[^\s\"'()\[\]\\\x00-\x1f](?:[^\"'()\[\]\\\x00-\x1f]*[^\s\"'()\[\]\\\x00-\x1f])?$"


def check_own_names(items: Sequence[Any], what: str) -> None:
    names = [i.name for i in items]
    for k, name in enumerate(names):
        if name in names[:k]:
            plural = f"{what}es" if what.endswith("sh") else f"{what}s"
            raise ValueError(f"two {plural} are called {name!r}. Give each its own name")
