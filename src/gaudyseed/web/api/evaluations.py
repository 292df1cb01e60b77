"""Evaluation of a draft: values for all elements, censuses, traces. Stateless, cached by content."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import asdict
from typing import Any

import numpy as np
from flask import Blueprint, Response, stream_with_context
from pydantic import Field

from ...core.census import packed
from ...core.colour.spaces import parse_hex, to_hex
from ...core.colour.vision import Vision, simulated
from ...core.document import Document
from ...core.errors import BadInput, Overtaken, never_overtaken
from ...core.look.evaluate import Evaluation
from ...core.look.model import MOST_POPULATIONS
from ...core.preview import Of, Scale, Shown, preview
from ...core.report import Groups
from ...core.scene import SceneRun
from .. import binary
from ..drafts import Draft
from ..openapi import BINARY, operation
from ..workshop import workshop

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
    preview: Preview | None = Field(None, description="A value to show instead of the result.")


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


@operation(blueprint, "/evaluations", method="post", body=EvaluationRequest, result=BINARY)
def evaluate(body: EvaluationRequest) -> Response:
    """Evaluate some populations of a draft.

    The answer is two messages, one after the other: first the lanes, so that the view can show them while the rest is
    worked out; then groups, censuses, advisories and traces. Each population has an entry of its own in both headers,
    and arrays named after it. One that is wrong has an ``error``; where all are, the first error is the answer.
    """
    began = time.perf_counter()
    shop = workshop()
    check = shop.latest.enter(body.session, body.sequence) if body.session else never_overtaken
    run = shop.run(body.scene, check, frame=body.frame)
    entries: dict[str, dict[str, Any]] = {}
    arrays: dict[str, np.ndarray] = {}
    errors: list[BadInput] = []
    for wanted in body.wanted:
        try:
            entries[wanted.population] = _seen_first(run, wanted, body.vision, check, arrays)
        except BadInput as error:
            errors.append(error)
            entries[wanted.population] = {"error": _told(error), "made": _made(run, wanted.population)}
    if len(errors) == len(body.wanted):
        raise errors[0]

    def messages() -> Iterator[bytes]:
        yield binary.pack({**_headed(body, entries, began), "moment": _moment(run)}, arrays)
        told, more = _told_after(run, body, entries)
        yield binary.pack(_headed(body, told, began), more)

    return Response(stream_with_context(messages()), mimetype="application/octet-stream")


def _made(run: SceneRun, population: str) -> str:
    """The key of what is made of a population; empty where that cannot be."""
    try:
        return run.order(population).key
    except BadInput:
        return ""


def _headed(body: EvaluationRequest, entries: dict[str, dict[str, Any]], began: float) -> dict[str, Any]:
    milliseconds = round(1000 * (time.perf_counter() - began), 3)
    return {"sequence": body.sequence, "populations": entries, "milliseconds": milliseconds}


def _moment(run: SceneRun) -> dict[str, Any]:
    """Where markers with keys are at the frame, and what dials with keys are."""
    given, (dials, markers) = run.given, run.surroundings.keyed
    return {
        "markers": {name: given.markers[name].tolist() for name in markers},
        "dials": {name: given.dials[name].value for name in dials},
    }


def _told_after(
    run: SceneRun, body: EvaluationRequest, entries: dict[str, dict[str, Any]]
) -> tuple[dict[str, dict[str, Any]], dict[str, np.ndarray]]:
    """The second message's entries and arrays; none once a newer request has overtaken this one."""
    told: dict[str, dict[str, Any]] = {}
    arrays: dict[str, np.ndarray] = {}
    try:
        for wanted in body.wanted:
            if entries[wanted.population]["error"] is None:
                told[wanted.population] = _report(run.evaluation(wanted.population), wanted, body.vision, arrays)
    except Overtaken:
        return {}, {}
    return told, arrays


def _told(error: BadInput) -> dict[str, Any]:
    fix = asdict(error.fix) if error.fix else None
    return {"code": error.code, "sentence": error.sentence, "place": error.place, "fix": fix}


