"""What attributes may be called, and what those of a known name must be, whoever brings them.

Names of files are anyone's. The rest of the product takes *position* for a place and *uv* for a vector of two; what
is called so and is something else arrives under another name, so that nothing asks twice.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

from ..errors import BadInput
from .attribute import Attribute, Field, Kind

#: Characters that a name may have, and attributes that a level of a population may have.
LONGEST_NAME, MOST_ATTRIBUTES = 200, 640
#: Of known names: the kinds, and how many numbers an element has.
_FORMS: dict[str, tuple[tuple[Kind, ...], tuple[int, ...]]] = {
    "position": (("vector",), (3,)), "copy_position": (("vector",), (3,)), "normal": (("vector",), (3,)),
    "orientation": (("vector",), (4,)), "size": (("number", "integer"), (1,)), "width": (("number", "integer"), (1,)),
    "uv": (("vector",), (2,)), "colour": (("colour",), (3, 4)), "part": (("integer", "text"), (1,)),
    "copy": (("integer",), (1,)), "strand": (("integer", "text"), (1,)), "part_name": (("text",), (1,)),
}  # fmt: skip
#: Those of them without which a population cannot be: nothing else may have their names. Of all others who reads them
#: asks whether they fit.
_HELD = ("position", "copy_position", "part", "copy", "strand", "part_name")


def fits(a: Attribute, name: str | None = None) -> bool:
    """Whether an attribute is what the rest of the product takes one of its name, or of that name, for.

    >>> import numpy as np
    >>> fits(Attribute("uv", "vector", np.zeros((4, 2)))), fits(Attribute("uv", "vector", np.zeros((4, 3))))
    (True, False)
    """
    form = _FORMS.get(a.name if name is None else name)
    return form is None or (a.kind in form[0] and a.width in form[1])


def sayable(text: str) -> str:
    """A text as it can be stored: without halves of characters, which no encoding has, and without zero bytes.

    >>> sayable("a\\ud800b"), sayable("größe")
    ('ab', 'größe')
    """
    text = text.replace("\x00", "")
    try:
        text.encode()
    except UnicodeEncodeError:
        return text.encode(errors="ignore").decode()
    return text


def free_name(wanted: str, taken: Iterable[str]) -> str:
    """The name cut to its greatest length, and counted up where it is taken.

    >>> free_name("", []), free_name("a", ["a", "a_"])
    ('value', 'a__')
    """
    base = found = sayable(wanted)[:LONGEST_NAME] or "value"
    number, held = 1, set(taken)
    while found in held:
        number += 1
        more = "_" * (number - 1) if number < 4 else f"_{number}"
        found = base[: LONGEST_NAME - len(more)] + more
    return found


def well_named(table: Mapping[str, Attribute], where: str) -> dict[str, Attribute]:
    """The attributes of one level under names that can be stored, no two alike; those of known names are what they say.

    What is called like something that elements cannot be without gets a line below behind its name. BadInput where
    there are too many; ``where`` is the file, for the sentence.
    """
    if len(table) > MOST_ATTRIBUTES:
        raise BadInput(
            f"{where} brings {len(table):,} attributes; at most {MOST_ATTRIBUTES} are taken. Leave out some.",
            place=where, code="too_many",
        )  # fmt: skip
    found: dict[str, Attribute] = {}
    # Those that stay as they are first, so that none takes the name of another.
    staying = {name for name, a in table.items() if _well(name) and (name not in _HELD or fits(a, name))}
    for name, a in table.items():
        if name in staying:
            found[name] = _said(a, name)
            continue
        other = free_name(name, {*staying, *found, *_HELD})
        found[other] = _said(a, other)
    return found


def _well(name: str) -> bool:
    return 0 < len(name) <= LONGEST_NAME and sayable(name) == name


def _said(a: Attribute, name: str) -> Attribute:
    """The attribute under a name; its columns and texts as they can be stored."""
    fields = a.fields
    if not all(_well(f.name) for f in fields):
        names: list[str] = []
        for f in fields:
            names.append(free_name(f.name, names))
        fields = tuple(Field(n, f.dtype) for n, f in zip(names, fields, strict=True))
    labels = tuple(map(sayable, a.labels))
    if a.name == name and fields is a.fields and labels == a.labels:
        return a
    return replace(a, name=name, fields=fields, labels=labels)
