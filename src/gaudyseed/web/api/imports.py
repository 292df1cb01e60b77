"""Files in: a look at what would come, then the columns into the store, all or none."""

from __future__ import annotations

import base64
import io
import itertools
import re
from collections.abc import Iterator
from typing import Any, Literal, get_args

import numpy as np
from flask import Blueprint, request
from PIL import Image
from pydantic import BaseModel, Field

from ... import __version__
from ...core.digest import digest_of
from ...core.documents.document import Document
from ...core.errors import BadInput
from ...core.formats import NOBODY, ImportedItem, ReadOptions, read_frames, read_items
from ...core.look.first import carried_colour, first_look, groups_of
from ...core.look.material import DrawnAs
from ...core.look.model import Look
from ...core.pictures.thumbnail import picture_of
from ...core.population import Population
from ...core.population.makers.imported import ImportedMaker, store_columns
from ...core.population.makers.recipe import ImportRecipe
from ...core.population.makers.sequence import MOST_FRAMES, SequenceFrame, SequenceMaker, sequence_of
from ...core.runtime.task import Task
from ...core.scene.timeline import Frame
from ..jobs import unless_gone
from ..openapi import operation
from ..services import services
from .populations import described

blueprint = Blueprint("imports", __name__)

#: Things of one file whose attributes are described in a preview; of others their name and count.
_DESCRIBED = 24
#: Those of which a small picture is drawn.
_PICTURED = 6


class Ways(Document):
    """How a file is to be read, and what of it."""

    repeated: Literal["clones", "parts"] = Field(
        "clones", description="What meshes become that stand there many times."
    )
    copies: Literal["parts", "clones"] = Field("parts", description="What real copies become.")
    each: Literal["copy", "part"] = Field("copy", description="What an element of clones is.")
    frame: float | None = Field(
        None, ge=-1e9, le=1e9, description="Of a file in which something moves; else its first."
    )
    colours: str = Field("own", max_length=300, description="How it is coloured at first: own, chance or each:NAME.")
    only: tuple[int, ...] = Field(
        (), max_length=1000, description="The numbers of the things that are meant; else all."
    )

    @property
    def options(self) -> ReadOptions:
        """What the readers are told of it."""
        return ReadOptions(self.repeated, self.copies, self.each, self.frame)


class ItemPreview(BaseModel):
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
    things: list[ItemPreview]


class Imported(BaseModel):
    """What was stored of one thing, with the maker to put into a scene."""

    name: str
    kind: str
    maker: ImportedMaker
    look: Look = Field(description="Its first look.")
    shape: DrawnAs = Field(description="What it is drawn as.")


class ImportAnswer(BaseModel):
    """What was stored of a file, thing by thing."""

    file: str
    things: list[Imported]


#: What can be asked for in the address, by its word.
_CHOICES = {word: get_args(Ways.model_fields[word].annotation) for word in ("repeated", "copies", "each")}


def _asked() -> Ways:
    """How the address asks for a file to be read."""
    given: dict[str, Any] = {"colours": request.args.get("colours", "own")[:300]}
    for word, words in _CHOICES.items():
        given[word] = request.args.get(word, words[0])
        if given[word] not in words:
            raise BadInput(f"{given[word][:40]!r} is neither {' nor '.join(words)}.", place=word)
    frame = request.args.get("frame", "")
    if frame and not re.fullmatch(r"-?[0-9]{1,9}(\.[0-9]{1,6})?", frame):
        raise BadInput(f"{frame[:40]!r} is no frame. Give a number.", place="frame")
    numbers = [n for n in request.args.get("only", "").split(",") if n]
    wrong = [n for n in numbers if not re.fullmatch("[0-9]{1,6}", n)]
    if wrong:
        raise BadInput(f"{wrong[0][:40]!r} is no number of a thing in the file.", place="only")
    return Ways(**given, frame=float(frame) if frame else None, only=tuple(map(int, numbers)))


def _sent() -> tuple[bytes, str]:
    """The file that is meant and its name: one sent before (``?upload=``), else the body (``?name=``)."""
    word = request.args.get("upload", "")
    if word:
        return services().uploads.data(word)
    name = request.args.get("name", "")[:200]
    if not name:
        raise BadInput("The name of the file is missing. Add ?name=.", place="name")
    return request.get_data(cache=False), name


