"""Copies of things with named parts: an element is a copy, or each part of each copy with the copy above it."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from ..geometry.parted import thing
from ..scene.follow import Dialled
from .attribute import Attribute
from .attribute import Field as Column
from .elements import KEY, Elements, Owners
from .population import Population

#: What a maker of copies places, and what an element then is.
Which = Literal["single", "lantern", "rosette"]
What = Dialled[Which]
Element = Literal["copy", "part"]
Each = Dialled[Element]
WHAT: Which = Field("single", title="Copies of", description="A single shape, or a thing of several named parts.",
             json_schema_extra={"words": ["A single shape", "Lanterns", "Rosettes"]})  # fmt: skip
EACH: Element = Field("copy", title="Element", json_schema_extra={
    "words": ["Each copy", "Each part"], "when": {"copies": ["lantern", "rosette"]}})  # fmt: skip
#: The level above elements that are parts of copies.
COPY = "copy"


def as_copies(population: Population, what: str, each: str) -> Population:
    """A population of copies of a thing; with ``part`` every part of every copy is an element.

    Its parts then carry *part* and *part_name*, the same for all copies, and belong to the *copy*; they stand where
    their middles are.
    """
    if what == "single":
        return population
    if each == "copy":
        return replace(population, shape=what)
    made, count = thing(what), population.count
    parts = len(made.parts)
    rows = np.repeat(np.arange(count), parts)
    table = {name: a.taken(rows) for name, a in population.elements.own.items()}
    part = np.tile(np.arange(parts, dtype=np.int32), count)
    copies = population.elements.own.get(KEY)
    numbers = copies.values if copies is not None else np.arange(count, dtype=np.int64)
    place, turn, size = (population.elements.own[n] for n in ("position", "orientation", "size"))
    middles = made.middles[part] * size.values[rows, None]
    table["position"] = replace(
        place, values=(place.values[rows] + _rotated(turn.values[rows], middles)).astype(np.float32)
    )
    table[KEY] = Attribute(KEY, "integer", numbers[rows].astype(np.int64) * parts + part, (), (Column(KEY, "<i8"),))
    table["part"] = Attribute("part", "integer", part, (), (Column("part", "<i4"),))
    table["part_name"] = Attribute("part_name", "text", part, made.parts, (Column("part_name", "<i4"),))
    above = {
        COPY: Attribute(COPY, "integer", numbers, (), (Column(COPY, "<i8"),)),
        "copy_position": replace(place, name="copy_position", fields=(), stands_for="point"),
    }
    owners = (Owners(COPY, rows.astype(np.int32), above),)
    standing = population.standing and population.standing.taken(rows)
    elements = Elements(population.elements.level, count * parts, table, owners)
    return replace(population, elements=elements, standing=standing, shape=what)


def _rotated(turns: np.ndarray, vectors: np.ndarray) -> np.ndarray:
    """(n, 3) vectors turned by (n, 4) quaternions x, y, z, w."""
    axis, real = turns[:, :3].astype(np.float64), turns[:, 3:].astype(np.float64)
    found: np.ndarray = vectors + 2 * np.cross(axis, np.cross(axis, vectors) + real * vectors)
    return found
