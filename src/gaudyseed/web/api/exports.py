"""Files out."""

from __future__ import annotations

import json
import re

from flask import Blueprint, Response
from pydantic import BaseModel, Field

from ...core.documents.document import Document
from ...core.errors import BadInput
from ...core.formats import FORMATS
from ...core.formats.losses import losses
from ...core.formats.usd.writer import SAMPLED, sampled
from ...core.runtime.task import Task
from ...core.scene.model import Scene
from ...core.scene.timeline import Frame
from ..drafts import Draft
from ..jobs import FileMade, unless_gone
from ..openapi import BINARY, operation
from ..services import services

blueprint = Blueprint("exports", __name__)

#: What is written beside the formats of elements: the look alone.
LOOK = "look"


class ExportRequest(Document):
    """Asks for a file of a population: which, as what, at which frame."""

    scene: Scene
    population: str = Field(max_length=40)
    format: str = Field(max_length=40, description="The word of a format, or look.")
    frame: float | None = Field(None, description="Of the scene's timeline; its first where it is left out.")
    frames: tuple[Frame, Frame] | None = Field(
        None, description="The first and the last of frames that go into one USD file, as time samples."
    )


@operation(blueprint, "/exports", method="post", body=ExportRequest, result=BINARY)
def export(body: ExportRequest) -> Response:
    """A population with what its elements got, or its look, as a file."""
    return as_file(written(body, unless_gone()))


def written(body: ExportRequest, task: Task) -> FileMade:
    """The file. BadInput where it cannot be written."""
    if body.frames is not None:
        return _sampled(body, *body.frames, task)
    task.reach(0, "colouring")
    run = services().run(body.scene, task.part(0, 0.5), final=True, frame=body.frame)
    stem = _stem(body)
    if body.format == LOOK:
        text = json.dumps(run.look(body.population).model_dump(mode="json"), indent=1) + "\n"
        return FileMade(text.encode(), f"{stem}.look.json", "application/json")
    form = FORMATS.get(body.format)
    if form is None:
        known = ", ".join([*FORMATS, LOOK])
        raise BadInput(f"There is no format {body.format!r}. There are: {known}.", place="format")
    population, results, about = run.sent(body.population)
    if population.kind not in form.kinds:
        kinds = " or ".join(form.kinds)
        raise BadInput(f"{form.title} holds {kinds}, not {population.kind}. Choose another format.", place="format")
    task.reach(0.5, "writing")
    return FileMade(form.write(population, results, about, task.part(0.5, 1)), f"{stem}{form.ending}", form.mime)


#: Frames that one file takes.
_MOST_FRAMES = 10_000


def _sampled(body: ExportRequest, first: int, last: int, task: Task) -> FileMade:
    """A file of all these frames."""
    form = FORMATS.get(body.format)
    if form is None or body.format not in SAMPLED:
        raise BadInput("USD alone holds several frames. Choose it, or one frame.", place="frames")
    if not 0 <= last - first < _MOST_FRAMES:
        raise BadInput(f"From frame {first} to {last} are no frames, or more than {_MOST_FRAMES:,}.", place="frames")

    def one(frame: float, part: Task) -> bytes:
        return written(body.model_copy(update={"frame": frame, "frames": None, "format": "usdc"}), part).data

    rate = body.scene.timeline.rate
    data = sampled(range(first, last + 1), rate, form.ending, one, task)
    return FileMade(data, f"{_stem(body)}{form.ending}", form.mime)


def _stem(body: ExportRequest) -> str:
    """What a file of the population is called before its ending."""
    return re.sub(r"[^A-Za-z0-9]+", "-", named(body)).strip("-").lower() or "population"


def named(body: ExportRequest) -> str:
    """The name of the population, or its id where there is none."""
    return next((p.name for p in body.scene.populations if p.id == body.population), body.population)


class Losses(BaseModel):
    """By the word of a format, what it cannot hold of a population, in sentences; those that hold all are left out."""

    losses: dict[str, list[str]]


class LossesRequest(Document):
    """A population to be written."""

    scene: Draft
    population: str = Field(max_length=40)
    frame: float | None = None


@operation(blueprint, "/exports/losses", method="post", body=LossesRequest, result=Losses)
def export_losses(body: LossesRequest) -> Losses:
    """What would be lost of a population in each format."""
    population = services().run(body.scene, frame=body.frame).population(body.population)
    found = {word: losses(form, population) for word, form in FORMATS.items() if population.kind in form.kinds}
    return Losses(losses={word: said for word, said in found.items() if said})


def as_file(made: FileMade) -> Response:
    """A file to be saved."""
    response = Response(made.data, content_type=made.mime)
    response.headers["Content-Disposition"] = f'attachment; filename="{made.name}"'
    return response
