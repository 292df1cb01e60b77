"""Motion that is worked out frame by frame: which frames are kept, what all of them cost, and working them out."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..motion.states import A_PARTICLE, StateStore, is_kept, kept
from ..population.makers.base import MakerContext
from ..population.makers.emission import EmissionMaker
from ..runtime.task import UNWATCHED, Task
from .run import SceneRun
from .timeline import checked_frame


@dataclass(frozen=True)
class Motion:
    """The motion of a scene along its timeline.

    Attributes
    ----------
    frames
        Those of the timeline, in order, by whether all that is simulated is kept there.
    births
        How many are born on the average in each of them.
    missing
        States that are still to be worked out.
    size
        Bytes that these will take on the disk, about.
    """

    frames: tuple[bool, ...]
    births: tuple[float, ...]
    missing: int
    size: int


def motion_of(run: SceneRun, store: StateStore | None) -> Motion:
    """What is kept of a scene's motion, without working anything out; no frames where nothing is simulated."""
    timeline = run.scene.timeline
    frames = [True] * (timeline.last - timeline.first + 1)
    births = np.zeros(len(frames))
    missing = size = 0
    simulated = _simulated(run, timeline.last)
    for maker, context in simulated:
        for frame, many in enumerate(maker.births(context), maker.first):
            if frame >= timeline.first:
                births[frame - timeline.first] += many
        for k, key in enumerate(maker.keys(context)):
            if is_kept(key, store):
                continue
            missing += 1
            size += A_PARTICLE * maker.living(maker.first + k, timeline.rate)
            if maker.first + k >= timeline.first:
                frames[maker.first + k - timeline.first] = False
    return Motion(tuple(frames), tuple(births.tolist()), missing, size) if simulated else Motion((), (), 0, 0)


def work_out(run: SceneRun, task: Task = UNWATCHED) -> int:
    """Work all frames of a scene's motion out that are not kept; how many populations are simulated."""
    simulated = _simulated(run, run.scene.timeline.last)
    for k, (maker, context) in enumerate(simulated):
        part = task.part(k / len(simulated), (k + 1) / len(simulated))
        maker.state(replace(context, task=part))
    return len(simulated)


def _simulated(run: SceneRun, frame: int) -> list[tuple[EmissionMaker, MakerContext]]:
    """The makers whose states follow from one another, with their contexts at a frame."""
    there = run.at(checked_frame(frame))
    requests = [there.request(p.id) for p in run.scene.populations if isinstance(p.maker, EmissionMaker)]
    return [(r.maker, replace(r.context, held=there)) for r in requests if isinstance(r.maker, EmissionMaker)]


#: States that the way of one particle is drawn through.
_MOST_PLACES = 120


@dataclass(frozen=True)
class Flight:
    """The way of one particle from its birth to the frame that is shown, as far as its states are kept.

    ``places`` (k, 3) in the space of the scene, ``speeds`` and ``sizes`` (k,), ``frames`` (k,).
    """

    frames: np.ndarray
    places: np.ndarray
    speeds: np.ndarray
    sizes: np.ndarray


def flight_of(run: SceneRun, population: str, element: int) -> Flight | None:
    """The way of an element of a simulated population; None for what is not simulated."""
    request = run.request(population)
    if not isinstance(request.maker, EmissionMaker):
        return None
    maker, keys = request.maker, request.maker.keys(request.context)
    last = kept(keys[-1], request.context.states) if keys else None
    row = element * request.every
    if last is None or row >= last.count:
        return None
    number, source = int(last.numbers[row]), int(last.sources[row])
    first = max(int(np.ceil(last.births[row])) - maker.first, 0)
    every = max(1, (len(keys) - first) // _MOST_PLACES)
    found = []
    for k in [*range(first, len(keys) - 1, every), len(keys) - 1]:
        state = kept(keys[k], request.context.states)
        if state is None:
            continue
        for at in np.flatnonzero((state.numbers == number) & (state.sources == source)):
            found.append((maker.first + k, state.places[:, at], state.velocities[:, at], state.sizes[at]))
    frames, places, velocities, sizes = (np.array(column, np.float64) for column in zip(*found, strict=True))
    return Flight(frames, places, np.linalg.norm(velocities, axis=1), sizes)
