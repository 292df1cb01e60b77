"""Files in: a look at what would come, then the columns into the store, all or none."""

from __future__ import annotations

import base64
import io
import re
from typing import Any

from flask import Blueprint, request
from PIL import Image
from pydantic import BaseModel, Field

from ...core.document import Document
from ...core.errors import BadInput
from ...core.formats import Thing, Wish, read_things
from ...core.look.first import carried_colour, first_look, groups_of
from ...core.look.material import DrawnAs
from ...core.look.model import Look
from ...core.population import Population
from ...core.population.makers.imported import ImportedMaker, store_columns
from ...core.population.makers.sequence import MOST_FRAMES, SequenceFrame, SequenceMaker, sequence_of
from ...core.thumbnail import picture_of
from ..openapi import operation
from ..workshop import unless_gone, workshop
from .populations import described

blueprint = Blueprint("imports", __name__)

#: Things of one file whose attributes are described in a preview; of others their name and count.
_DESCRIBED = 24
#: Those of which a small picture is drawn.
_PICTURED = 6


#: What can be asked for in the address, by its word.
_CHOICES: dict[str, tuple[str, ...]] = {
    "repeated": ("clones", "parts"), "copies": ("parts", "clones"), "each": ("copy", "part"),
}  # fmt: skip


class ThingPreview(BaseModel):
    """One thing in a file, and what it becomes."""

    name: str
    becomes: str
    kind: str
    count: int
    notes: list[str]
    frames: tuple[float, float] | None
    levels: list[dict[str, Any]]
    attributes: list[dict[str, Any]]
    colours: str = Field("", description="The colours that it brings, by name; empty for none.")
    groups: list[tuple[str, int]] = Field([], description="Columns of few values, which can have one colour each.")
    picture: str = Field("", description="A small PNG of it as it would arrive, as a data address.")


class ImportPreview(BaseModel):
    """What was recognised; nothing has been stored."""

    file: str
    things: list[ThingPreview]


class Imported(BaseModel):
    """What was stored of one thing, with the maker to put into a scene."""

    name: str
    kind: str
    maker: ImportedMaker
    look: Look = Field(description="Its first look.")
    shape: DrawnAs = Field(description="What it is drawn as.")


class ImportAnswer(BaseModel):
    """What was stored."""

    file: str
    things: list[Imported]


def _uploaded() -> tuple[list[Thing], str]:
    """The things in the file of the request's body (``?name=`` carries its name)."""
    name = request.args.get("name", "")[:200]
    if not name:
        raise BadInput("The name of the file is missing. Add ?name=.", place="name")
    chosen = {}
    for word, words in _CHOICES.items():
        chosen[word] = request.args.get(word, words[0])
        if chosen[word] not in words:
            raise BadInput(f"{chosen[word][:40]!r} is neither {' nor '.join(words)}.", place=word)
    frame = request.args.get("frame", "")
    if frame and not re.fullmatch(r"-?[0-9]{1,9}(\.[0-9]{1,6})?", frame):
        raise BadInput(f"{frame[:40]!r} is no frame. Give a number.", place="frame")
    wish = Wish(frame=float(frame) if frame else None, **chosen)  # type: ignore[arg-type]
    return read_things(request.get_data(cache=False), name, unless_gone(), wish), name


def _chosen(things: list[Thing]) -> list[Thing]:
    """Those whose numbers ``?only=`` names; all where it is left out."""
    only = request.args.get("only", "")
    if not only:
        return things
    numbers = only.split(",")
    wrong = [n for n in numbers if not re.fullmatch("[0-9]{1,6}", n) or int(n) >= len(things)]
    if wrong:
        raise BadInput(f"The file has no thing number {wrong[0][:40]!r}; it has {len(things)}.", place="only")
    return [things[int(n)] for n in dict.fromkeys(numbers)]


