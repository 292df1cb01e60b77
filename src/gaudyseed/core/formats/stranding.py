"""What the readers and writers of strands share: building populations, and what goes out with curves."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from ..errors import BadInput
from ..geometry.cubics import Basis, Wrap
from ..population import Attribute, Curves, Population
from ..population.naming import well_named
from ..population.strands import curves_of, of_curves
from .columns import check_count, placeable


def strands_of(
    points: dict[str, Attribute], sizes: np.ndarray, name: str, *, strands: Mapping[str, Attribute] | None = None,
    basis: Basis = "linear", wrap: Wrap = "nonperiodic", notes: Sequence[str] = (),
) -> Population:  # fmt: skip
    """Strands out of a file: counts and places are checked, what is odd is told in notes.

    BadInput names the first strand or point that cannot be used.
    """
    points, strands = well_named(points, name), well_named(strands or {}, name)
    position, width = points["position"], points.get("width")
    check_count(len(position.values), name)
    form = curves_of(np.asarray(sizes), len(position.values), name, basis, wrap)
    bad = ~placeable(position.values).all(axis=1)
    _all_well(form, bad, name, "have no usable place", "Give every point finite coordinates.", "bad_coordinate")
    if width is not None:
        _all_well(form, width.readable < 0, name, "have a width below 0", "Give widths of 0 or more.", "bad_width")
    made = of_curves(points, form, strands)
    return replace(made, notes=(*notes, *_odd(made, form)))


def _all_well(form: Curves, bad: np.ndarray, name: str, what: str, cure: str, code: str) -> None:
    """BadInput that names the first point which is bad, (n,) bool, by its strand and its number there."""
    rows = np.flatnonzero(bad)
    if len(rows):
        strand = int(np.searchsorted(form.starts, rows[0], side="right"))
        number = int(rows[0] - form.starts[strand - 1]) + 1
        raise BadInput(
            f"{len(rows):,} points of {name} {what}: the first is point {number} of strand {strand}. {cure}",
            place=f"{name}, strand {strand}, point {number}", code=code,
        )  # fmt: skip


def _odd(made: Population, form: Curves) -> list[str]:
    """Sentences about what is unusual and was kept."""
    lengths = made.elements.owners[0].attributes["strand_length"].values
    single = int((form.sizes == 1).sum())
    flat = int((lengths == 0).sum()) - single
    found = []
    if single:
        found.append(f"{single:,} strands have one point; they are kept, and nothing of them is drawn.")
    if flat > 0:
        found.append(f"{flat:,} strands have no length; along them points count by their number.")
    if form.wrap == "periodic":
        found.append("The curves are closed, so they have no tip: the place along runs once around.")
    return found


def curves_out(population: Population, what: str) -> Curves:
    """The form of strands; BadInput where there are none to write."""
    form = population.form.curves
    if form is None:
        raise BadInput(f"{what} wants strands; these elements are none. Choose another format.", code="no_strands")
    return form
