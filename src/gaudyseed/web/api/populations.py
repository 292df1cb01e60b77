"""What makers make: places for the view, attributes with their distributions; and surfaces."""

from __future__ import annotations

from flask import Blueprint, Response
from pydantic import Field

from ...core.document import Document
from ...core.errors import BadInput
from ...core.geometry.surfaces import SURFACES, surface
from ...core.look.follow import resolved
from ...core.look.model import MOST_DIALS, Dial
from ...core.population import Population
from ...core.population.derive import standing
from ...core.population.kinds import KINDS
from ...core.population.makers import Maker
from ...core.report import attribute_census
from .. import binary
from ..openapi import BINARY, operation
from ..workshop import workshop

blueprint = Blueprint("populations", __name__)


class MakerRequest(Document):
    """A maker to run, and the dials that its parameters may follow."""

    maker: Maker
    dials: tuple[Dial, ...] = Field((), max_length=MOST_DIALS)


def described(population: Population) -> dict[str, object]:
    """Count, notes and attributes of a population, as JSON."""
    elements = population.elements
    attributes = []
    for a in (elements.attribute(name) for name in elements.names):
        census = None if a.kind == "text" else attribute_census(a)
        attributes.append(
            {
                "name": a.name, "kind": a.kind, "level": elements.level_of(a.name), "width": a.width, "census": census,
                "texts": len(a.labels), "derived": not a.fields, "unreadable": a.unreadable,
            }
        )  # fmt: skip
    levels = [{"name": elements.level, "count": population.count}]
    levels += [{"name": above.level, "count": above.count} for above in elements.owners]
    return {"count": population.count, "notes": list(population.notes), "levels": levels, "attributes": attributes}


@operation(blueprint, "/populations", method="post", body=MakerRequest, result=BINARY)
def make_population(body: MakerRequest) -> Response:
    """Positions, orientations and sizes of what a maker makes, and its attributes."""
    maker = resolved(body.maker, {d.name: d for d in body.dials}, "maker")
    population = workshop().population(maker)
    positions = population.elements.own["position"].readable
    orientation, sizes = standing(population)
    low, high = positions.min(axis=0).astype(float), positions.max(axis=0).astype(float)
    kind = KINDS[population.kind]
    header = {
        **described(population), "kind": kind.word, "drawn": kind.drawn, "ground": maker.ground,
        "low": low.tolist(), "high": high.tolist(),
    }  # fmt: skip
    return binary.answer(header, {"positions": positions, "orientations": orientation, "sizes": sizes})


@operation(blueprint, "/surfaces/<name>", method="get", result=BINARY)
def get_surface(name: str) -> Response:
    """A surface as triangles with normals and gloss."""
    if name not in SURFACES:
        raise BadInput(f"There is no surface {name!r}; there are {', '.join(SURFACES)}.", place="name")
    mesh = surface(name)
    low, high = mesh.vertices.min(axis=0).astype(float), mesh.vertices.max(axis=0).astype(float)
    header = {"name": name, "low": low.tolist(), "high": high.tolist()}
    arrays = {"positions": mesh.vertices, "normals": mesh.normals, "gloss": mesh.gloss, "faces": mesh.faces}
    response = binary.answer(header, arrays)
    response.headers["Cache-Control"] = "private, max-age=600"
    return response
