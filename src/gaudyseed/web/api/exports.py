"""Files out."""

from __future__ import annotations

import json
import re
from typing import Literal

from flask import Blueprint, Response
from pydantic import BaseModel, ConfigDict, Field

from ...core.formats import WRITERS
from ...core.look.model import Scene
from ..openapi import BINARY, operation
from ..workshop import chosen, workshop

blueprint = Blueprint("exports", __name__)

_KINDS = {
    "ply": ("ply", "application/octet-stream"),
    "ply_ascii": ("ply", "text/plain; charset=us-ascii"),
    "csv": ("csv", "text/csv; charset=utf-8"),
}


class ExportRequest(BaseModel):
    """What to write."""

    model_config = ConfigDict(extra="forbid")
    scene: Scene
    population: str = Field(max_length=40)
    format: Literal["ply", "ply_ascii", "csv", "look"]


@operation(blueprint, "/exports", method="post", body=ExportRequest, result=BINARY)
def export(body: ExportRequest) -> Response:
    """A population with its colours, or its look, as a file."""
    entry = chosen(body.scene, body.population)
    stem = re.sub(r"[^A-Za-z0-9]+", "-", entry.name).strip("-").lower() or "population"
    if body.format == "look":
        text = json.dumps(entry.look.model_dump(mode="json"), indent=1) + "\n"
        return as_file(text.encode(), f"{stem}.look.json", "application/json")
    shop = workshop()
    population = shop.population(entry.maker)
    evaluation = shop.evaluator.evaluate(population, entry.look, dials=body.scene.dials)
    ending, kind = _KINDS[body.format]
    return as_file(WRITERS[body.format](population, evaluation.colours), f"{stem}.{ending}", kind)


def as_file(data: bytes, name: str, kind: str) -> Response:
    """A file to be saved."""
    response = Response(data, content_type=kind)
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response
