"""Colouring tables too long for memory: read, coloured and written block by block."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from .errors import BadInput
from .formats.base import FORMATS, Format, Table
from .look.blocks import evaluate_blocks
from .look.model import Look
from .look.results import Evaluation
from .look.scope import Surroundings
from .population import Population
from .runtime.task import UNWATCHED, Task
from .sending import sent


def coloured_table(
    table: Table, look: Look, form: Format, name: str, surroundings: Surroundings | None = None,
    task: Task = UNWATCHED,
) -> Iterator[bytes | memoryview]:  # fmt: skip
    """A file of a table with a look's results, piece by piece; the same bytes as of the whole in memory.

    BadInput where the format cannot be written in blocks, or the look needs all elements at once.
    """
    if form.blocks_out is None:
        written = " or ".join(f.title for f in FORMATS.values() if f.blocks_out)
        raise BadInput(f"{form.title} cannot be written in blocks. Write {written}.", place=form.ending,
                       code="not_in_blocks")  # fmt: skip
    done = 0

    def outgoing() -> Iterator[tuple[Population, dict[str, np.ndarray]]]:
        nonlocal done
        for evaluation in evaluate_blocks(look, table.blocks, surroundings, task=task):
            _check_moves(evaluation)
            population, results, _ = sent(evaluation, name, "ball")
            yield _without_ids(population), results
            done += population.count
            task.reach(done / max(table.count, 1))

    yield from form.blocks_out(outgoing(), table.count)


def _without_ids(population: Population) -> Population:
    """Ids that only tell the place in the whole have no column in files."""
    ids = population.elements.own.get("id")
    if ids is None or ids.fields:
        return population
    own = {name: a for name, a in population.elements.own.items() if name != "id"}
    return replace(population, elements=replace(population.elements, own=own))


#: What lanes that move elements want of the file.
_WANTED = {"size": "size", "spin": "orientation"}


def _check_moves(evaluation: Evaluation) -> None:
    """BadInput where elements are to be sized, turned or moved by what follows from all of them."""
    own = evaluation.population.elements.own
    for word in ("size", "spin", "offset"):
        if word not in evaluation.lanes:
            continue
        along = evaluation.look.document.lanes["offset"].along if word == "offset" else ""
        wanted = _WANTED.get(word, "normal" if along == "normal" else "")
        if wanted and wanted not in own:
            evaluation.scope.surroundings.whole.at_once(f"{word.title()} without a column {wanted!r}", f"lanes.{word}")
