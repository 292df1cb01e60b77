"""A look over elements that come block by block, such as the rows of a table too long for memory.

Each block is evaluated alone, with bounded memory. Where a step depends on all elements, a pass over all blocks
measures them first; the parts of a measure are joined, in any order to the same bytes, and the results are those of the
whole table in memory. Steps that measure what another one gave take a pass more. What needs all elements at once says
so.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from ..population import Attribute, Population
from ..population.elements import KEY
from ..runtime.cache import ResultCache
from ..runtime.task import UNWATCHED, Task
from .evaluate import Evaluator
from .model import Look, Signal
from .results import Evaluation
from .scope import Surroundings
from .whole import Blocks, NotMeasured

#: Bytes of a block's results that are kept while it is evaluated.
_KEPT = 64 * 1024 * 1024

#: Gives all blocks from the first on, each time it is called.
Source = Callable[[], Iterable[Population]]


def evaluate_blocks(
    look: Look, source: Source, surroundings: Surroundings | None = None, shared: Sequence[Signal] = (),
    task: Task = UNWATCHED,
) -> Iterator[Evaluation]:  # fmt: skip
    """The results of a look on each block, in their order.

    Parameters
    ----------
    source
        Is called once for each pass. Elements without an id are known by their place in the whole.
    surroundings, shared
        What the scene has, and its signals.

    Raises
    ------
    BadInput
        Where the look does not fit, and where a step needs all elements at once.

    Examples
    --------
    >>> import numpy as np
    >>> from gaudyseed.core.population import Attribute, of_points
    >>> def blocks():
    ...     for low in (0.0, 4.0):
    ...         yield of_points(2, {"age": Attribute("age", "number", np.array([low, low + 1], np.float32))})
    >>> steps = [{"step": "attribute", "name": "age"}, {"step": "range", "own": True}]
    >>> look = Look.model_validate({"lanes": {"size": {"layers": [{"paint": steps}]}}})
    >>> [e.results["size"].round(2).tolist() for e in evaluate_blocks(look, blocks)]
    [[0.0, 0.20000000298023224], [0.800000011920929, 1.0]]
    """
    whole = Blocks()
    around = replace(surroundings or Surroundings({}), whole=whole)
    while _pass(look, source, around, shared, whole, task):
        pass
    for block in _placed(source, whole):
        task.check()
        yield _evaluator().evaluate(block, look, task.quiet(), surroundings=around, shared=shared)


def _placed(source: Source, whole: Blocks) -> Iterator[Population]:
    """The blocks with ids: those of the whole where the elements have none."""
    offset = 0
    for block in source():
        whole.begin_block(offset)
        if KEY not in block.elements.names:
            ids = Attribute(KEY, "integer", np.arange(offset, offset + block.count))
            block = replace(block, elements=block.elements.with_more({KEY: ids}))
        yield block
        offset += block.count


def _evaluator() -> Evaluator:
    """One for a block: its results depend on the others too, so that nothing of them is kept for those."""
    return Evaluator(ResultCache(_KEPT))


def _pass(
    look: Look, source: Source, around: Surroundings, shared: Sequence[Signal], whole: Blocks, task: Task
) -> bool:
    """Measure what can be measured now; False where nothing is left to be.

    What is asked follows from the look, so the first block tells whether a pass is needed.
    """
    for block in _placed(source, whole):
        task.check()
        if not _measured(block, look, around, shared, task):
            break
    return whole.end_pass()


def _measured(block: Population, look: Look, around: Surroundings, shared: Sequence[Signal], task: Task) -> bool:
    """Have each lane of a block ask what it needs; whether anything was still to be measured."""
    asked = False
    for word in look.lanes:
        alone = look.model_copy(update={"lanes": {w: lane for w, lane in look.lanes.items() if w == word}})
        try:
            _evaluator().evaluate(block, alone, task.quiet(), surroundings=around, shared=shared)
        except NotMeasured:
            asked = True
    return asked