def _chosen(things: list[ImportedItem], only: tuple[int, ...]) -> list[tuple[int, ImportedItem]]:
    """Those of these numbers, with their numbers; all where none are given."""
    wrong = [n for n in only if not 0 <= n < len(things)]
    if wrong:
        raise BadInput(f"The file has no thing number {wrong[0]}; it has {len(things)}.", place="only")
    return [(n, things[n]) for n in dict.fromkeys(only or range(len(things)))]


def _living(chosen: list[tuple[int, ImportedItem]], name: str) -> list[tuple[int, ImportedItem]]:
    """Those of which any live at the moment; BadInput where there are none."""
    found = [(number, thing) for number, thing in chosen if thing.population.count]
    if not found:
        raise BadInput(
            f"Nobody of {chosen[0][1].name!r} lives at this frame. Take another, or all frames.", place=name,
            code=NOBODY,
        )  # fmt: skip
    return found


@operation(blueprint, "/imports/preview", method="post", result=ImportPreview)
def preview_import() -> ImportPreview:
    """What a file (the request's body) holds.

    ``?colours=`` says how the things are coloured: ``own``, ``chance`` or ``each:NAME``, one colour for each value of a
    column. ``?repeated=parts`` takes meshes that stand there many times as parts, not as clones; ``?copies=clones``
    real copies as clones; ``?each=part`` each part of each clone as an element; ``?frame=`` a moment.
    """
    data, name = _sent()
    return preview_of(data, name, _asked(), unless_gone())


def preview_of(data: bytes, name: str, ways: Ways, task: Task) -> ImportPreview:
    """What a file holds, read in one of the ways; nothing is stored."""
    task.reach(0, f"reading {name}")
    things = read_items(data, name, task.part(0, 0.8), ways.options)
    task.reach(0.8, "looking at what it holds")
    described_first = _described(things[:_DESCRIBED], ways.colours, task.part(0.8, 1))
    return ImportPreview(file=name, things=[*described_first, *map(_named, things[_DESCRIBED:])])


def _first_looks(things: list[ImportedItem], colours: str) -> list[Look]:
    """How things are coloured at first; those that have no such column by what they have."""
    if colours in ("own", "chance"):
        return [first_look(thing.population, colours) for thing in things]
    if not colours.startswith("each:"):
        raise BadInput(f"{colours[:40]!r} is none of own, chance and each:NAME.", place="colours")
    named = colours.removeprefix("each:")
    there = [named in dict(groups_of(thing.population)) for thing in things]
    if things and not any(there):
        first_look(things[0].population, colours)  # which says what there is
    return [first_look(t.population, colours if k else "own") for t, k in zip(things, there, strict=True)]


def _described(things: list[ImportedItem], colours: str, task: Task) -> list[ItemPreview]:
    """Things with all that they carry; small pictures of the first ones."""
    looks = _first_looks(things, colours)

    def picture(k: int, population: Population, look: Look) -> str:
        task.reach(k / len(things))
        return _picture(population, look) if k < _PICTURED else ""

    return [
        ItemPreview(
            name=thing.name, becomes=thing.becomes, frames=thing.frames, colours=carried_colour(thing.population),
            groups=groups_of(thing.population), **described(thing.population),
            picture=picture(k, thing.population, look),
        )
        for k, (thing, look) in enumerate(zip(things, looks, strict=True))
    ]  # fmt: skip


