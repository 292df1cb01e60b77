"""Populations of kind strands: points along curves as elements, strands as their owners, and what every strand has."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from ..errors import BadInput
from ..geometry.cubics import Basis, Wrap, check_cubics, on_cubics
from ..kernels import strands as kernels
from ..kernels.parallel import over
from .attribute import Attribute, Field
from .elements import KEY, Elements, Owners
from .forms import Curves
from .population import Population, Standing

#: The level above the points, and the attribute of strands that tells their part.
STRAND, PART = "strand", "part"
#: Of cubic curves, where on the curve each control point counts; ``position`` is that of the control point.
ON_CURVE = "curve_position"
#: Where elements keep what was measured when they were made.
_ALONG = "_along"
#: Points that all strands of a population may have together.
MOST_POINTS = 20_000_000
#: Points of one strand.
MOST_A_STRAND = 1_000_000
#: Strands that a thread takes at a time.
_CHUNK = 2048


def check_curves(sizes: np.ndarray, points: int, place: str, what: str = "strand") -> None:
    """BadInput where strands and points do not go together; the sentence names the first strand that is wrong."""
    sizes = np.asarray(sizes, np.int64)
    wrong = np.flatnonzero((sizes < 1) | (sizes > MOST_A_STRAND))
    if len(wrong):
        k = int(wrong[0])
        raise BadInput(
            f"{what.capitalize()} {k + 1} has {sizes[k]:,} points; a {what} has 1 to {MOST_A_STRAND:,}. {len(wrong):,} "
            "are so. Remove them, and export again.",
            place=f"{place}, {what} {k + 1}", code="bad_strands",
        )  # fmt: skip
    if int(sizes.sum()) != points:
        raise BadInput(
            f"The {what}s count {int(sizes.sum()):,} points together, but there are {points:,}. Export them again.",
            place=place, code="bad_strands",
        )  # fmt: skip
    check_points(points, place)


def curves_of(
    sizes: np.ndarray, points: int, place: str, basis: Basis = "linear", wrap: Wrap = "nonperiodic"
) -> Curves:
    """The form of strands with so many points each; BadInput where that cannot be."""
    check_curves(sizes, points, place)
    check_cubics(sizes, basis, wrap, place)
    return Curves(np.concatenate([[0], np.cumsum(sizes, dtype=np.int64)]), basis, wrap)


def of_strands(population: Population) -> dict[str, Attribute]:
    """What strands carry and files have: their own attributes, and the names of their parts as one of them."""
    strands, *above = population.elements.owners
    found = dict(strands.attributes)
    if above and above[0].index is not None:
        named = above[0].attributes.get("part_name") or above[0].attributes["part"]
        found[PART] = replace(named.taken(above[0].index), name=PART, fields=(Field(PART, "<i4"),))
    return found


def check_points(points: int, place: str) -> None:
    """BadInput where there are more points than are taken."""
    if points > MOST_POINTS:
        raise BadInput(
            f"These strands would have {points:,} points together; at most {MOST_POINTS:,} are taken. Use fewer "
            "strands, or fewer points along each.",
            place=place, code="too_many",
        )  # fmt: skip


def of_curves(
    points: Mapping[str, Attribute], form: Curves, strands: Mapping[str, Attribute] | None = None,
    parts: Owners | None = None, standing: Standing | None = None, notes: tuple[str, ...] = (),
) -> Population:  # fmt: skip
    """A population of kind strands.

    Parameters
    ----------
    points
        Attributes of the points, ``position`` among them, strand after strand.
    strands
        Attributes of the strands; ``strand`` tells them apart, and is their number where it is left out.
    parts
        The parts of what they grow on, with an index from the strands.
    standing
        Where their roots stand, one foot for each strand.

    Examples
    --------
    >>> places = Attribute("position", "vector", np.array([[0, 0, 0], [0, 0, 3], [0, 0, 4], [9, 0, 0]], np.float32))
    >>> made = of_curves({"position": places}, Curves(np.array([0, 3, 4])))
    >>> [made.elements.attribute(name).values.tolist() for name in ("along", "strand", "strand_length")]
    [[0.0, 0.75, 1.0, 0.0], [0, 0, 0, 1], [4.0, 4.0, 4.0, 0.0]]
    """
    controls = points["position"].readable
    if form.basis == "linear":
        places = controls
        distance, along, lengths = _distances(places, form.starts)
    else:
        places, distance, along, lengths = on_cubics(controls, form.starts, form.basis, form.wrap)
    table = _of_strands(places, form, lengths, dict(strands or {}))
    derived = {n: d for n, d in _derived(places, form, distance, along).items() if n not in points}
    if form.basis != "linear":
        derived[ON_CURVE] = lambda: Attribute(ON_CURVE, "vector", places, stands_for="point")
    if "normal" not in points:
        derived["normal"] = lambda: replace(table["root_normal"].taken(form.curve_of), name="normal")
    given_part = table.pop(PART, None)
    if parts is None and given_part is not None:
        parts = _parts(given_part)
    owners = [Owners(STRAND, form.curve_of, table, named=form.digest)]
    if parts is not None:
        owners.append(replace(parts, below=STRAND))
    elements = Elements("point", len(places), dict(points), tuple(owners), derived)
    elements.__dict__[_ALONG] = along
    if standing is not None and standing.foot_of is None:
        standing = replace(standing, foot_of=form.curve_of)
    return Population("strands", elements, form, notes, standing)


def along_of(population: Population) -> np.ndarray:
    """(n,) float32: the place of each point along its strand by length, whatever its file has under that name."""
    elements, form = population.elements, population.form.curves
    assert form is not None
    found: np.ndarray | None = elements.__dict__.get(_ALONG)
    if found is None:
        places = elements.attribute("position").readable
        if form.basis == "linear":
            found = _distances(places, form.starts)[1]
        else:
            found = on_cubics(places, form.starts, form.basis, form.wrap)[2]
        elements.__dict__[_ALONG] = found
    return found


def widths_of(population: Population) -> np.ndarray:
    """(n,) float32: how wide strands are at each point; a usual width where *width* is no plain number."""
    elements, form = population.elements, population.form.curves
    assert form is not None
    found = elements.find("width")
    if found is not None and found.kind in ("number", "integer") and found.width == 1:
        return found.readable
    return np.full(population.count, usual_width(drawn_places(population), form), np.float32)


def drawn_places(population: Population) -> np.ndarray:
    """(n, 3) float32: where the points of strands lie, on the curve where that is cubic."""
    found = population.elements.find(ON_CURVE) or population.elements.attribute("position")
    return found.readable


def _by_strand(count: int, work: Callable[[int, int], object]) -> None:
    over(count, work, chunk=_CHUNK)


def _distances(places: np.ndarray, starts: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(n,) and (n,) float32 of the points: distance from the root, and its part of the length; (c,) the lengths."""
    distance, along = np.empty(len(places), np.float32), np.empty(len(places), np.float32)
    lengths = np.empty(len(starts) - 1, np.float32)
    _by_strand(len(lengths), lambda a, b: kernels.distances(places, starts, a, b, distance, along, lengths))
    return distance, along, lengths


