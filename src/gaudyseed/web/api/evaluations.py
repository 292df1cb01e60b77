"""Evaluation of a draft: values for all elements, censuses, traces. Stateless, cached by content."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import asdict
from typing import Any, Literal

import numpy as np
from flask import Blueprint, Response, current_app, stream_with_context
from pydantic import Field

from ...core.channels import CHANNELS
from ...core.colour.spaces import parse_hex, to_hex
from ...core.colour.vision import Vision, simulated
from ...core.documents.document import Document
from ...core.errors import BadInput
from ...core.look.results import Evaluation
from ...core.painting.painted import Painted
from ...core.reports.census import packed
from ...core.reports.report import Groups
from ...core.runtime.task import UNWATCHED, Stopped, Task
from ...core.scene.model import MOST_POPULATIONS
from ...core.scene.motion import flight_of
from ...core.scene.run import SceneRun
from ...core.shown.population import NamedArray, ShownPopulation, ShownShape, shown_population
from ...core.shown.preview import Of, Scale, Shown, preview
from ...core.shown.scene import shown_moment
from .. import binary
from ..drafts import Draft
from ..errors import reported
from ..headers import LanesAnswer, ReportAnswer
from ..openapi import BINARY, operation
from ..services import services

blueprint = Blueprint("evaluations", __name__)


class Preview(Document):
    """An attribute or signal by name, or a step by place."""

    of: Of
    name: str = Field(max_length=300)
    scale: Scale = "greys"


class Wanted(Document):
    """What is wanted of one population.

    ``have`` are the digests of the arrays that the page has, by their names (channels, and ``groups``): these are
    not sent again. ``known`` are the digests of the censuses that it has; of these only the digest comes.
    """

    population: str = Field(max_length=40)
    have: dict[str, str] = Field({}, max_length=64)
    known: tuple[str, ...] = Field((), max_length=2000)
    census: bool = True
    trace: int | None = Field(None, ge=0)
    trace_id: int | None = Field(
        None, description="The id of what is traced, where elements come and go: it says which."
    )
    preview: Preview | None = Field(None, description="A value to show instead of the result.")
    weigh: Literal["count", "size", "opacity", "density"] = Field("count", description="What shares are measured by.")


class EvaluationRequest(Document):
    """What to evaluate. A request that a newer one of the same session overtakes is dropped.

    A population of the scene may stand there as a text of JSON.
    """

    scene: Draft
    wanted: tuple[Wanted, ...] = Field(min_length=1, max_length=MOST_POPULATIONS)
    frame: float | None = Field(None, description="Of the scene's timeline; its first where it is left out.")
    vision: Vision | None = Field(None, description="Show the colours as they look with a dichromacy.")
    session: str = Field("", max_length=60)
    sequence: int = Field(0, ge=0)


@operation(
    blueprint, "/evaluations", method="post", body=EvaluationRequest, result=BINARY, headers=(LanesAnswer, ReportAnswer)
)
def evaluate(body: EvaluationRequest) -> Response:
    """Evaluate some populations of a draft.

    The answer is two messages, one after the other: first the lanes, so that the view can show them while the rest is
    worked out; then groups, censuses, advisories and traces. Each population has an entry of its own in both headers,
    and arrays named after it. One that is wrong has an ``error``; where all are, the first error is the answer.
    """
    began = time.perf_counter()
    shared = services()
    task = Task(shared.latest.enter(body.session, body.sequence)) if body.session else UNWATCHED
    run = shared.run(body.scene, task, frame=body.frame)
    entries: dict[str, dict[str, Any]] = {}
    arrays: dict[str, np.ndarray] = {}
    errors: list[BadInput] = []
    for wanted in body.wanted:
        try:
            entries[wanted.population] = _seen_first(run, wanted, body.vision, task, arrays)
        except BadInput as error:
            errors.append(error)
            entries[wanted.population] = {
                "error": reported(error).document, "made": _made(run, wanted.population), "reads": None
            }  # fmt: skip
    if len(errors) == len(body.wanted):
        raise errors[0]

    first = binary.pack({**_headed(body, entries, began), "moment": _moment(run)}, arrays)

    def messages() -> Iterator[bytes]:
        yield first
        told, more, wrong = _told_after(run, body, entries)
        yield binary.pack({**_headed(body, told, began), "errors": wrong}, more)

    return Response(stream_with_context(messages()), mimetype="application/octet-stream")


def _unforeseen(error: Exception) -> dict[str, Any]:
    """An error that no code foresaw, as it is told; its traceback goes into the log."""
    current_app.logger.error("unforeseen", exc_info=error)
    return reported(error).document


def _made(run: SceneRun, population: str) -> str:
    """The key of what is made of a population; empty where that cannot be."""
    try:
        return run.request(population).key
    except BadInput:
        return ""


def _headed(body: EvaluationRequest, entries: dict[str, dict[str, Any]], began: float) -> dict[str, Any]:
    milliseconds = round(1000 * (time.perf_counter() - began), 3)
    return {"sequence": body.sequence, "populations": entries, "milliseconds": milliseconds}


def _moment(run: SceneRun) -> dict[str, Any]:
    """Where markers with keys are at the frame, and what dials with keys are."""
    moment = shown_moment(run)
    return {"markers": {name: at.tolist() for name, at in moment.markers.items()}, "dials": moment.dials}


def _told_after(
    run: SceneRun, body: EvaluationRequest, entries: dict[str, dict[str, Any]]
) -> tuple[dict[str, dict[str, Any]], dict[str, np.ndarray], dict[str, dict[str, Any]]]:
    """The second message's entries, arrays and errors; none once a newer request has overtaken this one."""
    told: dict[str, dict[str, Any]] = {}
    arrays: dict[str, np.ndarray] = {}
    wrong: dict[str, dict[str, Any]] = {}
    for wanted in body.wanted:
        name = wanted.population
        if entries[name]["error"] is not None:
            continue
        try:
            told[name] = _report(run, run.evaluation(name), wanted, body.vision, arrays)
        except Stopped:
            return {}, {}, {}
        except BadInput as error:
            wrong[name] = reported(error).document
        except Exception as error:
            wrong[name] = _unforeseen(error)
    return told, arrays, wrong


