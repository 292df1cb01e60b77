"""What every file format has."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal, Protocol

import numpy as np

from ..geometry.shapes import ShapeMesh
from ..population import Population
from ..registry import Registry
from ..runtime.task import Task
from .columns import Results

if TYPE_CHECKING:
    from ..look.material import ElementPicture, Finish


@dataclass(frozen=True)
class ImportedItem:
    """One thing that a file holds.

    Attributes
    ----------
    name
        As the file calls it.
    becomes
        What it becomes here, in a few words.
    frames
        The first and last frame of a file in which something moves; None where nothing does.
    """

    name: str
    population: Population
    becomes: str
    frames: tuple[float, float] | None = None


@dataclass(frozen=True)
class ReadOptions:
    """How a file is to be read where it can be read in more than one way.

    Attributes
    ----------
    repeated
        Whether meshes that stand there many times become parts of one mesh, or clones.
    copies
        The same of real copies: meshes of one shape and name.
    each
        Whether an element of clones is a copy, or each part of each copy.
    frame
        Of a file with moving things; None for the first.
    """

    repeated: Literal["parts", "clones"] = "clones"
    copies: Literal["parts", "clones"] = "parts"
    each: Literal["copy", "part"] = "copy"
    frame: float | None = None


#: The code of what is refused since nothing lives at the moment: of a row of frames that is a frame like others.
NOBODY = "nobody"


@dataclass(frozen=True)
class MeshPart:
    """One of the shapes that clones are drawn as, and which of them are it.

    Attributes
    ----------
    rows
        (m,) whole numbers: the elements.
    finish
        That of these elements; None where the look has none of its own.
    texels
        (rows, columns, 4) uint8: the picture as it is shown, its fourth what cuts it out; None for none.
    cut_out
        Whether these elements lie below the threshold of opacity, so that nothing of them is seen.
    """

    name: str
    mesh: ShapeMesh
    rows: np.ndarray
    picture: ElementPicture | None = None
    finish: Finish | None = None
    texels: np.ndarray | None = None
    cut_out: bool = False


@dataclass(frozen=True)
class WriterContext:
    """What a file is told of a population beside its elements and the channels.

    Attributes
    ----------
    shape
        That clones have where there are no pieces.
    pieces
        What clones are drawn as.
    finishes, finish_at
        The finishes of the look, and (n,) float32 the number of each element's, between two where they blend; None
        where all have the first.
    picture, texels
        On every element of a mesh.
    threshold
        Below which opacity cuts out; None where elements are seen through.
    outputs
        The names of the attributes that the look sends beside its channels.
    """

    name: str = "population"
    shape: str = "sequin"
    pieces: tuple[MeshPart, ...] = ()
    finishes: tuple[Finish, ...] = ()
    finish_at: np.ndarray | None = None
    picture: ElementPicture | None = None
    texels: np.ndarray | None = None
    threshold: float | None = None
    outputs: tuple[str, ...] = ()


@dataclass(frozen=True)
class Format:
    """A way to write elements to a file, and to read them.

    Attributes
    ----------
    ending
        Of file names, with its point.
    mime
        The media type of what is written.
    write
        ``write(population, results, about, task)`` gives the bytes; ``results`` by channel, or None.
    read
        ``read(data, name, task, options)`` gives the things in the file; None for a form that another format of this
        ending reads.
    also
        Further endings of its files.
    brought
        Endings of files that it reads and does not write.
    shapes
        Whether a small mesh that clones are drawn as is taken from it.
    kinds
        Words of the kinds of population that it writes.
    recognises
        Whether these bytes are of this format; None where only what no other format recognises is tried.
    as_text
        Whether it is the form in plain text of the format that has its ending.
    lacks
        What it cannot hold, in the words of ``losses``.
    read_frames
        ``read_frames(data, name, frames, task, options)`` gives the things at each of some frames, one after another;
        None where nothing moves in such files.
    blocks_in
        ``blocks_in(data, name, task)`` gives a ``blocks.Table`` of a file, (n,) uint8; None where it has no blocks.
    blocks_out
        ``blocks_out(blocks, count)`` gives the pieces of a file out of blocks, each a population with its results by
        channel, and how many elements there are in all.
    """

    word: str
    title: str
    ending: str
    mime: str
    write: Callable[[Population, Results | None, WriterContext, Task], bytes]
    read: Callable[[bytes, str, Task, ReadOptions], list[ImportedItem]] | None = None
    recognises: Callable[[bytes], bool] | None = None
    as_text: bool = False
    also: tuple[str, ...] = ()
    brought: tuple[str, ...] = ()
    shapes: bool = False
    kinds: tuple[str, ...] = ("clones", "mesh", "particles")
    lacks: tuple[str, ...] = ()
    read_frames: Callable[[bytes, str, Sequence[float], Task, ReadOptions], Iterator[list[ImportedItem]]] | None = None
    blocks_in: Callable[[np.ndarray, str, Task], Table] | None = None
    blocks_out: Callable[[Iterator[tuple[Population, Results]], int], Iterator[bytes | memoryview]] | None = None

    @property
    def endings(self) -> tuple[str, ...]:
        """The endings of the files that it reads; empty where it reads none."""
        return (self.ending, *self.also, *self.brought) if self.read else ()


#: Every format by its word.
FORMATS: Registry[Format] = Registry("format")


def format_of(ending: str, as_text: bool = False) -> Format | None:
    """The format that writes files of an ending such as ``.ply``; the one in plain text where that is wanted."""
    found = [f for f in FORMATS.values() if ending.lower() in (f.ending, *f.also)]
    wanted = [f for f in found if f.as_text == as_text]
    return next(iter(wanted or found), None)


class Table(Protocol):
    """A table of elements in a file."""

    @property
    def count(self) -> int:
        """How many rows it has."""

    def blocks(self) -> Iterator[Population]:
        """All rows as clones, a block at a time, as often as it is asked for."""
