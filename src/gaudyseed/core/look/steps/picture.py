"""picture: the colours of a picture by uv, or by a plane in space."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...documents.paths import pointer
from ...documents.references import Names
from ...errors import Fix
from ...geometry.placing import undoing
from ...kinds import COLOUR, NUMBER, Kind
from ...pictures.picture import Picture as Texels
from ...pictures.picture import within
from ...scene.follow import Placed
from ..scope import Scope
from ..step.measured import TRIPLE, Affine, Extent, Placing, Where
from ..step.reported import Advisory, Outcome, put
from ..step.values import Context, Plan, Value

#: Luma weights of linear light (ITU-R BT.709-6).
_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
#: Texels between two elements from which a picture is finer than these can show.
_TOO_FINE = 4
_PARTS = ("red", "green", "blue", "alpha")
_Shift = Placed[Annotated[float, Field(ge=-1e6, le=1e6)]]
_Scale = Placed[Annotated[float, Field(ge=1e-6, le=1e6)]]


class Picture(Placing):
    """What a picture shows where an element is: a colour in linear light, or one component of it.

    By ``plane``: a rectangle in space that the picture fills, looked at along its third axis; left to itself it is that
    of the two longest sides of the elements' box. By ``uv``: a vector of two from the picture's lower left corner.
    Between texels it is bilinear; where elements stand further apart than texels, each gets the mean of an area. Beyond
    its edges the picture repeats, is mirrored or holds its last texels.
    """

    title: ClassVar[str] = "Picture"
    noun: ClassVar[str] = "a picture"
    summary: ClassVar[str] = "the colours of a picture by uv or by a plane"
    aim: ClassVar = "place"
    gives: ClassVar[Kind] = COLOUR
    details: ClassVar[bool] = False

    step: Literal["picture"]
    picture: Annotated[str | None, Names("asset")] = Field(
        None, max_length=100, title="Picture", description="Left out, the scene's first one, else the moon that ships.",
        json_schema_extra={"control": "picture"},
    )  # fmt: skip
    on: Literal["plane", "uv"] = Field("plane", title="Lies", json_schema_extra={"words": ["On a plane", "By uv"]})
    uv: Annotated[str, Names("attribute")] = Field(
        "uv", min_length=1, max_length=200, title="uv", json_schema_extra={"control": "vector", "when": {"on": "uv"}}
    )
    part: Literal["colour", "grey", "red", "green", "blue", "alpha"] = Field(
        "colour", title="Read", json_schema_extra={"words": ["Colour", "Grey", "Red", "Green", "Blue", "Alpha"]}
    )
    greyed: bool = Field(False, title="Greyed", description="A colour with red, green and blue alike.")
    edge: Literal["repeat", "mirror", "hold"] = Field("hold", title="Beyond its edges")
    size: tuple[Extent, Extent] | None = Field(
        None, title="Size", description="Half the width and height of the plane; left out, that of the elements.",
        json_schema_extra=TRIPLE,
    )  # fmt: skip
    shift: tuple[_Shift, _Shift] = Field((0.0, 0.0), title="Shift", json_schema_extra={"control": "three"})
    scale: tuple[_Scale, _Scale] = Field((1.0, 1.0), title="Scale", json_schema_extra={"control": "three"})
    spin: Placed[Annotated[float, Field(ge=-36_000, le=36_000)]] = Field(
        0.0, title="Spin", description="Of the picture about its middle.", json_schema_extra={"unit": "°"}
    )
    averaged: bool = Field(True, title="Averaged", description="Means of areas where elements stand far apart.")

    def signals_read(self) -> set[str]:
        """The uv that it may lie by."""
        return {*super().signals_read(), *({self.uv} if self.on == "uv" else ())}

    def _source(self) -> Picture:
        """Itself as a step that is measured by uv where it lies so: then nothing is placed in space."""
        return self.model_copy(update={"by": self.uv, "space": "own"}) if self.on == "uv" else self

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A colour or a number; checks the picture and the vector."""
        if self.on == "uv":
            self._source().check_measure(scope, place, "uv")
        else:
            self.check_measure(scope, place)
            self.spot(scope, place)
        self._texels(scope, place)
        return COLOUR if self.part == "colour" else NUMBER

    def _texels(self, scope: Scope, place: str) -> Texels:
        name = self.picture or next(iter(scope.surroundings.pictures), "moon")
        return scope.picture(name, f"{place}.picture")

    def depends_on(self, scope: Scope) -> list[Any]:
        """The picture, what is measured, and where the marker is."""
        spot = self.spot(scope, "") if self.on == "plane" else None
        source = self._source()
        found = None if spot is None else spot.tolist()
        return [self._texels(scope, "").digest, *source.measured_from(scope), found]

    def resting(self, scope: Scope, where: Where, texels: Texels) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Centre (3,), size (2,) and the turn (3,) in degrees, with what was left out fitted to the elements.

        The fitted plane faces along the shortest side of their box, and keeps the picture's proportions.
        """
        spot = self.spot(scope, "")
        turn, halves = np.array(self.turn, np.float64), where.halves
        low, high = where.box
        facing = int((high - low).argmin())
        if self.centre is None and self.size is None and not turn.any():
            # z is up: pictures stand upright, and lie only where the elements do.
            turn = {0: np.array([90.0, 0, 90.0]), 1: np.array([90.0, 0, 0]), 2: np.zeros(3)}[facing]
        if self.size is not None:
            return where.middle if spot is None else spot, np.array(self.size, np.float64), turn
        across, up = {0: (1, 2), 1: (0, 2), 2: (0, 1)}[facing]
        tall = max(halves[up], halves[across] * texels.height / texels.width)
        return where.middle if spot is None else spot, np.array([tall * texels.width / texels.height, tall]), turn

    def _into(self, scope: Scope, where: Where, texels: Texels) -> np.ndarray:
        """(4, 4): from what is measured to texture coordinates of 0 to 1."""
        if self.on == "uv":
            found = np.eye(4)
        else:
            centre, size, turn = self.resting(scope, where, texels)
            turned = self.model_copy(update={"turn": tuple(turn)})
            found = turned.placement(centre, np.array([*size, 1.0]))
            found = np.array([[0.5, 0, 0, 0.5], [0, 0.5, 0, 0.5], [0, 0, 1, 0], [0, 0, 0, 1]]) @ found
        return within(self.shift, self.scale, float(self.spin)) @ found

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n, 3) linear colours, or (n,) float32; the facts tell how many texels lie between two elements."""
        texels = self._texels(context.scope, context.place)
        where = self._source().where_of(context)
        near = np.zeros(3) if self.on == "uv" else self.resting(context.scope, where, texels)[0]
        affine = where.affine(self._into(context.scope, where, texels), near)
        between = _between(where, affine, texels)
        level = math.log2(between) - 0.5 if self.averaged and between > 1 else 0.0
        at = texels.filling(level, self.edge)

        def fill(a: int, b: int, out: np.ndarray) -> None:
            x, y, z = where.columns(a, b)
            us, vs = affine.row(0, x, y, z), affine.row(1, x, y, z)
            found = at(np.clip(us, -1e6, 1e6), np.clip(vs, -1e6, 1e6))
            if self.part in _PARTS:
                out[:] = found[:, _PARTS.index(self.part)]
            elif self.part == "grey":
                out[:] = found[:, :3] @ _LUMA
            else:
                out[:] = (found[:, :3] @ _LUMA)[:, None] if self.greyed else found[:, :3]

        facts = {"inside": _inside(where, affine), "texels": between, "level": max(level, 0.0)}
        if self.on == "uv":
            facts["span"] = _span(where, affine, texels)
        return Plan(fill, facts=facts)

    def attributes_read(self) -> tuple[str, ...]:
        """The vector that it lies by."""
        return (self.uv if self.on == "uv" else self.by,)

    def between_elements(self, outcome: Outcome) -> bool:
        """Its edges lie between them; one that is much finer is told by itself."""
        return (outcome.value.facts or {}).get("texels", 0.0) <= _TOO_FINE

    def settled(self, outcome: Outcome) -> Picture:
        """The step with its plane written out, in the space that it is measured in, as fine as it was read."""
        level = (outcome.value.facts or {}).get("level", 0.0)
        own = {"averaged": level > 0}
        if self.on == "uv":
            return self.model_copy(update=own)
        scope = outcome.scope
        centre, size, turn = self.resting(scope, self.where(scope, outcome.signals), self._texels(scope, ""))
        update = {"marker": None, "centre": tuple(centre), "size": tuple(size), "turn": tuple(turn)}
        return self.model_copy(update={**own, **update, "space": self.measured_in})

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """The size of the picture, and where its plane stands."""
        texels = self._texels(outcome.scope, "")
        found: dict[str, Any] = {"picture": {"width": texels.width, "height": texels.height}}
        if self.on == "plane":
            where = self.where(outcome.scope, outcome.signals)
            centre, size, turn = self.resting(outcome.scope, where, texels)
            found["placement"] = {"centre": centre.round(6).tolist(), "size": [*size.round(6).tolist(), 0.0],
                                  "end": centre.round(6).tolist(), "turn": turn.tolist(),
                                  "space": self.measured_in}  # fmt: skip
        return found

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """Warnings that it has more detail than the elements can show, or that it lies beside them."""
        facts = outcome.value.facts or {}
        population = outcome.scope.population
        if facts.get("texels", 0) > _TOO_FINE and len(outcome.value.array):
            mesh = population.form.polygons is not None
            word = "vertices" if mesh else "elements"
            fixes = (Fix("Subdivide it once more", [], "subdivide"),) if mesh else ()
            yield Advisory(
                "picture_too_fine", outcome.place,
                f"The picture is finer than these {word} can show: {facts['texels']:.0f} of its texels lie between two "
                "of them, and are averaged.",
                fixes,
            )  # fmt: skip
        values = outcome.value.array
        at = pointer(outcome.place)
        if self.on == "uv" and len(values) > 1:
            if facts.get("span", 2.0) < 1:
                yield Advisory(
                    "picture_one_texel", outcome.place,
                    f"All elements read one texel of the picture, because their {self.uv} hardly differs.",
                    (Fix("Lay it on a plane", [put(f"{at}/on", "plane")]),),
                )  # fmt: skip
            elif self.edge == "hold" and facts.get("inside", 1.0) < 0.05:
                yield Advisory(
                    "picture_outside", outcome.place,
                    f"{100 * (1 - facts['inside']):.0f} % of the elements have a {self.uv} outside 0 to 1, where the "
                    "picture's edge goes on.",
                    (Fix("Repeat the picture", [put(f"{at}/edge", "repeat")]),),
                )  # fmt: skip
        if self.on == "plane" and self.edge == "hold" and len(values) > 1 and facts.get("inside") == 0:
            fitted = [put(f"{at}/{name}", None) for name in ("marker", "centre", "size")]
            fitted.append(put(f"{at}/turn", [0.0, 0.0, 0.0]))
            yield Advisory(
                "picture_misses", outcome.place, "No element lies within this picture: all get its edge.",
                (Fix("Fit it to the population", fitted),),
            )  # fmt: skip