def _seen_first(
    run: SceneRun, wanted: Wanted, vision: Vision | None, task: Task, arrays: dict[str, np.ndarray]
) -> dict[str, Any]:
    """What the view needs of one population; adds its arrays."""
    name = wanted.population
    population = run.population(name)
    began = time.perf_counter()
    evaluation = run.evaluation(name)
    if len(evaluation.computed) == len(evaluation.steps):
        services().note_rate(f"look of {name}", (time.perf_counter() - began) / max(population.count, 1))
    # Of what moves an element that was traced may be gone.
    if wanted.trace is not None and wanted.trace >= evaluation.population.count and not run.maker(name).moves:
        raise BadInput(
            f"There are {evaluation.population.count:,} elements; there is no element {wanted.trace}.", place="trace"
        )
    drawn = shown_population(run, name, services().evaluator, task, vision or "")
    shown = wanted.preview and _shown(evaluation, wanted.preview, run.document(name).painted)
    if shown:
        arrays[f"{name}/preview"] = shown.levels
    return {
        "error": None,
        "count": evaluation.population.count,
        "shape": drawn.shape,
        "shown": drawn.visible,
        "made": drawn.made,
        "reads": asdict(run.dependencies(name)),
        "placement": drawn.placement.T.reshape(-1).tolist(),
        "computed": evaluation.computed,
        "reused": evaluation.reused,
        "timed": run.timed(name),
        "lanes": _named(drawn.lanes, wanted, arrays),
        "material": _material(drawn, wanted, arrays),
        "preview": _legend(shown) if shown else None,
    }


def _traced(run: SceneRun, evaluation: Evaluation, wanted: Wanted) -> dict[str, Any] | None:
    """One element step by step, and the way of a particle; None where none is wanted, or it is gone."""
    element = _element(evaluation, wanted)
    if element is None or element >= evaluation.population.count:
        return None
    way = flight_of(run, wanted.population, element)
    flight = None if way is None else {
        "frames": way.frames.tolist(), "places": way.places.tolist(), "speeds": way.speeds.tolist(),
        "sizes": way.sizes.tolist(),
    }  # fmt: skip
    return {**services().reporter.trace(evaluation, element), "flight": flight}


