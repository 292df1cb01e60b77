"""The elements as rows of a table, a window at a time."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Blueprint
from pydantic import BaseModel, Field

from ...core.documents.document import Document
from ...core.reports import rows
from ...core.scene.model import Scene
from ..openapi import operation
from ..services import services

blueprint = Blueprint("elements", __name__)


class ElementsRequest(Document):
    """Which rows: sorted by a column, kept by a formula, a window of them."""

    scene: Scene
    population: str = Field(max_length=40)
    sort: str = Field("", max_length=220)
    descending: bool = False
    keep: str = Field("", max_length=1000, description="A formula; elements where it is not 0 are kept.")
    offset: int = Field(0, ge=0)
    limit: int = Field(100, ge=0, le=500)
    level: str = Field("", max_length=40, description="Rows for the owners of this level in place of the elements.")
    frame: float | None = Field(None, description="Of the scene's timeline; its first where it is left out.")
    find: int | None = Field(None, ge=0, description="An element whose row is looked for.")


class ElementColumn(BaseModel):
    """A column of the table of elements."""

    key: str
    kind: str


class ElementsAnswer(BaseModel):
    """A window of the rows."""

    total: int
    matched: int
    columns: list[ElementColumn]
    elements: list[int]
    rows: list[list[Any]]
    row_found: int | None


@operation(blueprint, "/elements", method="post", body=ElementsRequest, result=ElementsAnswer)
def list_elements(body: ElementsRequest) -> ElementsAnswer:
    """A window of the elements as rows."""
    shared = services()
    evaluation = shared.run(body.scene, frame=body.frame).evaluation(body.population)
    cache = shared.evaluator.cache
    order = rows.order(evaluation, cache, body.sort, body.descending, body.keep, body.level)
    window = order[body.offset : body.offset + body.limit]
    found = np.flatnonzero(order == (-1 if body.find is None else body.find))
    return ElementsAnswer(
        total=rows.count_of(evaluation, body.level),
        matched=len(order),
        columns=[ElementColumn(key=c.key, kind=c.kind) for c in rows.columns_of(evaluation, body.level)],
        elements=window.tolist(),
        rows=rows.rows(evaluation, window, cache, body.level),
        row_found=int(found[0]) if len(found) else None,
    )
