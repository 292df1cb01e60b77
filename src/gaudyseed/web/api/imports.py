"""Files in: a look at what would come, then the columns into the store, all or none."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, request
from pydantic import BaseModel

from ...core.errors import BadInput
from ...core.formats import read_points
from ...core.population import Population
from ...core.population.makers.imported import ImportedMaker, store_columns
from ..openapi import operation
from ..workshop import unless_gone, workshop
from .populations import described

blueprint = Blueprint("imports", __name__)


class ImportPreview(BaseModel):
    """What was recognised; nothing has been stored."""

    file: str
    count: int
    notes: list[str]
    attributes: list[dict[str, Any]]


class ImportAnswer(ImportPreview):
    """What was stored, with the maker to put into a scene."""

    maker: ImportedMaker


def _uploaded() -> tuple[Population, str]:
    """The file of the request's body (``?name=`` carries its name)."""
    name = request.args.get("name", "")[:200]
    if not name:
        raise BadInput("The name of the file is missing. Add ?name=.", place="name")
    return read_points(request.get_data(cache=False), name, unless_gone()), name


@operation(blueprint, "/imports/preview", method="post", result=ImportPreview)
def preview_import() -> ImportPreview:
    """What a PLY or CSV file (the request's body) holds."""
    population, name = _uploaded()
    return ImportPreview(file=name, **described(population))


@operation(blueprint, "/imports", method="post", result=ImportAnswer)
def import_file() -> ImportAnswer:
    """Store the columns of a PLY or CSV file (the request's body)."""
    population, name = _uploaded()
    maker, columns = store_columns(population, name)
    workshop().store.put_columns(columns)
    return ImportAnswer(file=name, maker=maker, **described(population))
