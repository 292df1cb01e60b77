"""The head of PLY files: elements, properties, types and comments."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, field

from ...errors import BadInput
from ...population.naming import LONGEST_NAME, sayable
from ..base import NOBODY
from ..cells import runs_as_formula
from ..columns import (
    LARGEST_COLUMNS,
    own_columns,
)

TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2",
    "ushort": "u2", "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4",
    "float": "f4", "float32": "f4", "double": "f8", "float64": "f8",
}  # fmt: skip


NAMES = {"i1": "char", "u1": "uchar", "i2": "short", "u2": "ushort", "i4": "int", "u4": "uint",
          "f4": "float", "f8": "double"}  # fmt: skip


ORDERS = {"binary_little_endian": "<", "binary_big_endian": ">"}


LONGEST_HEADER = 1 << 20


#: Characters of texts that are listed in a head.
MOST_LISTED = 1 << 18


PLURALS = {"vertex": "vertices", "face": "faces"}


#: Characters that a value of an ASCII file may have.
LONGEST = 400


@dataclass
class Property:
    name: str
    type: str
    line: int
    #: Of a list the type of its count; empty for a single value.
    counted: str = ""


@dataclass
class Element:
    name: str
    count: int
    line: int
    properties: list[Property] = field(default_factory=list)

    @property
    def lists(self) -> list[Property]:
        """Its properties that are lists."""
        return [p for p in self.properties if p.counted]


def _texts_of(line: str) -> tuple[str, tuple[str, ...]]:
    """The column and the texts of a comment ``texts NAME ["a", "b"]``; no texts where it is none of these."""
    parts = line.split(None, 3)
    try:
        found = json.loads(parts[3]) if len(parts) == 4 else None
    except (ValueError, RecursionError):
        found = None
    if not isinstance(found, list) or not all(isinstance(t, str) and sayable(t) == t for t in found):
        return "", ()
    return parts[2], tuple(found)


def read_header(data: bytes, name: str) -> tuple[str, list[Element], int, dict[str, tuple[str, ...]]]:
    end = re.search(rb"(?:\r\n|\n|\r)end_header[ \t]*(\r\n|\n|\r)", data[:LONGEST_HEADER])
    if not end:
        raise BadInput(
            f"The header of {name} has no line 'end_header'; the file may have been cut off. Export it again.",
            place=f"{name}, header",
        )  # fmt: skip
    try:
        lines = re.split(r"\r\n|\n|\r", data[: end.start()].decode("ascii"))
    except UnicodeDecodeError as error:
        raise BadInput(
            f"The header of {name} has a byte outside ASCII at {error.start}. Export it again.",
            place=f"{name}, header",
        ) from None
    order = ""
    elements: list[Element] = []
    texts: dict[str, tuple[str, ...]] = {}
    for number, line in enumerate(lines[1:], 2):
        words = line.split()
        if words[:2] == ["comment", "texts"]:
            column, labels = _texts_of(line)
            texts[column] = labels
        if not words or words[0] in ("comment", "obj_info"):
            continue
        if words[0] == "format" and len(words) == 3:
            order = _format(words[1], name, number)
        elif words[0] == "element" and len(words) == 3:
            elements.append(_element(words, name, number))
        elif words[0] == "property" and elements and len(words) >= 3:
            _property(words, elements[-1], name, number)
        else:
            raise BadInput(f"Line {number} is not PLY: {line[:60]!r}. Export it again.", place=f"{name}, line {number}")
    if not order:
        raise BadInput(f"The header of {name} has no line 'format'. Export it again.", place=f"{name}, header")
    return order, elements, end.end(), texts


def _format(word: str, name: str, number: int) -> str:
    if word == "ascii":
        return word
    if word in ORDERS:
        return ORDERS[word]
    raise BadInput(
        f"Line {number} names the format {word[:40]!r}; known are ascii, binary_little_endian and binary_big_endian.",
        place=f"{name}, line {number}",
    )


def _element(words: list[str], name: str, number: int) -> Element:
    if not re.fullmatch(r"\d{1,18}", words[2]):
        raise BadInput(
            f"Line {number} gives the count {words[2][:40]!r}; a whole number is wanted.",
            place=f"{name}, line {number}",
        )
    return Element(words[1], int(words[2]), number)


def _property(words: list[str], element: Element, name: str, number: int) -> None:
    place = f"{name}, line {number}"
    listed = words[1] == "list"
    if listed and (len(words) != 5 or words[2] not in TYPES or words[3] not in TYPES or TYPES[words[2]][0] == "f"):
        raise BadInput(f"Line {number} is not a list property: {' '.join(words)[:60]!r}.", place=place)
    if not listed and (words[1] not in TYPES or len(words) != 3):
        raise BadInput(
            f"Line {number} has the unknown type {words[1][:40]!r}. Use a PLY type, such as float.",
            place=place,
        )
    title = words[-1]
    if any(p.name == title for p in element.properties):
        raise BadInput(
            f"Line {number} declares the property {title!r} a second time. Give every property its own name.",
            place=place,
        )
    if len(title) > LONGEST_NAME:
        raise BadInput(
            f"Line {number} has a property name of {len(title)} characters; at most {LONGEST_NAME}.", place=place
        )
    if runs_as_formula(title):
        raise BadInput(
            f"Line {number} has the property name {title[:40]!r}, which a spreadsheet would run as a formula. "
            "Give it another name.",
            place=place, code="formula_cell",
        )  # fmt: skip
    counted = TYPES[words[2]] if listed else ""
    element.properties.append(Property(title, TYPES[words[3] if listed else words[1]], number, counted))
    if own_columns(p.name for p in element.properties) > LARGEST_COLUMNS:
        raise BadInput(
            f"'{element.name}' has more than {LARGEST_COLUMNS} properties beside those of results. Leave out some.",
            place=place, code="too_many",
        )  # fmt: skip


def check_vertex(vertex: Element, name: str) -> None:
    if vertex.lists:
        listed = vertex.lists[0]
        raise BadInput(
            f"Line {listed.line} gives each vertex a list, {listed.name!r}; an element carries single values. "
            "Leave the list out.",
            place=f"{name}, line {listed.line}",
        )
    if vertex.count == 0:
        raise BadInput(
            f"Line {vertex.line} declares 0 vertices. Export at least one point.",
            place=f"{name}, line {vertex.line}", code=NOBODY,
        )  # fmt: skip
    if not vertex.properties:
        raise BadInput("The vertices have no properties. Export their places.", place=f"{name}, line {vertex.line}")


def too_few(vertex: Element, name: str, found: int) -> BadInput:
    return BadInput(
        f"Line {vertex.line} declares {vertex.count:,} vertices, but the file holds only {found:,}. "
        "The count is wrong or the file was cut off: export it again.",
        place=f"{name}, vertex {found + 1}", code="truncated",
    )  # fmt: skip


def too_many(vertex: Element, name: str, more: str) -> BadInput:
    plural = PLURALS.get(vertex.name, vertex.name)
    return BadInput(
        f"Line {vertex.line} declares {vertex.count:,} {plural}, but {more} follow them. "
        "The count is wrong: export the file again.",
        place=f"{name}, line {vertex.line}", code="wrong_count",
    )  # fmt: skip
