"""CSV of the parts of a mesh, or of what clones stand on: a row a part, with the mean of what its elements got."""

from __future__ import annotations

import numpy as np

from ..channels import CHANNELS
from ..errors import BadInput
from ..population import Attribute, Field, Population, of_points
from ..population.owning import owning_of
from ..runtime.task import UNWATCHED, Task
from .base import FORMATS, Format, WriterContext
from .columns import Results, check_results
from .csv_points import write as write_rows

LEVEL = "part"


def write(
    population: Population, results: Results | None, context: WriterContext = WriterContext(), task: Task = UNWATCHED
) -> bytes:  # fmt: skip
    """Number, name, size, area, middle and extent of each part, and the means of each channel and output.

    BadInput where the elements have no parts, and where a name would be run by a spreadsheet as a formula.
    """
    owners = next((above for above in population.elements.owners if above.level == LEVEL), None)
    if owners is None:
        raise BadInput("These elements belong to no parts. Write CSV of the elements.", code="no_parts")
    check_results(results)
    owning = owning_of(population.elements, LEVEL)
    table = {name: _listed(a) for name, a in owners.attributes.items()}
    for name in context.outputs:
        sent = population.elements.attribute(name)
        means_of = owning.of(np.ascontiguousarray(sent.readable, np.float32), "mean")
        table[name] = _listed(Attribute(name, "vector" if sent.width > 1 else "number", means_of, (), sent.fields))
    means = {
        word: owning.of(np.ascontiguousarray(CHANNELS[word].held(values), np.float32), "mean")
        for word, values in (results or {}).items()
    }
    return write_rows(of_points(owners.count, table), means, context, task)


def _listed(a: Attribute) -> Attribute:
    """The attribute under the names of columns, which those that are derived do not have yet."""
    if a.fields:
        return a
    columns = [a.name] if a.width == 1 else [f"{a.name}_{axis}" for axis in "xyzw"[: a.width]]
    return Attribute(
        a.name, a.kind, a.values, a.labels, tuple(Field(c, a.values.dtype.str) for c in columns), a.missing
    )


FORMATS.add("csv_parts", Format("csv_parts", "Parts, CSV", ".csv", "text/csv; charset=utf-8", write))
