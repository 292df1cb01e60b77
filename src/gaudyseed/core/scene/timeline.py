"""The scene's timeline, and values at keys along it.

A key says how its value goes on to that of the next one: held, straight, or eased. The ease is `ease-in-out` of CSS
Easing Functions Level 1: the cubic Bezier curve through (0, 0), (0.42, 0), (0.58, 1) and (1, 1).
"""

from __future__ import annotations

import bisect
import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal, TypeVar

from pydantic import Field, model_validator

from ..documents.document import Document
from ..errors import BadInput

Shape = Literal["hold", "straight", "ease"]
#: A frame of a timeline.
LAST_FRAME = 1_000_000
Frame = Annotated[int, Field(ge=0, le=LAST_FRAME)]
MOST_KEYS = 1000
Plain = TypeVar("Plain")


class Timeline(Document):
    """The frames of a scene, and how many pass in a second."""

    first: Frame = Field(0, title="First frame")
    last: Frame = Field(120, title="Last frame")
    rate: Annotated[float, Field(ge=1, le=1000)] = Field(24.0, title="Frames a second")

    @model_validator(mode="after")
    def _forwards(self) -> Timeline:
        if self.last < self.first:
            raise ValueError(f"the last frame, {self.last}, lies before the first, {self.first}. Exchange them")
        return self

    def moment(self, frame: float) -> Moment:
        """The moment of a frame; seconds count from frame 0."""
        return Moment(float(frame), float(frame) / self.rate, self.rate)


@dataclass(frozen=True)
class Moment:
    """When a look is evaluated: a frame, the seconds since frame 0, and the frames in a second."""

    frame: float = 0.0
    seconds: float = 0.0
    rate: float = 24.0


class Key(Document):
    """Where a value of a timeline is set; documents of keys add the value."""

    frame: Frame = Field(title="Frame")
    to_next: Shape = Field("ease", title="To the next key")


def check_keys(keys: Sequence[Key]) -> None:
    """ValueError where keys do not follow each other."""
    for before, after in itertools.pairwise(keys):
        if after.frame == before.frame:
            raise ValueError(f"two keys stand at frame {after.frame}. Keep one of them")
        if after.frame < before.frame:
            raise ValueError(f"the key at frame {after.frame} stands after that at {before.frame}. List keys in order")


def checked_frame(frame: float, place: str = "frame") -> int:
    """A whole frame of a timeline; BadInput where it is none.

    >>> checked_frame(12.0)
    12
    """
    if not (0 <= frame <= LAST_FRAME) or frame != int(frame):
        raise BadInput(
            f"{frame:g} is no frame. Give a whole number from 0 to {LAST_FRAME:,}.", place=place, code="bad_frame"
        )
    return int(frame)


def eased(t: float) -> float:
    """How far an eased value has gone at the part ``t`` of its time, both from 0 to 1.

    >>> eased(0.0), eased(0.5), eased(1.0)
    (0.0, 0.5, 1.0)
    """
    # x(s) = 3 (1 - s)^2 s 0.42 + 3 (1 - s) s^2 0.58 + s^3 rises, so halving finds s; 50 times reach float64.
    low, high = 0.0, 1.0
    for _ in range(50):
        s = (low + high) / 2
        if 3 * (1 - s) ** 2 * s * 0.42 + 3 * (1 - s) * s * s * 0.58 + s**3 < t:
            low = s
        else:
            high = s
    s = (low + high) / 2
    return min(1.0, max(0.0, round(3 * (1 - s) * s * s + s**3, 12)))


def at_frame(
    keys: Sequence[Key], values: Sequence[Plain], frame: float, mix: Callable[[Plain, Plain, float], Plain]
) -> Plain:
    """The value at a frame: before the first key its own, after the last one its own, between two as the earlier says.

    ``mix(a, b, t)`` gives what lies the part ``t`` of the way from one value to the next.
    """
    frames = [key.frame for key in keys]
    k = bisect.bisect_right(frames, frame) - 1
    if k < 0:
        return values[0]
    if k == len(keys) - 1 or keys[k].to_next == "hold":
        return values[k]
    t = (frame - frames[k]) / (frames[k + 1] - frames[k])
    return mix(values[k], values[k + 1], eased(t) if keys[k].to_next == "ease" else t)
