"""The rows of PLY elements as they were read, and what is wrong with them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...errors import BadInput
from .header import Element


@dataclass
class Rows:
    """What the rows of an element hold: of single values (n,), of lists how many items each row has and all items."""

    single: dict[str, np.ndarray]
    counts: dict[str, np.ndarray]
    items: dict[str, np.ndarray]


def cut_off(element: Element, name: str, row: int) -> BadInput:
    """The error for an element of which a row does not fit into the file."""
    return BadInput(
        f"Line {element.line} declares {element.count:,} of '{element.name}', but number {row + 1:,} does not fit into "
        "the file. A count is wrong or the file was cut off: export it again.",
        place=f"{name}, {element.name} {row + 1}", code="truncated",
    )  # fmt: skip


def joined_rows(parts: list[Rows]) -> Rows:
    """The rows of several parts, one after another."""

    def whole(tables: list[dict[str, np.ndarray]]) -> dict[str, np.ndarray]:
        return {key: np.concatenate([table[key] for table in tables]) for key in tables[0]}

    return Rows(whole([p.single for p in parts]), whole([p.counts for p in parts]), whole([p.items for p in parts]))


def bad_face(name: str, row: int, what: str) -> BadInput:
    """The error for a face that cannot be."""
    return BadInput(f"Face {row + 1} {what}. Export the file again.", place=f"{name}, face {row + 1}", code="ragged")