def _named(thing: ImportedItem) -> ItemPreview:
    """A thing by its name and count alone."""
    population = thing.population
    return ItemPreview(
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
    services().store.put_columns(columns)
    return SequenceAnswer(maker=maker)


@operation(blueprint, "/imports", method="post", result=ImportAnswer)
def import_file() -> ImportAnswer:
    """Store what a file (the request's body) holds; ``?only=0,2`` some of its things.

    ``?colours=`` says how they are coloured at first, as for a preview.
    """
    data, name = _sent()
    return imported(data, name, _asked(), unless_gone())


def imported(data: bytes, name: str, ways: Ways, task: Task) -> ImportAnswer:
    """Store what a file holds, all or none."""
    answer, columns = _worked_out(data, name, ways, task.part(0, 0.9))
    task.reach(0.9, f"storing {name}")
    services().store.put_columns(columns)
    return answer


def _worked_out(data: bytes, name: str, ways: Ways, task: Task) -> tuple[ImportAnswer, dict[str, bytes]]:
    """What is told of a file, and the columns that are to be stored, by digest."""
    task.reach(0, f"reading {name}")
    items = read_items(data, name, task.part(0, 0.9), ways.options)
    return _made_of(items, name, ways, task.part(0.9, 1), digest_of(data))


def _made_of(
    items: list[ImportedItem], name: str, ways: Ways, task: Task, fingerprint: str
) -> tuple[ImportAnswer, dict[str, bytes]]:
    """What is told of the things of a file, and the columns that are to be stored."""
    chosen = _living(_chosen(items, ways.only), name)
    looks = _first_looks([thing for _, thing in chosen], ways.colours)
    makers: list[Imported] = []
    columns: dict[str, bytes] = {}
    for ((number, thing), look), _ in task.each(list(zip(chosen, looks, strict=True))):
        recipe = ImportRecipe(
            fingerprint=fingerprint,
            thing=thing.name[:1000],
            number=number,
            **ways.model_dump(include={"repeated", "copies", "each", "frame", "colours"}),
        )
        maker, more = store_columns(thing.population, name, recipe)
        shape: DrawnAs = "ball" if thing.population.models is None else "own"
        makers.append(Imported(name=thing.name, kind=thing.population.kind, maker=maker, look=look, shape=shape))
        columns.update(more)
    return ImportAnswer(file=name, things=makers), columns


class FrameSent(Document):
    """A file that was sent for a frame; several frames of one file name the same."""

    frame: Frame
    upload: str = Field(max_length=64)


class SequenceMade(BaseModel):
    """What was made of all frames."""

    name: str
    maker: SequenceMaker
    look: Look = Field(description="Its first look.")
    shape: DrawnAs = Field(description="What it is drawn as.")
    into: str = Field(description="The id of the population that stands for it until now; empty where none does.")


def sequence_made(name: str, frames: tuple[FrameSent, ...], ways: Ways, into: str, task: Task) -> SequenceMade:
    """Read one thing at each frame and join them into a population that moves.

    A file of several frames is read anew for each of them where something moves in it; one that is a frame's own at
    its only moment.
    """
    several = len({of.upload for of in frames}) < len(frames)
    file = ""

    def of_files() -> Iterator[Imported | None]:
        nonlocal file
        for upload, of_file in itertools.groupby(frames, lambda of: of.upload):
            data, file = services().uploads.data(upload)
            ways_of = [ways.model_copy(update={"frame": float(f.frame) if several else None}) for f in of_file]
            yield from _frames_made(data, file, ways_of, task)

    # Each frame is told before it is read.
    made = [found for _, found in zip(task.each(frames, "frame"), of_files(), strict=True)]
    listed = tuple(SequenceFrame(frame=of.frame, maker=m and m.maker) for of, m in zip(frames, made, strict=True))
    maker, columns = sequence_of(listed, file)
    services().store.put_columns(columns)
    first = next(m for m in made if m is not None)
    return SequenceMade(name=name, maker=maker, look=first.look, shape=first.shape, into=into)


def _frames_made(data: bytes, file: str, ways_of: list[Ways], task: Task) -> Iterator[Imported | None]:
    """What is made of each frame, None where nobody lives.

    One that was read before is not parsed again, as long as it is kept.
    """
    shared, fingerprint = services(), digest_of(data)
    keys = [digest_of("frame", __version__, fingerprint, file, ways.model_dump(mode="json")) for ways in ways_of]
    kept = [shared.states.get(key) for key in keys]
    fresh = [ways for ways, found in zip(ways_of, kept, strict=True) if found is None]
    quiet = task.quiet()
    if fresh and fresh[0].frame is not None:
        read = read_frames(data, file, [float(ways.frame or 0) for ways in fresh], quiet, fresh[0].options)
    else:
        read = (read_items(data, file, quiet, ways.options) for ways in fresh)
    for key, ways, found in zip(keys, ways_of, kept, strict=True):
        if found is not None:
            told, arrays = found
            shared.store.put_columns({digest: array.data for digest, array in arrays.items()})
            yield Imported.model_validate(told)
            continue
        try:
            answer, columns = _made_of(next(read), file, ways, quiet, fingerprint)
        except BadInput as error:
            if error.code != NOBODY:
                raise
            yield None
            continue
        shared.store.put_columns(columns)
        first = answer.things[0]
        shared.states.put(
            key, first.model_dump(mode="json"), {d: np.frombuffer(column, np.uint8) for d, column in columns.items()}
        )
        yield first
