"""Names that a person may have meant."""

from __future__ import annotations

import difflib
from collections.abc import Iterable


def _folded(name: str) -> str:
    """Names that a person may take for the same one: case, blanks, underscores and hyphens do not count."""
    return "".join(c for c in name.casefold() if c not in " _-")


def nearest(name: str, names: Iterable[str]) -> tuple[str, str | None]:
    """A sentence that names the nearest of ``names``, and the one that differs only in case or spacing."""
    listed = list(names)
    twin = next((n for n in listed if _folded(n) == _folded(name)), None)
    if twin is not None:
        return f"{twin!r} differs only in case or spacing.", twin
    folded = {_folded(n): n for n in listed}
    near = difflib.get_close_matches(_folded(name), list(folded), n=3, cutoff=0.4)
    if near:
        return f"Nearest: {', '.join(folded[n] for n in near)}.", None
    return (f"There are: {', '.join(listed)}." if listed else "There are none yet."), None
