"""Tables of elements in blocks of rows: read out of a mapped file with bounded memory."""

from __future__ import annotations

import numpy as np

from ..errors import BadInput
from ..population import Population, of_points
from ..population.naming import well_named
from ..runtime.task import UNWATCHED, Task
from .base import FORMATS, Table
from .columns import RawColumn, check_places, grouped

#: Rows of a block.
ROWS = 262_144


def clones_in_block(raw: list[RawColumn], name: str, row: str, before: int) -> Population:
    """Some rows as clones, ``before`` rows after the first.

    Nothing is derived: what follows from all elements, such as a normal from their middle, blocks cannot tell. BadInput
    where a row has no usable place.
    """
    check_places(raw, name, row, before)
    table = well_named(grouped(raw), name)
    return of_points(len(raw[0].values), table)


def table_in(data: np.ndarray, name: str, ending: str, task: Task = UNWATCHED) -> Table:
    """The table in a file, (n,) uint8 mapped or in memory; BadInput for formats that have no blocks."""
    for form in FORMATS.values():
        known = form.recognises(bytes(data[:4096])) if form.recognises else ending.lower() in form.endings
        if form.blocks_in and known:
            return form.blocks_in(data, name, task)
    raise BadInput(f"{name} cannot be read in blocks. Bring binary PLY without faces, or CSV.", place=name,
                   code="not_in_blocks")  # fmt: skip
