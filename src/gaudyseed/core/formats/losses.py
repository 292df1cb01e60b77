"""What a format cannot hold of a population, as sentences, so that nothing is lost without a word."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from ..population import Attribute, Population
from ..population.meshes import PART
from ..sampling import sample
from .base import Format

#: Names that every format has a place of its own for.
_PLACED = ("position", "normal", "uv", "colour", "size", "orientation", "width", "id")
_MOST_NAMED = 6


def losses(form: Format, population: Population) -> list[str]:
    """Sentences about what does not go out with a format, or not as it came.

    Examples
    --------
    >>> from gaudyseed.core.formats import FORMATS
    >>> from gaudyseed.core.population import Field, of_points
    >>> kinds = Attribute("kind", "text", np.array([0, 1]), ("fish", "fox"), (Field("kind", "<i4"),))
    >>> losses(FORMATS["ply"], of_points(2, {"kind": kinds}))
    ['The texts of kind go out as numbers; a comment in the file lists them.']
    """
    brought = [population.elements.attribute(name) for name in population.elements.brought]
    carried = [a for a in brought if a.fields]
    return [sentence for word in _SAID if word in form.lacks and (sentence := _SAID[word](population, carried))]


def _named(attributes: Iterable[Attribute]) -> str:
    names = [a.name for a in attributes]
    return ", ".join(names[:_MOST_NAMED]) + (
        f" and {len(names) - _MOST_NAMED} more" if len(names) > _MOST_NAMED else ""
    )


def _attributes(_: Population, carried: list[Attribute]) -> str:
    names = _named(a for a in carried if a.name not in _PLACED)
    return f"There is no place for {names}: only places, colours, uv and names go out." if names else ""


def _polygons(population: Population, _: list[Attribute]) -> str:
    return "Faces do not go out, only their vertices." if population.form.polygons is not None else ""


def _texts(_: Population, carried: list[Attribute]) -> str:
    names = _named(a for a in carried if a.kind == "text")
    return f"The texts of {names} go out as numbers; a comment in the file lists them." if names else ""


def _gaps(_: Population, carried: list[Attribute]) -> str:
    names = _named(a for a in carried if a.absent is not None and a.kind != "text")
    return f"What is missing in {names} becomes 0." if names else ""


def _doubles(_: Population, carried: list[Attribute]) -> str:
    names = _named(a for a in carried if a.values.dtype == np.float64 and _rounded(a.values))
    return f"{names} have more digits than the file holds; they are rounded." if names else ""


def _rounded(values: np.ndarray) -> bool:
    """Whether decimals of some would change: what float32 writes with as few digits is the same number."""
    there = sample(values.reshape(-1))
    there = there[np.isfinite(there)]
    with np.errstate(over="ignore"):
        short = there.astype(np.float32)
    return any(float(str(s)) != v for s, v in zip(short, there.tolist(), strict=True))


def _wide(_: Population, carried: list[Attribute]) -> str:
    names = _named(a for a in carried if a.width > 4)
    return f"{names} have more than four numbers and do not go out." if names else ""


def _of_faces(population: Population, _: list[Attribute]) -> str:
    form = population.form.polygons
    if form is None:
        return ""
    names = _named([*(a for n, a in form.of_faces.items() if n != PART), *form.of_corners.values()])
    return f"{names} belong to faces or their corners and do not go out." if names else ""


#: By what a format lacks, the sentence about a population; empty where it has nothing of the kind.
_SAID: dict[str, Callable[[Population, list[Attribute]], str]] = {
    "attributes": _attributes, "polygons": _polygons, "texts": _texts, "gaps": _gaps, "doubles": _doubles,
    "wide": _wide, "faces": _of_faces,
}  # fmt: skip
