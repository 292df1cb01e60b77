"""The steps there are: kinds, and parameters as JSON Schema, from which controls are drawn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from functools import lru_cache
from typing import Any, Literal, get_args

from flask import Blueprint, Response, request
from pydantic import BaseModel, Field

from ...core.channels import CHANNELS
from ...core.documents.document import Document
from ...core.errors import BadInput
from ...core.formats import FORMATS
from ...core.formats.material import png_of
from ...core.look.choosing import weights_of
from ...core.look.first import look_of_maker
from ...core.look.material import ElementPicture, Finish, Shape, Version
from ...core.look.model import Look
from ...core.look.steps import STEPS, AnyStep, Step
from ...core.pictures.makers import maker_picture
from ...core.population.kinds import KINDS
from ...core.population.makers import MAKERS, MakerModel
from ...core.scene.model import Scene
from ..openapi import BINARY, operation
from ..services import services

blueprint = Blueprint("steps", __name__)


class StepDescription(BaseModel):
    """A kind of step: what it takes and gives, and its parameters."""

    name: str
    title: str
    noun: str
    group: str
    aim: str
    takes: list[str]
    gives: str
    summary: str
    help: str
    parameters: dict[str, Any]


class SlotDescription(BaseModel):
    """Where the view keeps a channel of each element: a texture, its first part there, its number among the tables."""

    texture: str
    part: int
    table: int | None


class ChannelDescription(BaseModel):
    """One channel of the material."""

    name: str
    title: str
    kind: str
    default: list[float]
    least: float | None
    greatest: float | None
    unit: str
    populations: list[str]
    sent: str
    columns: list[str]
    help: str
    pictured: bool
    of_finish: bool
    approximate: bool
    group: str
    slot: SlotDescription | None


class Beginning(BaseModel):
    """A named beginning of a maker: the parameters that differ from its defaults."""

    name: str
    parameters: dict[str, Any]


class MakerDescription(BaseModel):
    """One maker, and whether it is offered as something new."""

    name: str
    title: str
    summary: str
    offered: bool
    parameters: dict[str, Any]
    beginnings: list[Beginning]
    begins: dict[str, Any] = Field(description="Parameters of something new that differ from the defaults.")
    look: Look = Field(description="What something new looks like.")


class KindDescription(BaseModel):
    """One kind of population."""

    name: str
    title: str
    element: str
    elements: str
    drawn: str


class FormatDescription(BaseModel):
    """One format of files of elements."""

    name: str
    title: str
    ending: str
    endings: list[str] = Field(description="Of the files that it reads.")
    shapes: bool = Field(description="Whether a small mesh that clones are drawn as is taken from it.")
    kinds: list[str]


class StepList(BaseModel):
    """Whatever is registered: steps, channels, makers, kinds of population and formats.

    ``material`` has the parameters of a finish, a shape, a picture on elements and its versions.
    """

    steps: list[StepDescription]
    channels: list[ChannelDescription]
    makers: list[MakerDescription]
    kinds: list[KindDescription]
    formats: list[FormatDescription]
    material: dict[str, dict[str, Any]]


class StepEdit(Document):
    """An edit of a step that needs the values that come into it: of a ramp flip, space_evenly, space_by_share, snap and
    set_shares, of even_out hold.
    """

    scene: Scene
    population: str = Field(max_length=40)
    place: str = Field(max_length=200, description="Such as lanes.base_colour.layers[0].paint[1].")
    action: str = Field(max_length=40)
    shares: list[float] | None = Field(None, max_length=256)
    frame: float | None = Field(None, description="Of the scene's timeline; its first where it is left out.")


class StepAnswer(BaseModel):
    """The edited step; nothing is saved."""

    step: AnyStep


_FOLLOWS = {"Follow": "signal", "FollowColour": "colour", "FollowDial": "dial", "FollowMarker": "marker"}


def controls(model: type[BaseModel]) -> dict[str, Any]:
    """The parameters of a model as plain JSON Schema: what each takes when typed, and what it can follow.

    A parameter with branches is given as its typed branch with ``follow`` beside it. ``sections`` are the groups that
    they stand in, each a title and names.
    """
    schema = model.model_json_schema()
    definitions = schema.get("$defs", {})
    if "$ref" in schema:  # a step that holds chains refers to itself
        schema = definitions[schema["$ref"].rpartition("/")[2]]
    found = {}
    for name, given in schema["properties"].items():
        plain = dict(given)
        for branch in plain.pop("anyOf", ()):
            reference = branch.get("$ref", "").rpartition("/")[2]
            if reference in _FOLLOWS:
                plain["follow"] = _FOLLOWS[reference]
            elif "type" not in plain:
                plain.update(branch)
        nested = _nested(model, name) if plain.get("control") in ("fields", "sources") else None
        found[name] = plain if nested is None else {**plain, "fields": controls(nested)}
    sections = [{"title": title, "names": names} for title, names in getattr(model, "sections", ())]
    return {"properties": found, **({"sections": sections} if sections else {})}


def _filled(word: str, maker: type[MakerModel], parameters: Mapping[str, Any]) -> dict[str, Any]:
    """These parameters with the defaults of all that stands within them."""
    if not parameters:
        return {}
    whole = maker.model_validate({"maker": word, **parameters}).model_dump(mode="json")
    return {name: whole[name] for name in parameters}


def _nested(model: type[BaseModel], name: str) -> type[BaseModel]:
    """The document that a parameter is, or is a list of."""
    annotation = model.model_fields[name].annotation
    return next(t for t in (annotation, *get_args(annotation)) if isinstance(t, type) and issubclass(t, BaseModel))


@operation(blueprint, "/steps", method="get", result=StepList)
def list_steps() -> StepList:
    """All registered steps, channels, makers, kinds and formats."""
    return _listed(tuple(tuple(registry.values()) for registry in (STEPS, CHANNELS, MAKERS, KINDS, FORMATS)))


@lru_cache(maxsize=4)
def _listed(_registered: tuple[tuple[object, ...], ...]) -> StepList:
    """The same, worked out once for what is registered."""
    return StepList(
        steps=[_step(word, step) for word, step in STEPS.items()],
        channels=[
            ChannelDescription(
                name=c.word, title=c.title, kind=c.kind.word, default=list(c.default), least=c.least,
                greatest=c.greatest, unit=c.unit, populations=list(c.populations), sent=c.sent,
                columns=list(c.columns), help=c.help, pictured=c.pictured, of_finish=c.of_finish,
                approximate=c.approximate, group=c.group,
                slot=SlotDescription(**asdict(c.slot)) if c.slot else None,
            )
            for c in CHANNELS.values()
        ],
        makers=[
            MakerDescription(
                name=word, title=maker.title, summary=maker.summary, offered=maker.offered, parameters=controls(maker),
                beginnings=[Beginning(name=n, parameters=_filled(word, maker, p)) for n, p in maker.beginnings.items()],
                begins=_filled(word, maker, maker.begins), look=look_of_maker(maker),
            )
            for word, maker in MAKERS.items()
        ],
        kinds=[
            KindDescription(name=k.word, title=k.title, element=k.element, elements=k.elements, drawn=k.drawn)
            for k in KINDS.values()
        ],
        formats=[FormatDescription(
                name=f.word, title=f.title, ending=f.ending, endings=list(f.endings), shapes=f.shapes,
                kinds=list(f.kinds)
            )
            for f in FORMATS.values()],
        material={
            "finish": controls(Finish), "shape": controls(Shape), "picture": controls(ElementPicture),
            "version": controls(Version),
        },
    )  # fmt: skip


@operation(blueprint, "/makers/<word>/picture", method="get", result=BINARY)
def get_maker_picture(word: str) -> Response:
    """A small picture of what a maker makes, as PNG; ``?beginning=Wool`` of one of its named beginnings."""
    levels = maker_picture(word, request.args.get("beginning", ""))
    response = Response(png_of(levels), content_type="image/png")
    response.headers["Cache-Control"] = "private, max-age=600"
    return response


def _step(word: str, step: type[Step]) -> StepDescription:
    return StepDescription(
        name=word, title=step.title, noun=step.noun, group=step.group, aim=step.aim,
        takes=list(step.takes), gives=step.gives.word, summary=step.summary,
        help=(step.__doc__ or "").strip(), parameters=controls(step),
    )  # fmt: skip


@operation(blueprint, "/step-edits", method="post", body=StepEdit, result=StepAnswer)
def edit_step(body: StepEdit) -> StepAnswer:
    """The step after an edit; nothing is saved."""
    shared = services()
    run = shared.run(body.scene, frame=body.frame)
    evaluation = run.evaluation(body.population)
    result = evaluation.step_at(body.place)
    if result is None or (result.compiled.step.takes and result.before is None):
        raise BadInput(f"Nothing comes into a step that is on at {body.place!r}.", place="place", code="unknown_place")
    typed = run.written(body.population, body.place)
    step = result.compiled.step.edited(body.action, shared.reporter.outcome(evaluation, result), typed, body.shares)
    return StepAnswer(step=step)


class SharesRequest(Document):
    """How many of the elements are to have each shape or finish, as shares of all."""

    scene: Scene
    population: str = Field(max_length=40)
    of: Literal["shape", "finish"]
    shares: list[float] = Field(min_length=1, max_length=8)
    frame: float | None = Field(None, description="Of the scene's timeline; its first where it is left out.")


class WeightsAnswer(BaseModel):
    """The weights that give these shares; nothing is saved."""

    weights: list[float]


@operation(blueprint, "/material-shares", method="post", body=SharesRequest, result=WeightsAnswer)
def set_material_shares(body: SharesRequest) -> WeightsAnswer:
    """The weights of shapes or finishes by which so many of the elements have each."""
    evaluation = services().run(body.scene, frame=body.frame).evaluation(body.population)
    chosen, document = evaluation.chosen, evaluation.look.document
    values = chosen.shape_from if body.of == "shape" else chosen.finish_from
    lane = document.lanes.get(body.of)
    count = len(document.shapes if body.of == "shape" else document.finishes)
    if values is None or len(body.shares) != count:
        raise BadInput(f"There are {count} of {body.of}; give as many shares, at least two.", place="shares")
    if lane is not None and lane.enabled and lane.layers and lane.choose != "share":
        raise BadInput(f"Shares are typed where a share chooses. Choose the {body.of} by share first.", place="of")
    return WeightsAnswer(weights=weights_of(values, body.shares))
