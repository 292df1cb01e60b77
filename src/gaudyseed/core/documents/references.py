"""Typed references: which parameters of documents name a signal, a dial, an attribute or something else of the scene.

A parameter is a reference by its type, ``Annotated[str, Names("signal")]``, so that renaming and looking up need not
guess from the shape of a document.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any, Literal, get_args

from pydantic import BaseModel

Named = Literal["signal", "dial", "population", "look", "marker", "asset", "attribute"]


@dataclass(frozen=True)
class Names:
    """Marks a text that names one of these."""

    what: Named


@cache
def references_of(model: type[BaseModel]) -> dict[str, Named]:
    """The fields of a model that name something, with what."""
    found: dict[str, Named] = {}
    for name, field in model.model_fields.items():
        marks = [
            *field.metadata,
            *(m for part in get_args(field.annotation) for m in getattr(part, "__metadata__", ())),
        ]
        for mark in marks:
            if isinstance(mark, Names):
                found[name] = mark.what
    return found


def named(document: Any, what: Named) -> Iterator[str]:
    """All names of that sort in a document, in its order; some more than once."""
    if isinstance(document, BaseModel):
        for field, sort in references_of(type(document)).items():
            value = getattr(document, field)
            if sort == what:
                yield from (name for name in (value if isinstance(value, tuple) else (value,)) if isinstance(name, str))
        for field in type(document).model_fields:
            yield from named(getattr(document, field), what)
    elif isinstance(document, Mapping):
        for item in document.values():
            yield from named(item, what)
    elif isinstance(document, tuple):
        for item in document:
            yield from named(item, what)


def renamed(document: Any, what: Named, old: str, new: str, texts: bool = True) -> Any:
    """The document with ``new`` wherever it named ``old``; nothing is checked anew.

    Parameters
    ----------
    texts
        Whether texts with names in them (formulas) change too: what has them says so by ``renamed_texts``.
    """
    if isinstance(document, tuple):
        return tuple(renamed(item, what, old, new, texts) for item in document)
    if isinstance(document, Mapping):
        return {key: renamed(item, what, old, new, texts) for key, item in document.items()}
    if not isinstance(document, BaseModel):
        return document
    found = {field: renamed(getattr(document, field), what, old, new, texts) for field in type(document).model_fields}
    for field, sort in references_of(type(document)).items():
        if sort == what and isinstance(found[field], tuple):
            found[field] = tuple(new if name == old else name for name in found[field])
        elif sort == what and found[field] == old:
            found[field] = new
    if texts and hasattr(document, "renamed_texts"):
        found |= document.renamed_texts(old, new)
    return document.model_copy(update=found)
