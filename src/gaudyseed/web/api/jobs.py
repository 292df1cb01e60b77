"""Jobs: what is begun here goes on when the page is closed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from flask import Blueprint, Flask, Response, current_app, jsonify, request
from pydantic import BaseModel, Field

from ...core.documents.document import Document
from ...core.errors import BadInput
from ...core.population.makers.sequence import MOST_FRAMES
from ...core.runtime.task import Task
from ...core.scene.model import Scene
from ...core.scene.motion import work_out
from ..jobs import FileMade, Job
from ..openapi import BINARY, operation
from ..services import services
from .exports import ExportRequest, as_file, named, written
from .imports import (
    FrameSent,
    ImportAnswer,
    ImportPreview,
    SequenceMade,
    Ways,
    imported,
    preview_of,
    sequence_made,
)

blueprint = Blueprint("jobs", __name__)

#: Seconds after which a window asks again that is not held.
_AGAIN = 1.0


class JobError(BaseModel):
    """Why a job failed."""

    code: str
    sentence: str
    place: str


class JobAnswer(BaseModel):
    """A job as it is now."""

    id: str
    kind: str = Field(description="What becomes of the result: preview, import, sequence, motion or export.")
    title: str
    scene: str = Field(description="The id of the scene that it belongs to; empty for none.")
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    share: float = Field(description="How much of it is done, 0 to 1.")
    words: str = Field(description="What is done now.")
    left: float | None = Field(description="Seconds that are left; None where that cannot be told yet.")
    error: JobError | None
    size: int = Field(description="Bytes of the file that it made; 0 for none.")


class JobList(BaseModel):
    """All jobs that are kept, in the order in which they began."""

    version: int = Field(description="Of the newest change; asked with it, what comes next is waited for.")
    jobs: list[JobAnswer]
    again: float = Field(description="Seconds to wait before the next question.")


class ImportJob(Document):
    """A file that was sent before, to be looked at or imported."""

    upload: str = Field(max_length=64)
    scene: str = Field("", max_length=64, description="The id of the scene that it is for.")
    ways: Ways = Ways()


class SequenceJob(Document):
    """One thing at each of some frames, out of files that were sent before."""

    name: str = Field(min_length=1, max_length=200)
    scene: str = Field("", max_length=64)
    frames: tuple[FrameSent, ...] = Field(min_length=1, max_length=MOST_FRAMES)
    ways: Ways = Ways()
    into: str = Field("", max_length=40, description="The id of the population that stands for it until then.")


class ExportJob(ExportRequest):
    """A file to be written."""

    of: str = Field("", max_length=64, description="The id of the scene that it belongs to.")


def _answered(job: Job) -> JobAnswer:
    error = job.error and JobError(code=job.error.code, sentence=job.error.sentence, place=job.error.place)
    size = job.size if isinstance(job.result, FileMade) else 0
    return JobAnswer(
        id=job.id, kind=job.kind, title=job.title, scene=job.scene, state=job.state,
        share=round(job.progress.share, 4), words=job.progress.words, left=job.left, error=error, size=size,
    )  # fmt: skip


def _begun(kind: str, title: str, scene: str, work: Callable[[Task], Any]) -> JobAnswer:
    """Begin a job that works as a request does."""
    app: Flask = current_app._get_current_object()  # type: ignore[attr-defined]

    def within(task: Task) -> Any:
        with app.app_context():
            return work(task)

    return _answered(services().jobs.begin(kind, title, scene, within))


@operation(blueprint, "/jobs/previews", method="post", body=ImportJob, result=JobAnswer)
def begin_preview(body: ImportJob) -> JobAnswer:
    """Begin to look at a file that was sent."""
    data, name = services().uploads.data(body.upload)
    return _begun("preview", name, body.scene, lambda task: preview_of(data, name, body.ways, task))


@operation(blueprint, "/jobs/imports", method="post", body=ImportJob, result=JobAnswer)
def begin_import(body: ImportJob) -> JobAnswer:
    """Begin to import a file that was sent."""
    data, name = services().uploads.data(body.upload)
    return _begun("import", name, body.scene, lambda task: imported(data, name, body.ways, task))


@operation(blueprint, "/jobs/sequences", method="post", body=SequenceJob, result=JobAnswer)
def begin_sequence(body: SequenceJob) -> JobAnswer:
    """Begin to import frame after frame."""
    return _begun(
        "sequence", body.name, body.scene,
        lambda task: sequence_made(body.name, body.frames, body.ways, body.into, task),
    )  # fmt: skip


@operation(blueprint, "/jobs/exports", method="post", body=ExportJob, result=JobAnswer)
def begin_export(body: ExportJob) -> JobAnswer:
    """Begin to write a file."""
    return _begun("export", f"{named(body)}, {body.format}", body.of, lambda task: written(body, task))


class MotionJob(Document):
    """All frames of a scene's motion to be worked out."""

    scene: Scene
    of: str = Field("", max_length=64, description="The id of the scene that it belongs to.")


class MotionMade(BaseModel):
    """What was worked out."""

    populations: int


@operation(blueprint, "/jobs/motions", method="post", body=MotionJob, result=JobAnswer)
def begin_motion(body: MotionJob) -> JobAnswer:
    """Begin to work out all frames of a scene's motion."""

    def work(task: Task) -> MotionMade:
        return MotionMade(populations=work_out(services().run(body.scene, task), task))

    return _begun("motion", "All frames of the motion", body.of, work)


@operation(blueprint, "/jobs", method="get", result=JobList)
def list_jobs() -> JobList:
    """All jobs; with ``?since=`` and ``?wait=`` the answer waits so many seconds for a change after that version."""
    since, wait = request.args.get("since", ""), request.args.get("wait", "0")
    if not since.isdigit() or len(since) > 15:
        since = ""
    seconds = float(wait) if wait.isdigit() and len(wait) < 4 else 0.0
    return _listed(int(since) if since else None, seconds)


def _listed(since: int | None = None, seconds: float = 0.0) -> JobList:
    version, jobs, waited = services().jobs.changes(since, seconds)
    return JobList(version=version, jobs=[_answered(job) for job in jobs], again=0.0 if waited else _AGAIN)


@operation(blueprint, "/jobs/<job>/stop", method="post", result=JobList)
def stop_job(job: str) -> JobList:
    """Stop a job; throw away the result of one that is over."""
    services().jobs.stop(job[:64])
    return _listed()


@operation(
    blueprint, "/jobs/<job>/result", method="get", result=BINARY, documents=(ImportPreview, ImportAnswer, SequenceMade)
)
def job_result(job: str) -> Response:
    """What a job made: a file, or JSON. It is kept until the job is stopped, or room is wanted."""
    found = services().jobs.job(job[:64])
    if isinstance(found.result, FileMade):
        return as_file(found.result)
    if found.result is None:
        raise BadInput("This job has no result. Wait until it is done, or begin it again.", code="no_result")
    return jsonify(found.result.model_dump(mode="json"))