def _span(where: Where, affine: Affine, texels: Texels) -> float:
    """How many texels the elements reach over, along the wider of the picture's sides."""
    low, high = where.own_box
    corners = np.array([[(low, high)[b >> k & 1][k] for k in range(3)] for b in range(8)])
    at = corners @ affine.matrix[:2, :3].T + affine.matrix[:2, 3]
    return float((np.ptp(at, axis=0) * [texels.width, texels.height]).max())


def _inside(where: Where, affine: Affine) -> float:
    """The part of the elements that lie within the picture, by up to 4,096 of them."""
    some = where.values[:: max(1, len(where.values) // 4096), :3]
    sample = np.zeros((len(some), 3))
    sample[:, : some.shape[1]] = some
    at = sample @ affine.matrix[:2, :3].T + affine.matrix[:2, 3]
    return float(((at >= 0) & (at <= 1)).all(axis=1).mean()) if len(at) else 0.0


def _between(where: Where, affine: Affine, texels: Texels) -> float:
    """About how many texels lie between neighbours: their distance times the texels of a unit."""
    linear = affine.matrix[:2, :3] * [[texels.width], [texels.height]]
    # What a plane is looked at along does not count: the two greatest of the three stretches of the map.
    stretches = np.linalg.svd(linear @ undoing(where.space[:3, :3]), compute_uv=False)
    return float(where.spacing * math.sqrt(stretches[0] * stretches[1]))