@operation(blueprint, "/imports/preview", method="post", result=ImportPreview)
def preview_import() -> ImportPreview:
    """What a file (the request's body) holds.

    ``?colours=`` says how the things are coloured: ``own``, ``chance`` or ``each:NAME``, one colour for each value of a
    column. ``?repeated=parts`` takes meshes that stand there many times as parts, not as clones; ``?copies=clones``
    real copies as clones; ``?each=part`` each part of each clone as an element; ``?frame=`` a moment.
    """
    things, name = _uploaded()
    return ImportPreview(file=name, things=[*_described(things[:_DESCRIBED]), *map(_named, things[_DESCRIBED:])])


def _first_looks(things: list[Thing]) -> list[Look]:
    """How things are coloured at first, by ``?colours=``; those that have no such column by what they have."""
    colours = request.args.get("colours", "own")[:300]
    if colours in ("own", "chance"):
        return [first_look(thing.population, colours) for thing in things]
    if not colours.startswith("each:"):
        raise BadInput(f"{colours[:40]!r} is none of own, chance and each:NAME.", place="colours")
    named = colours.removeprefix("each:")
    there = [named in dict(groups_of(thing.population)) for thing in things]
    if things and not any(there):
        first_look(things[0].population, colours)  # which says what there is
    return [first_look(t.population, colours if k else "own") for t, k in zip(things, there, strict=True)]


def _described(things: list[Thing]) -> list[ThingPreview]:
    """Things with all that they carry; small pictures of the first ones."""
    looks, check = _first_looks(things), unless_gone()

    def picture(k: int, population: Population, look: Look) -> str:
        check()
        return _picture(population, look) if k < _PICTURED else ""

    return [
        ThingPreview(
            name=thing.name, becomes=thing.becomes, frames=thing.frames, colours=carried_colour(thing.population),
            groups=groups_of(thing.population), **described(thing.population),
            picture=picture(k, thing.population, look),
        )
        for k, (thing, look) in enumerate(zip(things, looks, strict=True))
    ]  # fmt: skip


def _named(thing: Thing) -> ThingPreview:
    """A thing by its name and count alone."""
    population = thing.population
    return ThingPreview(
        name=thing.name, becomes=thing.becomes, kind=population.kind, count=population.count,
        notes=list(population.notes), frames=thing.frames, levels=[], attributes=[],
    )  # fmt: skip


def _picture(population: Population, look: Look) -> str:
    """A small picture as a data address."""
    file = io.BytesIO()
    Image.fromarray(picture_of(population, look)).save(file, "PNG")
    return f"data:image/png;base64,{base64.b64encode(file.getvalue()).decode()}"


class SequenceRequest(Document):
    """What was imported for each frame, in order."""

    file: str = Field(max_length=200)
    frames: tuple[SequenceFrame, ...] = Field(min_length=1, max_length=MOST_FRAMES)


class SequenceAnswer(BaseModel):
    """The maker to put into a scene."""

    maker: SequenceMaker


@operation(blueprint, "/sequences", method="post", body=SequenceRequest, result=SequenceAnswer)
def make_sequence(body: SequenceRequest) -> SequenceAnswer:
    """Join what was imported frame by frame into one population that moves."""
    maker, columns = sequence_of(body.frames, body.file)
    workshop().store.put_columns(columns)
    return SequenceAnswer(maker=maker)


@operation(blueprint, "/imports", method="post", result=ImportAnswer)
def import_file() -> ImportAnswer:
    """Store what a file (the request's body) holds; ``?only=0,2`` some of its things.

    ``?colours=`` says how they are coloured at first, as for a preview.
    """
    things, name = _uploaded()
    makers, columns = [], {}
    chosen = _chosen(things)
    for thing, look in zip(chosen, _first_looks(chosen), strict=True):
        maker, more = store_columns(thing.population, name)
        shape: DrawnAs = "ball" if thing.population.models is None else "own"
        makers.append(Imported(name=thing.name, kind=thing.population.kind, maker=maker, look=look, shape=shape))
        columns.update(more)
    workshop().store.put_columns(columns)
    return ImportAnswer(file=name, things=makers)
