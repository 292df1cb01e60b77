"""Files in and out: one file a format, which registers itself; chosen by what the bytes are, not by the name."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import PurePath

from ..errors import BadInput
from ..population import Population
from ..population.makers.recipe import ImportRecipe
from ..registry import import_all
from ..runtime.task import UNWATCHED, Task
from .base import FORMATS, NOBODY, Format, ImportedItem, ReadOptions, WriterContext, format_of
from .same import copies_apart

import_all(__name__, list(__path__))

#: Largest file taken, in bytes.
LARGEST_FILE = 512 * 1024 * 1024

_NOTHING = b"\x00 \t\r\n"
_PICTURES = {
    b"\x89PNG": "a PNG picture", b"\xff\xd8\xff": "a JPEG picture", b"GIF8": "a GIF picture",
    b"RIFF": "a WebP picture or a sound", b"II*\x00": "a TIFF picture", b"MM\x00*": "a TIFF picture",
    b"v/1\x01": "an OpenEXR picture", b"%PDF": "a PDF", b"PK\x03\x04": "a ZIP archive", b"\x1f\x8b": "a gzip archive",
    b"SQLite": "a database",
}  # fmt: skip


def read_items(
    data: bytes, name: str, task: Task = UNWATCHED, options: ReadOptions = ReadOptions()
) -> list[ImportedItem]:
    """What a file holds, whatever its format.

    Parameters
    ----------
    data
        The whole file.
    name
        Its name; used in sentences, and to tell CSV from other text.
    task
        Asked every few milliseconds whether to stop.
    options
        How to read it where there is more than one way.

    Raises
    ------
    BadInput
        With a sentence that says where and what to do.
    """
    name = PurePath(name.replace("\\", "/")).name or "the file"
    if len(data) > LARGEST_FILE:
        raise BadInput(
            f"{name} has {len(data) / 1e6:,.0f} MB; at most {LARGEST_FILE / 1e6:,.0f} MB are taken. Split it.",
            place=name,
        )
    if not (data[:4096].strip(_NOTHING) or data.strip(_NOTHING)):
        raise BadInput(f"{name} is empty. Export it again from the program it came from.", place=name)
    for form in FORMATS.values():
        if form.read and form.recognises and form.recognises(data):
            found = form.read(data, name, task, options)
            return copies_apart(found) if options.copies == "clones" else found
    for magic, what in _PICTURES.items():
        if data.startswith(magic):
            raise BadInput(
                f"{name} is {what}, not points or a mesh. Bring OBJ, PLY, GLB, USD or CSV.",
                place=name,
                code="unknown_format",
            )
    if name.lower().endswith(".ply"):
        raise BadInput(
            f"{name} does not begin with the line 'ply', so it is no PLY file. Export it again.",
            place=f"{name}, line 1", code="unknown_format",
        )  # fmt: skip
    last = next(form.read for form in FORMATS.values() if form.read and not form.recognises)
    return last(data, name, task, options)


def read_frames(
    data: bytes, name: str, frames: Sequence[float], task: Task = UNWATCHED, options: ReadOptions = ReadOptions()
) -> Iterator[list[ImportedItem]]:
    """What a file holds at each of some frames, one after another, whatever its format; BadInput as read_items says."""
    form = next((f for f in FORMATS.values() if f.read_frames and f.recognises and f.recognises(data)), None)
    if form is None or form.read_frames is None:
        for frame in frames:
            yield read_items(data, name, task, replace(options, frame=frame))
        return
    for items in form.read_frames(data, PurePath(name.replace("\\", "/")).name or "the file", frames, task, options):
        yield copies_apart(items) if options.copies == "clones" else items


def read_again(recipe: ImportRecipe, data: bytes, name: str, task: Task = UNWATCHED) -> ImportedItem:
    """What was imported by a recipe, of the same file or of a later one.

    The thing of that name is taken, among several of one name that of the recipe's number; BadInput where the file
    holds no such thing any more.
    """
    options = ReadOptions(recipe.repeated, recipe.copies, recipe.each, recipe.frame)
    items = read_items(data, name, task, options)
    named = [k for k, item in enumerate(items) if item.name[:1000] == recipe.thing]
    if not named:
        listed = ", ".join(repr(item.name) for item in items[:12])
        raise BadInput(
            f"{name} holds no {recipe.thing!r} any more. It holds {listed}. Import what you want of it anew.",
            place=name, code="thing_gone",
        )  # fmt: skip
    return items[recipe.number if recipe.number in named else named[0]]


def read_points(
    data: bytes, name: str, task: Task = UNWATCHED, options: ReadOptions = ReadOptions(), population: str = ""
) -> Population:  # fmt: skip
    """The one population in a file, or that of a name where it holds several; BadInput lists them."""
    things = read_items(data, name, task, options)
    if not population and len(things) == 1:
        return things[0].population
    for thing in things:
        if thing.name == population:
            return thing.population
    listed = ", ".join(repr(thing.name) for thing in things[:12])
    what = f"has no {population!r}" if population else "holds several things"
    raise BadInput(f"{name} {what}. Choose one of {listed}.", place=name, code="several_things")


__all__ = [
    "FORMATS",
    "LARGEST_FILE",
    "NOBODY",
    "Format",
    "ImportedItem",
    "ReadOptions",
    "WriterContext",
    "format_of",
    "read_again",
    "read_frames",
    "read_items",
    "read_points",
]
