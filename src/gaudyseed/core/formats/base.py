"""What every file format has."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ..population import Population
from ..registry import Registry
from .cells import Check
from .columns import Results


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
        ``write(population, results)`` gives the bytes; ``results`` by channel, or None.
    read
        ``read(data, name, check)`` gives the population; None for a form that another format of this ending reads.
    recognises
        Whether these bytes are of this format; None where only what no other format recognises is tried.
    as_text
        Whether it is the form in plain text of the format that has its ending.
    """

    word: str
    title: str
    ending: str
    mime: str
    write: Callable[[Population, Results | None], bytes]
    read: Callable[[bytes, str, Check], Population] | None = None
    recognises: Callable[[bytes], bool] | None = None
    as_text: bool = False


#: Every format by its word.
FORMATS: Registry[Format] = Registry("format")


def format_of(ending: str, as_text: bool = False) -> Format | None:
    """The format that writes files of an ending such as ``.ply``; the one in plain text where that is wanted."""
    found = [f for f in FORMATS.values() if f.ending == ending.lower()]
    wanted = [f for f in found if f.as_text == as_text]
    return next(iter(wanted or found), None)
