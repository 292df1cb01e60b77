"""Numbered files, one for each frame: smoke.0001.ply, smoke.0002.ply and so on."""

from __future__ import annotations

import glob
import math
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


def numbered(path: Path, frame: float) -> tuple[Path, int | None]:
    """The file of a frame beside a numbered one, and the frame that it is of: the frame's own, or an earlier one.

    The file of the nearest earlier frame holds where a frame has none, before the first the first one's; the file
    itself and None where it is not numbered.
    """
    found = frame_of(path.name)
    if found is None:
        return path, None
    before, number, digits = found
    wanted = math.floor(frame)
    other = path.with_name(f"{before}{wanted:0{digits}d}{path.suffix}")
    if other.exists():
        return other, wanted
    frames = {number: path}
    for beside in path.parent.glob(f"{glob.escape(before)}*{glob.escape(path.suffix)}"):
        of = frame_of(beside.name)
        if of is not None and of[0] == before:
            frames[of[1]] = beside
    earlier = [k for k in frames if k <= wanted]
    at = max(earlier) if earlier else min(frames)
    return frames[at], at
