"""Evaluation of a draft: colours for all elements, censuses, a trace. Stateless, cached by content."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
from flask import Blueprint, Response
from pydantic import BaseModel, ConfigDict, Field

from ...core.buffers import empty
from ...core.colour.spaces import display_bytes
from ...core.errors import BadInput
from ...core.kernels import encoding
from ...core.kernels.parallel import over
from ...core.look.model import Scene
from ...core.population import Population
from .. import binary
from ..openapi import BINARY, operation
from ..workshop import chosen, workshop

blueprint = Blueprint("evaluations", __name__)


class EvaluationRequest(BaseModel):
    """What to evaluate. A request that a newer one of the same session overtakes is dropped."""

    model_config = ConfigDict(extra="forbid")
    scene: Scene
    population: str = Field(max_length=40)
    census: bool = True
    trace: int | None = Field(None, ge=0)
    preview: str | None = Field(None, max_length=200, description="An attribute to show in greys instead.")
    session: str = Field("", max_length=60)
    sequence: int = Field(0, ge=0)


@operation(blueprint, "/evaluations", method="post", body=EvaluationRequest, result=BINARY)
def evaluate(body: EvaluationRequest) -> Response:
    """Evaluate a draft."""
    began = time.perf_counter()
    shop = workshop()
    check = shop.latest.enter(body.session, body.sequence) if body.session else lambda: None
    entry = chosen(body.scene, body.population)
    population = shop.population(entry.maker)
    evaluation = shop.evaluator.evaluate(population, entry.look, check)
    groups = shop.reporter.groups(evaluation)
    if body.preview is None:
        levels = shop.evaluator.display(evaluation, check)
    else:
        levels = _in_greys(population, body.preview)
    colours = empty((population.count, 4), np.uint8)
    over(
        population.count,
        lambda a, b: encoding.with_group(levels[a:b].reshape(-1), groups.of[a:b], colours[a:b]),
        check,
    )
    header: dict[str, Any] = {
        "sequence": body.sequence,
        "population": body.population,
        "count": population.count,
        "computed": evaluation.computed,
        "reused": evaluation.reused,
        "groups": {"counts": groups.counts, "colours": groups.colours, "place": groups.place},
        "steps": shop.reporter.steps(evaluation) if body.census else {},
        "advisories": shop.reporter.advisories(evaluation) if body.census else [],
        "trace": None,
    }
    if body.trace is not None:
        if body.trace >= population.count:
            raise BadInput(f"There are {population.count:,} elements; there is no element {body.trace}.", place="trace")
        header["trace"] = shop.reporter.trace(evaluation, body.trace)
    header["milliseconds"] = round(1000 * (time.perf_counter() - began), 3)
    return binary.answer(header, {"colours": colours})


def _in_greys(population: Population, name: str) -> np.ndarray:
    """(n, 3) uint8 greys of an attribute, from its least to its greatest value; colours as they are."""
    attribute = population.attribute(name, "preview")
    values = attribute.readable
    if attribute.kind == "colour":
        return display_bytes(values)
    numbers = values.astype(np.float64) if values.ndim == 1 else np.linalg.norm(values, axis=1)
    if attribute.kind == "vector" and attribute.width == 3:
        numbers = values[:, 2].astype(np.float64)
    low, high = (numbers.min(), numbers.max()) if len(numbers) else (0.0, 1.0)
    scaled = (numbers - low) / (high - low) if high > low else np.full(len(numbers), 0.5)
    levels = (20 + 225 * scaled).astype(np.uint8)
    return np.repeat(levels[:, None], 3, axis=1)