def _of_strands(
    places: np.ndarray, form: Curves, lengths: np.ndarray, given: dict[str, Attribute]
) -> dict[str, Attribute]:
    """The table of the strands: what was given, and number, points, length, root and the way that it points there."""
    roots = form.starts[:-1]
    found = {a.name: a for a in (given.pop(STRAND, None),) if a is not None and a.kind in ("integer", "text")}
    found.setdefault(
        STRAND, Attribute(STRAND, "integer", np.arange(form.count, dtype=np.int32), (), (Field(STRAND, "<i4"),))
    )
    made = [
        Attribute("strand_points", "integer", form.sizes.astype(np.int32)),
        Attribute("strand_length", "number", lengths, stands_for="length"),
        Attribute("root_position", "vector", places[roots], stands_for="point"),
    ]
    if "root_normal" not in given:
        made.append(Attribute("root_normal", "vector", _directions(places, form)[roots], stands_for="normal"))
    return {**found, **given, **{a.name: a for a in made}}


def _parts(named: Attribute) -> Owners:
    """The table of parts that strands name, each with its number and name."""
    if named.kind == "text":
        texts, codes = named.labels, named.values
    else:
        keys, codes = np.unique(named.values, return_inverse=True)
        texts = tuple(map(str, keys.tolist()))
    numbers = np.arange(len(texts), dtype=np.int32)
    found = [
        Attribute("part", "integer", numbers),
        Attribute("part_name", "text", numbers, texts),
        Attribute("part_size", "integer", np.bincount(codes, minlength=len(texts)).astype(np.int32)),
    ]
    return Owners(PART, np.ascontiguousarray(codes, np.int32), {a.name: a for a in found}, STRAND)


def directions(population: Population) -> np.ndarray:
    """(n, 3) float32 unit vectors: at each point the way of its curve, as it is drawn."""
    form = population.form.curves
    assert form is not None
    return _directions(drawn_places(population), form)


def _directions(places: np.ndarray, form: Curves) -> np.ndarray:
    """(n, 3) float32: the way that each strand runs at each point."""
    ways = np.empty((len(places), 3), np.float32)
    _by_strand(form.count, lambda a, b: kernels.directions(places, form.starts, a, b, ways))
    return ways


def _derived(
    places: np.ndarray, form: Curves, distance: np.ndarray, along: np.ndarray
) -> dict[str, Callable[[], Attribute]]:
    """What every point has: number, place along its strand, distance from the root, direction, curvature, width."""
    count = len(places)

    def curvatures() -> np.ndarray:
        out = np.empty(count, np.float32)
        _by_strand(form.count, lambda a, b: kernels.curvatures(places, form.starts, a, b, out))
        return out

    def width() -> np.ndarray:
        return np.full(count, usual_width(places, form), np.float32)

    return {
        KEY: lambda: Attribute(KEY, "integer", np.arange(count, dtype=np.int32)),
        "along": lambda: Attribute("along", "number", along),
        "distance": lambda: Attribute("distance", "number", distance, stands_for="length"),
        "direction": lambda: Attribute("direction", "vector", _directions(places, form), stands_for="direction"),
        "curvature": lambda: Attribute("curvature", "number", curvatures()),
        "width": lambda: Attribute("width", "number", width(), stands_for="length"),
    }  # fmt: skip


def usual_width(places: np.ndarray, form: Curves) -> float:
    """A width for strands that have none: thin beside the box around them."""
    box = places.max(axis=0) - places.min(axis=0) if len(places) else np.ones(3)
    across = max(float(np.linalg.norm(box.astype(np.float64))), 1e-9)
    return across * 0.35 / max(float(np.sqrt(form.count)), 60.0)


def numbered(form: Curves) -> np.ndarray:
    """(n,) float32: the place of each point along its strand by its number, 0 at the root and 1 at the tip."""
    out = np.empty(int(form.starts[-1]), np.float32)
    _by_strand(form.count, lambda a, b: kernels.numbered(form.starts, a, b, out))
    return out
