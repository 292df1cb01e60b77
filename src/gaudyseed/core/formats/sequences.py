"""Numbered files, one for each frame: smoke.0001.ply, smoke.0002.ply and so on."""

from __future__ import annotations

import re
from pathlib import Path, PurePath

#: A number right before the ending, after a dot, an underscore, a hyphen or a letter.
_NUMBERED = re.compile(r"^(.*?)(\d+)$")


def frame_of(name: str) -> tuple[str, int, int] | None:
    """What stands before the number of a file's name, the number and how many digits it has; None where it has none.

    >>> frame_of("smoke.0042.ply"), frame_of("smoke.ply")
    (('smoke.', 42, 4), None)
    """
    found = _NUMBERED.match(PurePath(name).stem)
    return (found[1], int(found[2]), len(found[2])) if found and len(found[2]) < 10 else None


def numbered(path: Path, frame: float) -> Path:
    """The file of a frame beside a numbered one; the file itself where it is not numbered or that one is not there."""
    found = frame_of(path.name)
    if found is None or frame != int(frame):
        return path
    before, _, digits = found
    other = path.with_name(f"{before}{int(frame):0{digits}d}{path.suffix}")
    return other if other.exists() else path
