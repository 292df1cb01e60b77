"""Lanes that end per pixel on a mesh: the number before the last steps of a lane, and those steps as a table.

Colours at vertices blur an edge that should be crisp. Where the last steps of a lane map a number, the view
interpolates the number over the faces and looks it up in the table for each pixel.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..colour.spaces import encode_srgb
from ..digest import digest_of
from ..look.evaluate import run_step
from ..look.results import Evaluation, LaneResult, StepResult, covers_all
from ..look.steps import Value
from ..population import of_points
from ..runtime.cache import ResultCache

#: Texels of a row, and rows of one range of numbers where nothing jumps.
TEXELS, ROWS = 64, 16
#: More jumps than this are left to the vertices.
MOST_ROWS = 400
#: Values looked at before jumps are sought between them, and what counts as one, in display levels of 0 to 1.
_GRID, _JUMP = 4096, 0.01
_HALVINGS = 48


@dataclass(frozen=True)
class Mapped:
    """A lane's end as a table.

    Attributes
    ----------
    numbers
        (n,) float32: what is looked up at each vertex; ``at`` names them by content.
    edges
        (r + 1,) float32: where each row begins, and the end of the last. Row k holds the numbers from ``edges[k]``,
        included, to ``edges[k + 1]``.
    rows
        (r, TEXELS, 3) float32 at even places of each row, from its beginning to just before its end: colours encoded
        for the display, or a number in each.
    """

    at: str
    numbers: np.ndarray
    digest: str
    edges: np.ndarray
    rows: np.ndarray

    @property
    def texels(self) -> np.ndarray:
        """(r, TEXELS, 4) float32 for the view: the rows, with the beginning and end of each in the first two alphas."""
        found = np.zeros((*self.rows.shape[:2], 4), np.float32)
        found[..., :3] = self.rows
        found[:, 0, 3], found[:, 1, 3] = self.edges[:-1], self.edges[1:]
        return found


_tables = ResultCache(64 * 1024 * 1024)


def mapped(evaluation: Evaluation, word: str) -> Mapped | None:
    """The end of a lane of a mesh; None where vertices have to do.

    That is where the population is no mesh, where the topmost layer does not cover all, and where the lane's last
    steps do not map a number alone.
    """
    lane = evaluation.lanes.get(word)
    if lane is None or evaluation.population.form.polygons is None or word in ("shape", "finish", "offset"):
        return None
    tail = _tail(lane)
    if not tail:
        return None
    before = tail[0].before
    assert before is not None
    digest = digest_of("mapped", lane.digest, word)
    found: Mapped | None = _tables.get(digest)
    if found is None:
        found = _laid_out(before, tail, lane, digest)
        _tables.put(digest, found, 200_000)
    return found if len(found.rows) else None


def _tail(lane: LaneResult) -> Sequence[StepResult]:
    """The last steps of the topmost layer that map a number alone; the first of them takes a number."""
    if not lane.layers or not covers_all(lane.layers[-1]):
        return ()
    chain = lane.layers[-1].paint
    start = len(chain)
    while start > 1 and _alone(chain[start - 1]):
        start -= 1
    while start < len(chain) and chain[start - 1].value.kind.word != "number":
        start += 1
    tail = chain[start:]
    return tail if any(result.compiled.step.details for result in tail) else ()


def _alone(result: StepResult) -> bool:
    """Whether a step's result depends on what comes into it and its own parameters alone."""
    compiled = result.compiled
    return compiled.step.alone and not compiled.signals and not compiled.inner


def _laid_out(before: StepResult, tail: Sequence[StepResult], lane: LaneResult, digest: str) -> Mapped:
    numbers = before.value.array
    low, high = (float(numbers.min()), float(numbers.max())) if len(numbers) else (0.0, 1.0)
    high = max(high, float(np.nextafter(np.float32(low), np.float32(np.inf))))
    jumps = _jumps(tail, lane, low, high)
    even = np.linspace(low, high, ROWS + 1).astype(np.float32)
    edges = np.unique(np.concatenate([even, jumps]))
    if len(edges) > MOST_ROWS:
        return Mapped(before.digest, numbers, digest, edges, np.empty((0, TEXELS, 3), np.float32))
    ends = np.nextafter(edges[1:], np.float32(-np.inf))
    # The last row holds its end too.
    ends[-1] = edges[-1]
    t = np.linspace(0, 1, TEXELS, dtype=np.float64)
    places = edges[:-1, None].astype(np.float64) * (1 - t) + ends[:, None].astype(np.float64) * t
    places = np.clip(places.astype(np.float32), edges[:-1, None], ends[:, None])
    rows = _shown(tail, lane, places.reshape(-1)).reshape(len(edges) - 1, TEXELS, -1)
    rows = np.broadcast_to(rows, (*rows.shape[:2], 3)).astype(np.float32)
    return Mapped(before.digest, numbers, digest, edges, np.ascontiguousarray(rows))


def _shown(tail: Sequence[StepResult], lane: LaneResult, numbers: np.ndarray) -> np.ndarray:
    """(m, 3) or (m, 1): what the steps make of numbers, as the view has it."""
    population = of_points(len(numbers), {})
    value = Value(tail[0].before.value.kind, np.ascontiguousarray(numbers, np.float32))  # type: ignore[union-attr]
    for result in tail:
        value = run_step(result.compiled.step, population, value)
    if lane.channel.sent == "display":
        return encode_srgb(np.clip(value.array, 0, 1)).astype(np.float32)
    return lane.channel.held(value.array)[:, None]


def _jumps(tail: Sequence[StepResult], lane: LaneResult, low: float, high: float) -> np.ndarray:
    """(j,) float32: the least numbers behind each jump, to the last bit."""
    grid = np.linspace(low, high, _GRID + 1).astype(np.float32)
    shown = _shown(tail, lane, grid)
    apart = np.abs(np.diff(shown, axis=0)).max(axis=1)
    scale = _JUMP * (1.0 if lane.channel.sent == "display" else max(float(np.ptp(shown)), 1e-9))
    at = np.flatnonzero(apart > scale)
    if not len(at):
        return np.empty(0, np.float32)
    a, b, at_a, at_b = grid[at], grid[at + 1], shown[at], shown[at + 1]
    for _ in range(_HALVINGS):
        middle = ((a.astype(np.float64) + b) / 2).astype(np.float32)
        if ((middle == a) | (middle == b)).all():
            break
        at_middle = _shown(tail, lane, middle)
        left = np.abs(at_middle - at_a).max(axis=1) >= np.abs(at_b - at_middle).max(axis=1)
        inner = (middle > a) & (middle < b)
        b, at_b = np.where(left & inner, middle, b), np.where((left & inner)[:, None], at_middle, at_b)
        a, at_a = np.where(~left & inner, middle, a), np.where((~left & inner)[:, None], at_middle, at_a)
    return b[np.abs(at_b - at_a).max(axis=1) > scale]