def _seen_first(
    run: SceneRun, wanted: Wanted, vision: Vision | None, check: Callable[[], None], arrays: dict[str, np.ndarray]
) -> dict[str, Any]:
    """What the view needs of one population; adds its arrays."""
    name = wanted.population
    presence = run.presence(name)
    population = run.population(name)
    began = time.perf_counter()
    evaluation = run.evaluation(name)
    if len(evaluation.computed) == len(evaluation.steps):
        workshop().note_rate(f"look of {name}", (time.perf_counter() - began) / max(population.count, 1))
    if wanted.trace is not None and wanted.trace >= evaluation.population.count:
        raise BadInput(
            f"There are {evaluation.population.count:,} elements; there is no element {wanted.trace}.", place="trace"
        )
    shown = wanted.preview and preview(evaluation, wanted.preview.of, wanted.preview.name, wanted.preview.scale)
    if shown:
        arrays[f"{name}/preview"] = shown.levels
    return {
        "error": None,
        "count": evaluation.population.count,
        "shape": presence.shape,
        "shown": presence.shown,
        "made": run.order(name).key,
        "placement": run.placement(name).T.reshape(-1).tolist(),
        "computed": evaluation.computed,
        "reused": evaluation.reused,
        "timed": run.timed(name),
        "lanes": _lanes(evaluation, wanted, vision, check, arrays),
        "preview": _legend(shown) if shown else None,
    }


def _report(
    evaluation: Evaluation, wanted: Wanted, vision: Vision | None, arrays: dict[str, np.ndarray]
) -> dict[str, Any]:
    """What is told of one population; adds the groups."""
    reporter = workshop().reporter
    return {
        "groups": _groups(reporter.groups(evaluation), wanted, vision, arrays),
        "signals": {name: signal.counted_at for name, signal in evaluation.signals.items()},
        "steps": _censuses(evaluation, wanted) if wanted.census else {},
        "advisories": reporter.advisories(evaluation) if wanted.census else [],
        "trace": None if wanted.trace is None else reporter.trace(evaluation, wanted.trace),
    }


def _censuses(evaluation: Evaluation, wanted: Wanted) -> dict[str, dict[str, Any]]:
    """The census of each step; of those that the page knows the digest alone."""
    known = set(wanted.known)
    told = workshop().reporter.steps(evaluation)
    return {place: {"digest": c["digest"]} if c["digest"] in known else c for place, c in told.items()}


def _lanes(
    evaluation: Evaluation, wanted: Wanted, vision: Vision | None, check: Callable[[], None],
    arrays: dict[str, np.ndarray],
) -> dict[str, str]:  # fmt: skip
    """The digest of each lane; adds the values that the page does not have."""
    found = {}
    for word, lane in evaluation.lanes.items():
        digest, values = workshop().evaluator.sent(lane, check, vision or "")
        found[word] = digest
        if wanted.have.get(word) != digest:
            arrays[f"{wanted.population}/{word}"] = values
    return found


def _groups(groups: Groups, wanted: Wanted, vision: Vision | None, arrays: dict[str, np.ndarray]) -> dict[str, Any]:
    """Counts and colours of the groups; adds which one each element belongs to, where the page does not have it."""
    if wanted.have.get("groups") != groups.digest:
        arrays[f"{wanted.population}/groups"] = groups.of
    colours = _seen(groups.colours, vision)
    return {"digest": groups.digest, "counts": groups.counts, "colours": colours, "place": groups.place}


def _legend(shown: Shown) -> dict[str, Any]:
    """The scale of a value that is shown."""
    return {"ends": shown.ends, "trimmed": shown.trimmed, "bar": packed(shown.bar)}


def _seen(colours: list[str | None], vision: Vision | None) -> list[str | None]:
    """The colours as they look with a dichromacy."""
    return [to_hex(simulated(parse_hex(c), vision)) if c and vision else c for c in colours]
