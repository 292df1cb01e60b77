"""What follows from the ids of points that come frame by frame: how fast each is, how old, and how long it lives."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from .attribute import Attribute
from .population import Population

#: Places that are told one by one.
_TOLD = 3


@dataclass(frozen=True)
class Appearances:
    """When each id is there.

    Attributes
    ----------
    ids
        (n,) int64, rising.
    first, last
        (n,) int64: the first and the last frame that it appears at.
    notes
        Sentences about ids that appear twice in a frame, go away and come again, or change their source.
    """

    ids: np.ndarray
    first: np.ndarray
    last: np.ndarray
    notes: tuple[str, ...]


def appearances(
    frames: Sequence[int], ids_at: Callable[[int], np.ndarray],
    sources_at: Callable[[int], np.ndarray | None] = lambda k: None,
) -> Appearances:  # fmt: skip
    """When each id is there, out of the ids of each frame.

    Parameters
    ----------
    ids_at
        ``ids_at(k)`` gives the ids of the k-th of the frames, (n,).
    sources_at
        ``sources_at(k)`` gives a number from 0 on for the source of each, (n,); None where that is not known.
    """
    found: list[np.ndarray] = []
    sources: list[np.ndarray | None] = []
    twice: list[str] = []
    for k, frame in enumerate(frames):
        ids, index, counts = np.unique(ids_at(k), return_index=True, return_counts=True)
        found.append(ids)
        of = sources_at(k)
        sources.append(None if of is None else of[index])
        twice += [f"{ids[j]} at frame {frame}" for j in np.flatnonzero(counts > 1)[:_TOLD].tolist()]
    every = np.unique(np.concatenate(found)) if found else np.zeros(0, np.int64)
    first, last = np.full(len(every), -1, np.int64), np.full(len(every), -1, np.int64)
    times = np.zeros(len(every), np.int64)
    for k, ids in enumerate(found):
        rows = np.searchsorted(every, ids)
        first[rows] = np.where(first[rows] < 0, k, first[rows])
        last[rows] = k
        times[rows] += 1
    gaps = np.flatnonzero(times < last - first + 1)
    again = [f"{every[j]} between frames {frames[first[j]]} and {frames[last[j]]}" for j in gaps[:_TOLD].tolist()]
    notes = [*_told(twice, "Ids that appear twice in a frame: "),
             *_told(again, "Ids that go away and come again, taken for one: ", len(gaps)),
             *_of_sources(frames, every, found, sources)]  # fmt: skip
    at = np.array(frames, np.int64)
    return Appearances(every, at[first], at[last], tuple(notes))


def _of_sources(
    frames: Sequence[int], every: np.ndarray, found: list[np.ndarray], sources: list[np.ndarray | None]
) -> list[str]:
    """What is told of ids that change their source."""
    held = np.full(len(every), -1, np.int64)
    places: list[str] = []
    many = 0
    for frame, ids, of in zip(frames, found, sources, strict=True):
        if of is None:
            continue
        rows = np.searchsorted(every, ids)
        changed = ids[(held[rows] >= 0) & (held[rows] != of)]
        many += len(changed)
        places += [f"{k} at frame {frame}" for k in changed[:_TOLD].tolist()]
        held[rows] = of
    return _told(places, "Ids that change their source: ", many)


def _told(places: list[str], words: str, many: int = 0) -> list[str]:
    if not places:
        return []
    more = max(many, len(places)) - _TOLD
    return [f"{words}{', '.join(places[:_TOLD])}{f' and {more:,} more' if more > 0 else ''}."]


def flying(
    now: Population, before: Population | None, after: Population | None, frames: tuple[int, int, int],
    there: Appearances, rate: float,
) -> Population:  # fmt: skip
    """Points as particles: *velocity* from their places at the frames around, *age* and *lifetime* by their ids.

    Parameters
    ----------
    before, after
        The points of the frames around; None at the ends, and where a frame lacks an id the one that has it counts.
    frames
        Those of before, now and after.
    rate
        Frames a second.
    """
    elements = now.elements
    ids = elements.attribute("id").precise().astype(np.int64)
    places = elements.attribute("position").readable
    rows = np.searchsorted(there.ids, ids)
    first, last = there.first[rows], there.last[rows]
    age = ((frames[1] - first) / rate).astype(np.float32)
    life = ((last - first) / rate).astype(np.float32)
    lived = np.clip(age / np.where(life > 0, life, 1), 0, 1)
    numbers = {"age": age, "lifetime": life, "lived": lived, "birth_frame": first.astype(np.float32)}
    more = {name: Attribute(name, "number", values) for name, values in numbers.items()}
    wide, size = elements.own.get("width"), elements.own.get("size")
    if wide is not None and wide.kind == "number" and (size is None or not size.fields):
        # A file's width is a diameter, a particle's size a radius.
        more["size"] = Attribute("size", "number", wide.readable / 2)
    velocity = elements.find("velocity")
    if velocity is None or velocity.kind != "vector" or velocity.width != 3:
        ways = _velocities(ids, places, before, after, frames, rate)
        velocity = more["velocity"] = Attribute("velocity", "vector", ways)
    speed = np.linalg.norm(velocity.readable.astype(np.float64), axis=1).astype(np.float32)
    more["speed"] = Attribute("speed", "number", speed, stands_for="length")
    own = {name for name, a in elements.own.items() if a.fields}
    made = elements.with_more({name: a for name, a in more.items() if name not in own})
    return replace(now, kind="particles", elements=replace(made, level="particle"), notes=(*now.notes, *there.notes))


def _velocities(
    ids: np.ndarray, places: np.ndarray, before: Population | None, after: Population | None,
    frames: tuple[int, int, int], rate: float,
) -> np.ndarray:  # fmt: skip
    """(n, 3) float32: from the place at the frame before to that at the one after, or as much of this as is known."""
    low, high = places.astype(np.float64), places.astype(np.float64)
    since, until = np.full(len(ids), frames[1]), np.full(len(ids), frames[1])
    for other, frame, into, when in ((before, frames[0], low, since), (after, frames[2], high, until)):
        if other is None:
            continue
        theirs = other.elements.attribute("id").precise().astype(np.int64)
        order = np.argsort(theirs, kind="stable")
        at = np.minimum(np.searchsorted(theirs[order], ids), max(len(theirs) - 1, 0))
        known = np.flatnonzero(theirs[order][at] == ids) if len(theirs) else np.zeros(0, np.int64)
        into[known] = other.elements.attribute("position").readable[order[at[known]]]
        when[known] = frame
    seconds = (until - since)[:, None] / rate
    return np.asarray((high - low) / np.where(seconds > 0, seconds, 1), np.float32)
