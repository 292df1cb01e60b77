"""Meshes that are too coarse for what their chains ask of them.

Between two vertices the view and the files have straight mixes of their values. Where a step gives something else
half-way along an edge, as a ramp with a hard border does, the mesh is too coarse there. Particles that left the mesh
and read such a value take the mixes far away from it: it is told there too.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from ..colour.spaces import linear_to_oklab
from ..errors import Fix
from ..look.outcomes import outcome_of
from ..look.scope import Scope
from ..look.step.measured import Measured
from ..look.step.reported import Advisory, Outcome
from ..look.steps import Context, Value, carried_out
from ..population import Elements, Polygons, Population
from ..runtime.task import UNWATCHED
from .registered import ADVISERS, Adviser

#: How far the value half-way may be from the mix: in OKLab for colours (several just noticeable steps), else in 0..1.
NEAR_COLOUR, NEAR_NUMBER = 0.08, 0.08
#: The same of a value that is read by place: what is smooth but fine is no edge.
NEAR_READ = 0.2
#: A mesh is told to be too coarse from so many vertices on, and at least this part of all.
FEW, PART = 12, 0.002
#: Edges that are looked at; of larger meshes every so many-th.
_MOST_EDGES = 400_000
#: The same for steps that read by place, which take longer.
_MOST_READ = 40_000


def _of_step(outcome: Outcome, _census: Mapping[str, Any]) -> Iterator[Advisory]:
    """Where a step that maps each element by itself, or reads where it is, gives too much between neighbours."""
    # What a signal reads is seen where its value is mapped, or on others that stand there.
    if outcome.incoming is None and not outcome.place.startswith("lanes."):
        return
    count = _too_far(outcome)
    if not count:
        return
    part = 100 * count / outcome.scope.population.count
    yield Advisory(
        "too_coarse", outcome.place,
        f"The mesh is too coarse for this: {count:,} vertices ({part:.2g} %) are too far from their neighbours for "
        "what happens between them, so edges will look blurred or jagged where the vertices' colours are shown, as in "
        "files.",
        (Fix("Subdivide it once more", [], "subdivide"),),
    )  # fmt: skip


def _below(outcome: Outcome, _census: Mapping[str, Any]) -> Iterator[Advisory]:
    """Where particles read what a step gives that has too much between the vertices of the mesh that they left."""
    reading, standing = outcome.step.reads_below, outcome.scope.population.standing
    if reading is None or standing is None or outcome.scope.population.kind != "particles":
        return
    for on in (part.on for part in standing.parts):
        below = outcome.scope.other(on, outcome.place)
        read = reading.path_in(below)
        results = [r for r in below.steps if read and r.place.startswith(f"{read}.")]
        count = max((_too_far(outcome_of(below, r, outcome.cached)) for r in results), default=0)
        if count:
            yield Advisory(
                "too_coarse_below", outcome.place,
                f"What these read of the mesh below is finer than the mesh: {count:,} of its vertices are too far from "
                "their neighbours for what happens between them, so details arrive blurred or not at all.",
                (Fix("Subdivide that mesh once more", [], "subdivide", on),),
            )  # fmt: skip


def _too_far(outcome: Outcome) -> int:
    """How many vertices are too far from their neighbours for what a step gives between them; 0 where few are."""
    population = outcome.scope.population
    form, step = population.form.polygons, outcome.step
    if form is None or step.reach != "element" or outcome.value.kind.word == "vector":
        return 0
    if outcome.incoming is None:
        if not isinstance(step, Measured) or not step.between_elements(outcome):
            return 0
    elif not step.details or outcome.incoming.kind.word != "number":
        return 0
    found: dict[str, int] = outcome.cached("too coarse", lambda: _counted(outcome, population, form), 200)
    return found["vertices"] if found["vertices"] >= max(FEW, PART * population.count) else 0


def _counted(outcome: Outcome, population: Population, form: Polygons) -> dict[str, int]:
    """How many vertices have an edge along which the step does not run straight."""
    ends = form.edges(population.count).ends
    reads = outcome.incoming is None
    every = max(1, -(-len(ends) // (_MOST_READ if reads else _MOST_EDGES)))
    ends = ends[::every]
    half = _at_middles(outcome, ends)
    straight = _mixed(_comparable(outcome.value), ends)
    apart = np.abs(_comparable(half) - straight)
    if outcome.value.kind.word == "colour":
        too_far = np.sqrt((apart**2).sum(axis=1)) > (NEAR_READ if reads else NEAR_COLOUR)
    else:
        too_far = apart > (NEAR_READ if reads else NEAR_NUMBER)
    if every > 1:
        return {"vertices": min(population.count, int(too_far.sum()) * every)}
    marked = np.zeros(population.count, bool)
    marked[ends[too_far].reshape(-1)] = True
    return {"vertices": int(marked.sum())}


def _comparable(value: Value) -> np.ndarray:
    return linear_to_oklab(value.array) if value.kind.word == "colour" else value.array


def _mixed(values: np.ndarray, ends: np.ndarray) -> np.ndarray:
    found: np.ndarray = (values[ends[:, 0]] + values[ends[:, 1]]) / 2
    return found


def _at_middles(outcome: Outcome, ends: np.ndarray) -> Value:
    """What the step gives half-way along edges: of the mix of what comes in, or read by the mix of places there."""
    population, step, incoming = outcome.scope.population, outcome.step, outcome.incoming
    table, mixed = {}, None
    if incoming is not None:
        mixed = Value(incoming.kind, np.ascontiguousarray(_mixed(incoming.array, ends), np.float32))
    elif isinstance(step, Measured):
        columns = [column for name in step.attributes_read() if (column := population.elements.find(name))]
        table = {c.name: replace(c, values=_mixed(c.readable, ends).astype(np.float32), missing=None) for c in columns}
        step = step.settled(outcome)
    elements = Elements(population.elements.level, len(ends), table)
    scope = Scope(replace(population, elements=elements, form=_NO_FACES), outcome.scope.surroundings,
                  outcome.scope.signals, outcome.scope.placement)  # fmt: skip
    context = Context(scope, outcome.place, UNWATCHED, outcome.value.kind, _signals(outcome, ends))
    return carried_out(step, context, mixed)


def _signals(outcome: Outcome, ends: np.ndarray) -> Mapping[str, Value]:
    """The signals that a step reads, half-way along edges."""
    read = outcome.step.signals_read()
    return {
        name: Value(value.kind, np.ascontiguousarray(_mixed(value.array, ends), np.float32))
        for name, value in outcome.signals.items()
        if name in read
    }


_NO_FACES = Polygons(np.zeros(1, np.int64), np.empty(0, np.int32))


ADVISERS.add("coarse", Adviser(30, of_step=_of_step))
ADVISERS.add("coarse_below", Adviser(31, of_step=_below))
