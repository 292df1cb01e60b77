"""What a population looks like at first: the colours that it brought, one for each of a few values, or by chance."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ..colour.harmony import apart
from ..documents.upgrade import VERSION
from ..errors import BadInput
from ..population import Attribute, Population
from ..population.makers import MakerModel
from ..population.makers.base import FIRST_RAMP
from .model import Look

#: A column of so many different values is offered as one colour each.
FEWEST, MOST = 2, 24
#: Columns that tell elements apart, or that an earlier run left.
_NO_GROUPS = ("id", "finish", "shape_number")


def carried_colour(population: Population) -> str:
    """The name of the colours that the elements brought; empty where they brought none.

    Those of an earlier run come first, because these are in linear light and not rounded.
    """
    elements = population.elements
    named = [elements.attribute(name) for name in elements.brought]
    held = [a.name for a in named if a.kind == "colour" and not a.name.startswith("original_")]
    return next((name for name in ("base_colour", "colour") if name in held), held[0] if held else "")


def groups_of(population: Population) -> list[tuple[str, int]]:
    """The text and whole number columns with few values, each with how many it has."""
    found = []
    for a in (population.elements.attribute(name) for name in population.elements.brought):
        if a.kind in ("text", "integer") and a.width == 1 and a.name not in _NO_GROUPS:
            count = _values_of(a)
            if FEWEST <= count <= MOST:
                found.append((a.name, count))
    return found


def _values_of(a: Attribute) -> int:
    """How many different values there are; one more than are of interest where there are many."""
    sample = a.values[:: max(1, len(a.values) // 4096)]
    return len(np.unique(a.values)) if len(np.unique(sample)) <= MOST else MOST + 1


_CHANCE: tuple[Mapping[str, object], ...] = ({"step": "random", "seed": 1}, FIRST_RAMP)
#: Along strands, from root to tip.
_ALONG: tuple[Mapping[str, object], ...] = ({"step": "along"}, FIRST_RAMP)


def look_of_maker(maker: type[MakerModel]) -> Look:
    """What a new population of a maker looks like.

    >>> from gaudyseed.core.population.makers import MAKERS
    >>> [step.step for step in look_of_maker(MAKERS["strands"]).lanes["base_colour"].layers[0].paint]
    ['along', 'ramp']
    """
    return _painted(maker.begins_painted or _CHANCE)


def _painted(paint: Sequence[Mapping[str, object]]) -> Look:
    layer = {"name": "Colours", "paint": list(paint)}
    return Look.model_validate({"gaudyseed": VERSION, "lanes": {"base_colour": {"layers": [layer]}}})


def first_look(population: Population, colours: str = "own") -> Look:
    """The first look of a population.

    Parameters
    ----------
    colours
        ``own``: those that it brought; where it brought none, strands run along a ramp and others are coloured by
        chance. ``chance``: by chance in any case. ``each:NAME``: one colour for each value of a column.

    Raises
    ------
    BadInput
        Where there is no such column, or it has too many values.

    Examples
    --------
    >>> from gaudyseed.core.population import Field, of_points
    >>> kinds = Attribute("kind", "text", np.array([0, 1, 0]), ("fish", "fox"), (Field("kind", "<i4"),))
    >>> look = first_look(of_points(3, {"kind": kinds}), "each:kind")
    >>> [step.step for step in look.lanes["base_colour"].layers[0].paint]
    ['attribute', 'palette']
    """
    carried = carried_colour(population) if colours == "own" else ""
    paint: Sequence[Mapping[str, object]] = _CHANCE
    if colours.startswith("each:"):
        paint = _one_each(population, colours.removeprefix("each:"))
    elif carried:
        paint = [{"step": "attribute", "name": carried}]
    elif population.form.curves is not None and colours == "own":
        paint = _ALONG
    return _painted(paint)


def _one_each(population: Population, name: str) -> list[dict[str, object]]:
    counts = dict(groups_of(population))
    if name not in counts:
        listed = ", ".join(counts) or "none"
        raise BadInput(
            f"{name[:60]!r} has no few values that could have a colour each. There are: {listed}.", place="colours"
        )
    swatches = [{"colour": colour} for colour in apart(counts[name])]
    return [
        {"step": "attribute", "name": name, "component": "order"},
        {"step": "palette", "name": name[:100], "swatches": swatches},
    ]
