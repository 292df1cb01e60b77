"""What the readers and writers of strands share: building populations, and what goes out with curves."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from ..errors import BadInput
from ..geometry.cubics import Basis, Wrap
from ..population import Attribute, Curves, Population
from ..population.strands import curves_of, of_curves


def strands_of(
    points: dict[str, Attribute], sizes: np.ndarray, name: str, *, strands: Mapping[str, Attribute] | None = None,
    basis: Basis = "linear", wrap: Wrap = "nonperiodic", notes: Sequence[str] = (),
) -> Population:  # fmt: skip
    """Strands out of a file: counts and places are checked, what is odd is told in notes.

    BadInput names the first strand or point that cannot be used.
    """
    position = points["position"]
    form = curves_of(np.asarray(sizes), len(position.values), name, basis, wrap)
    bad = np.flatnonzero(~np.isfinite(position.values).all(axis=1))
    if len(bad):
        strand = int(np.searchsorted(form.starts, bad[0], side="right"))
        raise BadInput(
            f"{len(bad):,} points of {name} have no usable place: the first is point "
            f"{bad[0] - form.starts[strand - 1] + 1} of strand {strand}. Give every point finite coordinates.",
            place=f"{name}, strand {strand}", code="bad_coordinate",
        )  # fmt: skip
    width = points.get("width")
    if width is not None and width.kind in ("number", "integer"):
        below = np.flatnonzero(np.asarray(width.readable) < 0)
        if len(below):
            strand = int(np.searchsorted(form.starts, below[0], side="right"))
            raise BadInput(
                f"{len(below):,} points of {name} have a width below 0: the first is {width.readable[below[0]]:g} on "
                f"strand {strand}. Give widths of 0 or more.",
                place=f"{name}, strand {strand}, width", code="bad_width",
            )  # fmt: skip
    made = of_curves(points, form, strands)
    return replace(made, notes=(*notes, *_odd(made, form)))


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
    if not isinstance(population.form, Curves):
        raise BadInput(f"{what} wants strands; these elements are none. Choose another format.", code="no_strands")
    return population.form
