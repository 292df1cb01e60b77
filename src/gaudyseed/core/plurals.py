"""Counts in words."""

from __future__ import annotations


def counted(count: int, one: str, many: str = "") -> str:
    """A count with its noun.

    >>> counted(1, "vertex", "vertices"), counted(1200, "element")
    ('1 vertex', '1,200 elements')
    """
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def of_mesh(faces: int, parts: int, face: str = "face") -> str:
    """A mesh in words.

    >>> of_mesh(12, 1)
    'a mesh of 12 faces and 1 part'
    """
    return f"a mesh of {counted(faces, face)} and {counted(parts, 'part')}"


def having(count: int, one: str, has: str = "has", have: str = "have") -> str:
    """A count with its noun and the verb.

    >>> having(1, "element"), having(2, "element")
    ('1 element has', '2 elements have')
    """
    return f"{counted(count, one)} {verb(count, has, have)}"


def verb(count: int, one: str, many: str) -> str:
    """The verb that goes with a count.

    >>> verb(1, "has", "have")
    'has'
    """
    return one if count == 1 else many
