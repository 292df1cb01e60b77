"""Evaluation of a draft: colours for all elements, censuses, a trace. Stateless, cached by content."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
from flask import Blueprint, Response
from pydantic import BaseModel, ConfigDict, Field

from ...core.buffers import empty
from ...core.census import packed
from ...core.colour.spaces import parse_hex, to_hex
from ...core.colour.vision import Vision, simulated
from ...core.errors import BadInput
from ...core.kernels import encoding
from ...core.kernels.parallel import over
from ...core.look.model import Scene
from ...core.preview import Of, Scale, Shown, preview
from .. import binary
from ..openapi import BINARY, operation
from ..workshop import chosen, workshop

blueprint = Blueprint("evaluations", __name__)


class Preview(BaseModel):
    """An attribute or signal by name, or a step by place."""

    model_config = ConfigDict(extra="forbid")
    of: Of
    name: str = Field(max_length=300)
    scale: Scale = "greys"


class EvaluationRequest(BaseModel):
    """What to evaluate. A request that a newer one of the same session overtakes is dropped."""

    model_config = ConfigDict(extra="forbid")
    scene: Scene
    population: str = Field(max_length=40)
    census: bool = True
    trace: int | None = Field(None, ge=0)
    preview: Preview | None = Field(None, description="A value to show instead of the result.")
    vision: Vision | None = Field(None, description="Show the colours as they look with a dichromacy.")
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
    evaluation = shop.evaluator.evaluate(population, entry.look, check, body.scene.dials)
    groups = shop.reporter.groups(evaluation)
    shown = body.preview and preview(evaluation, body.preview.of, body.preview.name, body.preview.scale)
    levels = shown.levels if shown else shop.evaluator.display(evaluation, check, body.vision or "")
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
        "groups": {"counts": groups.counts, "colours": _seen(groups.colours, body.vision), "place": groups.place},
        "signals": {name: signal.counted_at for name, signal in evaluation.signals.items()},
        "steps": shop.reporter.steps(evaluation) if body.census else {},
        "advisories": shop.reporter.advisories(evaluation) if body.census else [],
        "trace": None,
        "preview": _legend(shown) if shown else None,
    }
    if body.trace is not None:
        if body.trace >= population.count:
            raise BadInput(f"There are {population.count:,} elements; there is no element {body.trace}.", place="trace")
        header["trace"] = shop.reporter.trace(evaluation, body.trace)
    header["milliseconds"] = round(1000 * (time.perf_counter() - began), 3)
    return binary.answer(header, {"colours": colours})


def _legend(shown: Shown) -> dict[str, Any]:
    """The scale of a value that is shown."""
    return {"ends": shown.ends, "trimmed": shown.trimmed, "bar": packed(shown.bar)}


def _seen(colours: list[str | None], vision: Vision | None) -> list[str | None]:
    """The colours as they look with a dichromacy."""
    return [to_hex(simulated(parse_hex(c), vision)) if c and vision else c for c in colours]
