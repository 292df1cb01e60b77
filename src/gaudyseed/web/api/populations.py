"""What makers make: places for the view, attributes with their distributions, parts; and surfaces."""

from __future__ import annotations

import time

from flask import Blueprint, Response, request
from pydantic import Field

from ...core.documents.document import Document
from ...core.errors import BadInput
from ...core.geometry.surfaces import SURFACES, surface
from ...core.look.steps import STEPS
from ...core.population import Population
from ...core.reports.report import attribute_census
from ...core.shown.geometry import shown_geometry
from .. import binary
from ..drafts import Draft
from ..headers import PopulationHeader, SurfaceHeader
from ..openapi import BINARY, operation
from ..services import services

blueprint = Blueprint("populations", __name__)


class PopulationRequest(Document):
    """A population of a scene to make. A population of the scene may stand there as a text of JSON."""

    scene: Draft
    population: str = Field(max_length=40)
    frame: float | None = Field(None, description="Of the scene's timeline; its first where it is left out.")


def described(population: Population) -> dict[str, object]:
    """Count, notes and attributes of a population, as JSON."""
    elements = population.elements
    attributes = []
    for a in (elements.attribute(name) for name in elements.names):
        census = None if a.kind == "text" else attribute_census(a)
        parts = [attribute_census(a, k) for k in range(a.width)] if a.kind == "vector" and 1 < a.width <= 3 else []
        attributes.append(
            {
                "name": a.name, "kind": a.kind, "level": elements.level_of(a.name), "width": a.width, "census": census,
                "parts": parts,
                "texts": len(a.labels), "derived": not a.fields, "unreadable": a.unreadable, "role": a.role,
            }
        )  # fmt: skip
    levels = [{"name": elements.level, "count": population.count}]
    levels += [{"name": above.level, "count": above.count} for above in elements.owners]
    return {
        "kind": population.kind, "count": population.count, "notes": list(population.notes), "levels": levels,
        "attributes": attributes,
    }  # fmt: skip


@operation(blueprint, "/populations", method="post", body=PopulationRequest, result=BINARY, headers=(PopulationHeader,))
def make_population(body: PopulationRequest) -> Response:
    """What the view wants of a population, and its attributes."""
    began = time.perf_counter()
    run = services().run(body.scene, frame=body.frame)
    shown = shown_geometry(run, body.population)
    header = {
        **described(shown.population), "made": shown.key, "drawn": shown.drawn, "ground": shown.ground,
        "unfit": {word: why for word, step in STEPS.items() if (why := step.unfit(shown.population))},
        "low": shown.low.tolist(), "high": shown.high.tolist(), "faces": shown.faces,
        "milliseconds": round(1000 * (time.perf_counter() - began), 3),
    }  # fmt: skip
    return binary.answer(header, {"positions": shown.positions, **shown.arrays})


@operation(blueprint, "/surfaces/<name>", method="get", result=BINARY, headers=(SurfaceHeader,))
def get_surface(name: str) -> Response:
    """A surface as triangles with normals and gloss; ``?coarse=4`` with fewer, for slow machines."""
    if name not in SURFACES:
        raise BadInput(f"There is no surface {name!r}; there are {', '.join(SURFACES)}.", place="name")
    coarse = request.args.get("coarse", "1")
    if coarse not in ("1", "2", "4"):
        raise BadInput(f"{coarse[:20]!r} is none of 1, 2 and 4.", place="coarse")
    mesh = surface(name, int(coarse))
    low, high = mesh.vertices.min(axis=0).astype(float), mesh.vertices.max(axis=0).astype(float)
    header = {"name": name, "low": low.tolist(), "high": high.tolist()}
    arrays = {"positions": mesh.vertices, "normals": mesh.normals, "gloss": mesh.gloss, "faces": mesh.faces}
    response = binary.answer(header, arrays)
    response.headers["Cache-Control"] = "private, max-age=600"
    return response
