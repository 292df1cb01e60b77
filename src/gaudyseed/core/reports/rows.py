"""The elements as rows: columns of what they carry and got, sorted and filtered."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..colour.spaces import display_bytes, linear_to_oklab
from ..digest import digest_of
from ..errors import BadInput
from ..kinds import NUMBER
from ..look.results import Evaluation
from ..look.steps import STEPS, Context, carried_out
from ..population import Attribute, Owners
from ..population.owning import owning_of
from ..runtime.cache import ResultCache

RESULT = "result"
_AXES = "xyzw"


@dataclass(frozen=True)
class Column:
    """One column: its key for sorting and what it shows (``number``, ``text`` or ``colour``)."""

    key: str
    kind: str


def columns_of(evaluation: Evaluation, level: str = "") -> list[Column]:
    """A column for each number an element carries, each signal, and the finished colour last.

    With a level, for each number that its owners have, and the mean colour of their elements.
    """
    found = []
    for a in _attributes(evaluation, level):
        if a.kind in ("number", "integer", "text", "colour"):
            found.append(Column(a.name, a.kind if a.kind in ("text", "colour") else "number"))
        else:
            found += [Column(f"{a.name}.{_AXES[k] if k < 4 else k}", "number") for k in range(a.width)]
    return [*found, Column(RESULT, "colour")]


def _attributes(evaluation: Evaluation, level: str = "") -> list[Attribute]:
    """The attributes, what tells elements apart first, and the signals as more of them.

    With a level, those of its owners.
    """
    if level:
        return list(_owners(evaluation, level).attributes.values())
    signals = [Attribute(name, value.kind.word, value.array) for name, value in evaluation.signal_values.items()]
    elements = evaluation.population.elements
    names = sorted(elements.names, key=lambda name: name != "id")
    return [*(elements.attribute(name) for name in names), *signals]


def _owners(evaluation: Evaluation, level: str) -> Owners:
    for above in evaluation.population.elements.owners:
        if above.level == level:
            return above
    raise BadInput(f"The elements belong to no {level[:60]!r}.", place="level", code="unknown_level")


def count_of(evaluation: Evaluation, level: str = "") -> int:
    """How many elements there are, or owners of a level."""
    return _owners(evaluation, level).count if level else evaluation.population.count


def colours_of(evaluation: Evaluation, cache: ResultCache, level: str) -> np.ndarray:
    """(k, 3) linear float32: the mean colour of the elements of each owner of a level."""
    key = digest_of("colours of", level, evaluation.population.digest, evaluation.lanes["base_colour"].digest)
    found: np.ndarray | None = cache.get(key)
    if found is None:
        _owners(evaluation, level)
        found = owning_of(evaluation.population.elements, level).of(evaluation.colours, "mean")
        cache.put(key, found, found.nbytes)
    return found


def order(
    evaluation: Evaluation, cache: ResultCache, sort: str = "", descending: bool = False, keep: str = "",
    level: str = "",
) -> np.ndarray:  # fmt: skip
    """Element numbers (m,) int64 that pass the filter, sorted; stable, ties in element order.

    With a level, numbers of its owners; these have no filter.

    Parameters
    ----------
    sort
        A column's key; empty keeps the order of the elements. Colours sort by OKLab lightness.
    keep
        A formula; elements where it is not 0 are kept. Empty keeps all.

    Raises
    ------
    BadInput
        For an unknown column or a formula that cannot be read.
    """
    population = evaluation.population
    reads = [evaluation.digest if sort == RESULT else "", [s.digest for s in evaluation.signals.values()]]
    dials = {name: dial.value for name, dial in evaluation.scope.dials.items()}
    key = digest_of("order", population.digest, reads, dials, sort, descending, keep, level)
    found: np.ndarray | None = cache.get(key)
    if found is None:
        found = _order(evaluation, cache, sort, descending, keep, level)
        cache.put(key, found, found.nbytes)
    return found


def _order(
    evaluation: Evaluation, cache: ResultCache, sort: str, descending: bool, keep: str, level: str
) -> np.ndarray:
    numbers = np.arange(_owners(evaluation, level).count if level else evaluation.population.count)
    if level and keep.strip():
        raise BadInput(f"Each {level} has no filter yet. Keep elements, or sort.", place="filter", code="no_filter")
    if keep.strip():
        numbers = np.flatnonzero(_kept(evaluation, keep))
    if not sort:
        return numbers[::-1] if descending else numbers
    evaluation.task.check()
    values = _sortable(evaluation, cache, sort, level)[numbers]
    # The complement turns the order of whole numbers round as the sign does that of others, and cannot overflow.
    turned = ~values if values.dtype.kind == "i" else -values
    return numbers[np.argsort(turned if descending else values, kind="stable")]


def _kept(evaluation: Evaluation, text: str) -> np.ndarray:
    try:
        formula = STEPS["formula"](step="formula", text=text)  # type: ignore[call-arg]
    except ValueError as error:
        cause = error.errors()[0].get("ctx", {}).get("error") if hasattr(error, "errors") else error
        raise BadInput(str(getattr(cause, "sentence", cause)), place="filter", code="bad_formula") from None
    if formula.result_kind(evaluation.scope, "filter") != NUMBER:
        raise BadInput("The filter gives a vector; a number is wanted. Compare a part of it.", place="filter")
    context = Context(evaluation.scope, "filter", evaluation.task, NUMBER, evaluation.signal_values)
    return carried_out(formula, context, None).array != 0


def _sortable(evaluation: Evaluation, cache: ResultCache, key: str, level: str) -> np.ndarray:
    if key == RESULT:
        return linear_to_oklab(colours_of(evaluation, cache, level) if level else evaluation.colours)[:, 0]
    name, _, axis = key.rpartition(".")
    named = {a.name: a for a in _attributes(evaluation, level)}
    attribute = named.get(key) or named.get(name)
    if attribute is None:
        raise BadInput(f"There is no column {key!r}.", place="sort", code="unknown_column")
    if attribute.kind == "text":
        return attribute.ranks.astype(np.float64)
    if attribute.kind == "colour":
        return linear_to_oklab(attribute.readable)[:, 0]
    if attribute.kind == "integer" and attribute.width == 1 and key == attribute.name:
        return attribute.precise()
    values = attribute.values
    if values.ndim == 2:
        at = _AXES.find(axis) if axis in _AXES else int(axis) if re.fullmatch("[0-9]{1,3}", axis) else -1
        if not 0 <= at < attribute.width or not axis:
            raise BadInput(f"There is no column {key!r}.", place="sort", code="unknown_column")
        values = values[:, at]
    return values.astype(np.float64)


def rows(evaluation: Evaluation, numbers: np.ndarray, cache: ResultCache, level: str = "") -> list[list[Any]]:
    """What each of these elements, or owners, shows in every column, as JSON; missing numbers are None."""
    columns: list[list[Any]] = []
    colours = colours_of(evaluation, cache, level) if level else evaluation.colours
    for a in _attributes(evaluation, level):
        columns += _shown(a, numbers)
    columns.append(_hexes(display_bytes(np.ascontiguousarray(colours[numbers]))))
    return [list(row) for row in zip(*columns, strict=True)]


def _shown(a: Attribute, numbers: np.ndarray) -> list[list[Any]]:
    if a.kind == "text":
        return [_unless(a, numbers, [a.labels[k] for k in a.values[numbers].tolist()])]
    if a.kind == "colour":
        return [_hexes(display_bytes(np.ascontiguousarray(a.readable[numbers])))]
    picked = a.values[numbers]
    parts = [picked] if picked.ndim == 1 else list(picked.T)
    return [_unless(a, numbers, [v if np.isfinite(v) else None for v in part.tolist()]) for part in parts]


def _unless(a: Attribute, numbers: np.ndarray, shown: list[Any]) -> list[Any]:
    """What is shown, with nothing where an element has no value."""
    if a.missing is None:
        return shown
    return [None if gone else value for value, gone in zip(shown, a.missing[numbers].tolist(), strict=True)]


def _hexes(levels: np.ndarray) -> list[str]:
    return ["#{:02x}{:02x}{:02x}".format(*c) for c in levels.tolist()]
