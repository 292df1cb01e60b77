"""palette: a place in an ordered set or grid of colours."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...colour.spaces import to_hexes
from ...documents.document import parse
from ...documents.paths import pointer
from ...errors import BadInput, Fix, PatchOperation
from ...kernels import palettes as kernels
from ...kernels import ramps as ramp_kernels
from ...kernels.parallel import over
from ...kinds import COLOUR, Kind, Word
from ...palette import MOST_SWATCHES, Swatch, linear_of
from ...ramps.picking import picker
from ...reports import census
from ...runtime.buffers import empty
from ...runtime.task import UNWATCHED, Task
from ...scene.follow import FollowColour, FollowDial
from ..choosing import weights_of
from ..ramp_advisories import clipped
from ..scope import Scope
from ..step.base import Step, whole_step
from ..step.parameters import mean_colour
from ..step.reported import Advisory, Choices, Outcome, put
from ..step.values import Context, Plan, Value

#: Elements of a population that are seen one by one, and the part of them beside an equal one that is told.
_SEEN_SINGLY, _ALIKE = 600, 0.15
_SAMPLE = 256
#: So many different keys can each have a swatch of their own.
MOST_KEYS = 24


def _beside_alike(places: np.ndarray, swatches: np.ndarray) -> float:
    """The part of up to 256 elements that have the swatch of their nearest neighbour."""
    rows = np.unique(np.linspace(0, len(places) - 1, min(len(places), _SAMPLE)).astype(np.int64))
    apart = np.linalg.norm(places[rows, None].astype(np.float64) - places[None], axis=2)
    apart[np.arange(len(rows)), rows] = np.inf
    return float((swatches[rows] == swatches[apart.argmin(axis=1)]).mean())


class Palette(Step):
    """One whole swatch for each element.

    A number chooses by position: 0..1 is cut into as many parts as there are swatches,
    equal ones or by their weights (1 belongs to the last). A vector chooses a cell of the
    grid: its first number within the row, its second the row.
    """

    title: ClassVar[str] = "Palette"
    noun: ClassVar[str] = "a palette"
    group: ClassVar = "colour"
    takes: ClassVar[tuple[Word, ...]] = ("number", "vector")
    gives: ClassVar[Kind] = COLOUR
    summary: ClassVar[str] = "one swatch of a palette for each element"
    details: ClassVar[bool] = True
    exact: ClassVar[bool] = True  # values beyond 1 are all alike to it

    step: Literal["palette"]
    name: str = Field("Palette", min_length=1, max_length=100, title="Name")
    parts: Literal["equal", "weights"] = Field("equal", title="Parts", description="Of 0 to 1, for each swatch.")
    columns: Annotated[int, Field(ge=1, le=64)] | FollowDial = Field(8, title="Columns")
    swatches: tuple[Swatch, ...] = Field(
        min_length=1, max_length=MOST_SWATCHES, title="Swatches", json_schema_extra={"control": "swatches"}
    )

    def edges(self) -> np.ndarray:
        """(s - 1,) float32: where each part but the first begins; infinite behind the last that has a weight."""
        n = len(self.swatches)
        weights = np.array([s.weight for s in self.swatches], np.float64)  # dials are resolved when a look is compiled
        if self.parts == "equal" or weights.sum() <= 0:
            return (np.arange(1, n) / n).astype(np.float32)
        sums = np.cumsum(weights)
        # Behind the last swatch that has a weight nothing begins: its part reaches to the end.
        return np.where(sums[:-1] < sums[-1], sums[:-1] / sums[-1], np.inf).astype(np.float32)

    def cells_of(self, incoming: Value, task: Task = UNWATCHED) -> np.ndarray:
        """(n,) uint8: the swatch of each element."""
        values = incoming.array
        out = empty(len(values), np.uint8)
        if incoming.kind.word == "vector":
            pairs = np.ascontiguousarray(values[:, :2])
            count, columns = len(self.swatches), self.columns
            assert isinstance(columns, int)
            over(len(out), lambda a, b: kernels.cells(pairs[a:b], count, columns, out[a:b]), task)
        else:
            edges = self.edges()
            table = ramp_kernels.segment_table(edges)
            over(len(out), lambda a, b: ramp_kernels.bands(values[a:b], edges, table, out[a:b]), task)
        return out

    def drawn(self, signals: Mapping[str, Value] | None = None) -> np.ndarray:
        """(s, 3) linear float64 colours as they are drawn: what follows a signal has its mean."""
        return np.array([mean_colour(s.colour, signals) for s in self.swatches])

    def choices(self) -> Choices:
        """The swatches."""
        return Choices("swatches", tuple(s.colour for s in self.swatches))

    def band_edges(self, place: str) -> np.ndarray:
        """Where the parts meet."""
        return self.edges()

    def strip(self, count: int) -> list[str]:
        """The swatches."""
        return [s.drawn for s in self.swatches]

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """How many elements each swatch has and its colour; of numbers, what comes in."""
        if outcome.incoming is None:
            return {}
        counts = census.group_counts(self.choices_of(outcome))[: len(self.swatches)]
        colours = to_hexes(self.drawn(outcome.signals))
        found: dict[str, Any] = {"palette": {"counts": counts.tolist(), "colours": colours}}
        if outcome.incoming.kind.word == "number":
            found["incoming"] = census.histogram(outcome.incoming.array, 0.0, 1.0)
        return found

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """Values outside 0 to 1, keys that share a swatch, and equal swatches side by side."""
        if "incoming" in census:
            yield from clipped(outcome.place, census["incoming"], "palette")
        yield from self._of_keys(outcome)
        yield from self._of_neighbours(outcome)

    def _of_keys(self, outcome: Outcome) -> Iterator[Advisory]:
        """Few texts, numbers or owners, of which chance gave two the same swatch though there is one for each."""
        before = outcome.before
        per = None if before is None else before.step.chance_per
        if before is None or per is None:
            return
        column = outcome.scope.elements.find(per) if per != "element" else None
        most = min(len(self.swatches), MOST_KEYS)
        if column is None or column.kind not in ("text", "integer"):
            return
        # Many are many among the first few thousand already.
        if len(np.unique(column.values[:4096])) > most:
            return
        keys, first = np.unique(column.values, return_index=True)
        if not 2 <= len(keys) <= most:
            return
        swatches = np.unique(self.choices_of(outcome)[first])
        if len(swatches) == len(keys):
            return
        order = whole_step("attribute", name=per, component="order")
        fix: list[PatchOperation] = [{"op": "replace", "path": pointer(before.place), "value": order}]
        if self.parts != "equal":
            fix.append(put(f"{pointer(outcome.place)}/parts", "equal"))
        yield Advisory(
            "keys_share_swatch", outcome.place,
            f"Chance gave {len(keys)} values of {per!r} only {len(swatches)} of the {len(self.swatches)} swatches, so "
            "some share one.",
            (Fix("One each, in order", fix),),
        )  # fmt: skip

    def _of_neighbours(self, outcome: Outcome) -> Iterator[Advisory]:
        """That chance put equal swatches side by side, where elements are few enough to be seen one by one."""
        before, scope = outcome.before, outcome.scope
        position = scope.elements.find("position")
        # What flies has others beside it at the next frame.
        if before is None or before.step.chance_per != "element" or scope.elements.find("velocity") is not None:
            return
        few = scope.population.form.alone and 12 <= scope.elements.count <= _SEEN_SINGLY
        if not few or position is None or len(self.swatches) < 2:
            return
        alike = _beside_alike(position.readable, self.choices_of(outcome))
        if alike < _ALIKE:
            return
        spread = whole_step("spread", by="ramp_bands", seed=1)
        yield Advisory(
            "neighbours_alike", outcome.place,
            f"Chance gave {100 * alike:.0f} % of the elements the swatch of the one beside them.",
            (Fix("Spread them", [put(pointer(outcome.place), spread)]),),
        )  # fmt: skip

    def edited(self, action: str, outcome: Outcome, typed: Step, shares: list[float] | None) -> Step:
        """``set_shares``: weights by which so many of the elements have each swatch."""
        incoming = outcome.incoming
        if action != "set_shares" or incoming is None or incoming.kind.word != "number" or shares is None:
            return super().edited(action, outcome, typed, shares)
        if len(shares) != len(self.swatches):
            raise BadInput(f"There are {len(self.swatches)} swatches; give as many shares.", place="shares")
        weights = weights_of(incoming.array, shares)
        document = typed.model_dump(mode="json")
        swatches = [{**s, "weight": w} for s, w in zip(document["swatches"], weights, strict=True)]
        return parse(Palette, {**document, "parts": "weights", "swatches": swatches})

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A colour; of vectors two numbers are wanted."""
        if incoming is not None and incoming.word == "vector" and incoming.width < 2:
            raise BadInput("A palette wants a vector of at least two numbers.", place=place, code="wrong_kind")
        return COLOUR

    @property
    def alone(self) -> bool:
        """Each value by itself."""
        return True

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n, 3) linear float32; the bands tell which swatch each element took."""
        assert incoming is not None
        cells = self.cells_of(incoming, context.task)
        own = {
            k: context.colours_of(s.colour) for k, s in enumerate(self.swatches) if isinstance(s.colour, FollowColour)
        }
        pick = picker(linear_of(self.swatches), own)

        def fill(a: int, b: int, out: np.ndarray, bands: np.ndarray) -> None:
            pick(cells[a:b], a, b, out)
            bands[:] = cells[a:b]

        return Plan(fill, banded=True)
