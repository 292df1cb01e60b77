"""What makers make: places for the view, attributes with their distributions, parts; and surfaces."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
from flask import Blueprint, Response, request
from pydantic import Field

from ...core.documents.document import Document
from ...core.errors import BadInput
from ...core.geometry.parted import thing
from ...core.geometry.surfaces import SURFACES, surface
from ...core.look.steps import STEPS
from ...core.population import Curves, Polygons, Population
from ...core.population.derive import standing
from ...core.population.kinds import KINDS
from ...core.population.strands import drawn_places, widths_of
from ...core.reports.report import attribute_census
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


def _instances(population: Population) -> dict[str, np.ndarray]:
    """Places, turns and sizes."""
    orientations, sizes = standing(population)
    found = {"orientations": orientations, "sizes": sizes, **_parts(population)}
    if population.models is not None:
        found["models"] = population.models.of
        if population.elements.find("copy_position") is not None:
            found["places"] = population.elements.attribute("copy_position").readable
    if not population.shape:
        return found
    shape = thing(population.shape)
    found |= {"shape_positions": shape.vertices, "shape_normals": shape.normals, "shape_faces": shape.faces,
              "shape_pieces": shape.part_of}  # fmt: skip
    if population.elements.find("copy_position") is not None:
        # Drawn as a piece of its copy, which stands at the copy's place.
        found["pieces"] = population.elements.attribute("part").values.astype(np.uint8)
        found["places"] = population.elements.attribute("copy_position").readable
    return found


def _parts(population: Population) -> dict[str, np.ndarray]:
    """The part of each element, where they have parts."""
    parts = population.elements.owner_of("part")
    return {} if parts is None else {"parts": np.ascontiguousarray(parts, np.int32)}


def _surface(population: Population) -> dict[str, np.ndarray]:
    """Normals, triangles, and the part of each vertex."""
    form = population.form
    assert isinstance(form, Polygons)
    uv = population.elements.find("uv")
    return {
        **({"uv": uv.readable} if uv is not None and uv.kind == "vector" and uv.width == 2 else {}),
        "normals": population.elements.attribute("normal").readable,
        "triangles": form.triangles,
        **_parts(population),
    }


def _ribbons(population: Population) -> dict[str, np.ndarray]:
    """Widths, where each strand begins, and the part of each point."""
    form = population.form
    assert isinstance(form, Curves)
    return {
        "widths": widths_of(population),
        "starts": form.starts.astype(np.int32),
        "normals": population.elements.attribute("root_normal").readable,
        **_parts(population),
    }


#: What the view wants beside the positions, by the word that a kind is drawn with.
_ARRAYS: dict[str, Callable[[Population], dict[str, np.ndarray]]] = {
    "instances": _instances, "surface": _surface, "ribbons": _ribbons,
}  # fmt: skip


@operation(blueprint, "/populations", method="post", body=PopulationRequest, result=BINARY, headers=(PopulationHeader,))
def make_population(body: PopulationRequest) -> Response:
    """What the view wants of a population, and its attributes."""
    began = time.perf_counter()
    run = services().run(body.scene, frame=body.frame)
    request = run.request(body.population)
    # Without painted columns: the page knows those from the scene, and a stroke makes nothing anew.
    population = run.target(body.population).population
    kind = KINDS[population.kind]
    strands = isinstance(population.form, Curves)
    positions = drawn_places(population) if strands else population.elements.attribute("position").readable
    low, high = positions.min(axis=0).astype(float), positions.max(axis=0).astype(float)
    header = {
        **described(population), "made": request.key, "drawn": kind.drawn, "ground": request.maker.ground,
        "unfit": {word: why for word, step in STEPS.items() if (why := step.unfit(population))},
        "low": low.tolist(), "high": high.tolist(), "faces": getattr(population.form, "faces", 0),
        "milliseconds": round(1000 * (time.perf_counter() - began), 3),
    }  # fmt: skip
    return binary.answer(header, {"positions": positions, **_ARRAYS[kind.drawn](population)})


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