def _element(evaluation: Evaluation, wanted: Wanted) -> int | None:
    """The element that is traced: by its id where that is given, else by its number."""
    ids = evaluation.population.elements.own.get("id")
    if wanted.trace_id is None or ids is None:
        return wanted.trace
    found = np.flatnonzero(ids.values == wanted.trace_id)
    return int(found[0]) if len(found) else None


def _report(
    run: SceneRun, evaluation: Evaluation, wanted: Wanted, vision: Vision | None, arrays: dict[str, np.ndarray]
) -> dict[str, Any]:
    """What is told of one population; adds the groups."""
    reporter = services().reporter
    groups = reporter.groups(evaluation)
    kinds = CHANNELS[wanted.weigh].populations if wanted.weigh != "count" else ()
    by = wanted.weigh if not kinds or evaluation.population.kind in kinds else "count"
    weighed = None if by == "count" else reporter.weighed(evaluation, groups, by)
    return {
        "groups": {**_groups(groups, wanted, vision, arrays), "weighed": weighed},
        "signals": {name: signal.counted_at for name, signal in evaluation.signals.items()},
        "steps": _censuses(evaluation, wanted) if wanted.census else {},
        "advisories": reporter.advisories(evaluation) if wanted.census else [],
        "shares": reporter.material(evaluation) if wanted.census else {},
        "trace": _traced(run, evaluation, wanted),
    }


def _censuses(evaluation: Evaluation, wanted: Wanted) -> dict[str, dict[str, Any]]:
    """The census of each step; of those that the page knows the digest alone."""
    known = set(wanted.known)
    told = services().reporter.steps(evaluation)
    return {place: {"digest": c["digest"]} if c["digest"] in known else c for place, c in told.items()}


def _material(shown: ShownPopulation, wanted: Wanted, arrays: dict[str, np.ndarray]) -> dict[str, Any]:
    """What the view draws with beside the lanes; adds the arrays that the page does not have."""
    return {
        "finishes": shown.finishes,
        "shapes": [_shape(shape) for shape in shown.shapes],
        "threshold": shown.threshold,
        "along": shown.along,
        "up": shown.up,
        "tables": shown.rows,
        "also": _named(shown.arrays, wanted, arrays),
    }


def _named(named: dict[str, NamedArray], wanted: Wanted, arrays: dict[str, np.ndarray]) -> dict[str, str]:
    """The digests of arrays by their names; adds those that the page does not have."""
    for name, array in named.items():
        if wanted.have.get(name) != array.digest:
            arrays[f"{wanted.population}/{name}"] = array.values
    return {name: array.digest for name, array in named.items()}


def _shape(shape: ShownShape) -> dict[str, Any]:
    picture = shape.picture and asdict(shape.picture)
    if picture:
        picture["picture"] = picture.pop("settings")
    return {"key": shape.key, "size": shape.size, "picture": picture}


def _groups(groups: Groups, wanted: Wanted, vision: Vision | None, arrays: dict[str, np.ndarray]) -> dict[str, Any]:
    """Counts and colours of the groups; adds which one each element belongs to, where the page does not have it."""
    if wanted.have.get("groups") != groups.digest:
        arrays[f"{wanted.population}/groups"] = groups.of
    colours = _seen(groups.colours, vision)
    return {"digest": groups.digest, "counts": groups.counts, "colours": colours, "place": groups.place}


def _shown(evaluation: Evaluation, asked: Preview, painted: tuple[Painted, ...]) -> Shown:
    """The value that is asked for as colours."""
    weight = asked.of == "attribute" and any(p.name == asked.name and p.kind == "number" for p in painted)
    return preview(evaluation, asked.of, asked.name, asked.scale, weight)


def _legend(shown: Shown) -> dict[str, Any]:
    """The scale of a value that is shown."""
    return {"ends": shown.ends, "trimmed": shown.trimmed, "bar": packed(shown.bar)}


def _seen(colours: list[str | None], vision: Vision | None) -> list[str | None]:
    """The colours as they look with a dichromacy."""
    return [to_hex(simulated(parse_hex(c), vision)) if c and vision else c for c in colours]
