"""What can be wrong with the data file, as sentences."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy.exc import DBAPIError


class Trouble(RuntimeError):
    """The data file cannot be used, for now or at all.

    Parameters
    ----------
    code
        ``full``, ``busy``, ``readonly``, ``damaged``, ``foreign``, ``newer`` or ``unreachable``.
    """

    def __init__(self, code: str, sentence: str) -> None:
        super().__init__(sentence)
        self.code = code
        self.sentence = sentence


_KEPT = "What is not saved waits in the page and is tried again."
_SENTENCES = {
    "full": f"The disk that holds {{path}} is full. Free some room. {_KEPT}",
    "busy": f"{{path}} is held by another program. Close it there. {_KEPT}",
    "readonly": f"{{path}} cannot be written to. Allow writing to it and its folder, or choose another file. {_KEPT}",
    "damaged": "{path} is damaged. Put back a copy of it, or choose another file with --data.",
    "foreign": "{path} is no data file of Gaudy Seed. Choose another file with --data; this one is left as it is.",
    "newer": "{path} was written by a newer Gaudy Seed. Update this one, or choose another file with --data.",
    "unreachable": "{path} cannot be opened: {why}. Check the path and its folder, or choose another with --data.",
}
#: SQLite's result codes (sqlite.org/rescode.html) by the beginnings of their names.
_CODES = {
    "SQLITE_FULL": "full", "SQLITE_BUSY": "busy", "SQLITE_LOCKED": "busy", "SQLITE_READONLY": "readonly",
    "SQLITE_CORRUPT": "damaged", "SQLITE_NOTADB": "foreign", "SQLITE_IOERR": "unreachable",
    "SQLITE_CANTOPEN": "unreachable", "SQLITE_PERM": "readonly", "SQLITE_AUTH": "readonly",
}  # fmt: skip


def trouble(code: str, path: Path, why: str = "") -> Trouble:
    """The trouble of that code with a file."""
    return Trouble(code, _SENTENCES[code].format(path=path, why=why))


@contextmanager
def told(path: Path) -> Iterator[None]:
    """Turn what SQLite and the system say about a data file into a Trouble."""
    try:
        yield
    except DBAPIError as error:
        raise _of(error.orig or error, path) from error
    except (sqlite3.Error, OSError) as error:
        raise _of(error, path) from error


def _of(error: BaseException, path: Path) -> Trouble:
    if isinstance(error, OSError):
        return trouble("unreachable", path, (error.strerror or "it is no file").lower())
    name = getattr(error, "sqlite_errorname", "")
    for beginning, code in _CODES.items():
        if name.startswith(beginning):
            return trouble(code, path, "the disk or its folder refuses it")
    # Tables that are not as they were made, or texts that are none.
    return trouble("damaged", path)
