"""drift: a small random change of each colour, or of each number."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from ...colour.spaces import display_bytes, hexes, linear_to_oklab
from ...documents.limits import Share
from ...documents.paths import pointer
from ...errors import BadInput, Fix, PatchOperation
from ...kernels import drift as kernels
from ...kinds import COLOUR, NUMBER, Kind, Word
from ...population import Curves
from ...population.strands import STRAND
from ...reports import census
from ...sampling import grey_part, sample
from ...scene.follow import Follow
from ..scope import Scope
from ..step.keyed import ELEMENT, Keyed
from ..step.parameters import Numbers, Seed, SeedNumber, mean_of
from ..step.reported import Advisory, Outcome, put
from ..step.values import Context, Plan, Value

#: Colours along the axis of a component.
AXIS = 64
#: Bands overlap too much where more elements than this lie nearer to another stop.
MOST_OVERLAP = 0.5
#: Elements that such a part is judged by.
ENOUGH = 500
_STREAM = np.uint32(0x44524946)


def _interval(title: str, reach: float, **more: Any) -> Any:
    """An interval that an element's change is drawn from, both ends within -reach..reach."""
    extra: JsonDict = {"control": "interval", "minimum": -reach, "maximum": reach, **more}
    return Field((0.0, 0.0), title=title, json_schema_extra=extra)


_Degrees = Annotated[float, Field(ge=-180, le=180)] | Follow
_Part = Annotated[float, Field(ge=-1, le=1)] | Follow
_Gamma = Annotated[float, Field(ge=-4, le=4)] | Follow
#: The components: the factor to the kernels' unit, and how far an end may lie from 0.
COMPONENTS = {"hue": (1 / 360, 180.0), "saturation": (1.0, 1.0), "lightness": (1.0, 1.0), "gamma": (1.0, 4.0)}
#: The same of numbers.
VALUE = (1.0, 1.0)
#: Strands that the order of their tones is judged by.
_STRANDS = 2000
#: More of them than this out of order are told, and what their drift is narrowed to: this part of a tone's width.
_MOST_ASTRAY, _NARROW = 0.25, 0.25


#: Axes that were drawn, by the colour that is moved, the space and the intervals.
_axes: dict[tuple[Any, ...], dict[str, Any]] = {}
_MOST_AXES = 256


class Drift(Keyed):
    """Hue, saturation, lightness and gamma moved by a random number from an interval each; of numbers the value.

    In HSV (A. R. Smith 1978, on display-encoded values; lightness is its value) or in
    OKLCH (Ottosson 2020; a saturation of 1 is a chroma of 0.4). Saturation and lightness
    stay within 0..1 (a lightness above 1 may stay there). A grey has no hue, and its
    saturation stays 0. Gamma moves in powers of two, on display-encoded values.
    An interval of no width moves every element by the same. Before a ramp it moves how far along each tone sits, after
    it what each tone looks like; ``per`` strand moves all points of a strand alike.
    """

    title: ClassVar[str] = "Drift"
    noun: ClassVar[str] = "drift"
    group: ClassVar = "correct"
    takes: ClassVar[tuple[Word, ...]] = ("colour", "number")
    gives: ClassVar[Kind] = COLOUR
    summary: ClassVar[str] = "a little random change of each colour or number"

    step: Literal["drift"]
    space: Literal["hsv", "oklch"] = Field("hsv", title="In")
    hue: tuple[_Degrees, _Degrees] = _interval("Hue", 180, unit="°")
    saturation: tuple[_Part, _Part] = _interval("Saturation", 1)
    lightness: tuple[_Part, _Part] = _interval("Lightness", 1)
    gamma: tuple[_Gamma, _Gamma] = _interval("Gamma", 4)
    value: tuple[_Part, _Part] = _interval("Value", 1)
    chance: Share | Follow = Field(
        1.0, title="Chance", description="The part of the elements that drift at all.",
        json_schema_extra={"unit": "share"},
    )  # fmt: skip
    seed: SeedNumber = Seed

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """The kind that comes in; checks the key."""
        self.check_key(scope, place)
        return incoming or self.gives

    def still(self, name: str) -> bool:
        """Whether both ends of an interval are 0, so that nothing moves in it."""
        return all(end == 0 for end in getattr(self, name))

    def drawn(self, signals: Mapping[str, Value] | None = None) -> dict[str, tuple[float, float]]:
        """The two ends of each component's interval as they are drawn: one that follows a signal has its mean."""
        return {
            name: tuple(mean_of(end, (-reach, reach), signals) for end in getattr(self, name))  # type: ignore[misc]
            for name, (_, reach) in COMPONENTS.items()
        }

    def moved(self, colour: np.ndarray, by: Mapping[str, np.ndarray]) -> dict[str, np.ndarray]:
        """For each component, (m, 3) linear float32: one linear colour (3,) moved in it by each of (m,) numbers."""
        n = sum(map(len, by.values()))
        words, start = np.zeros(n, np.uint32), 0
        bases = {name: np.zeros(n, np.float32) for name in COMPONENTS}
        for name, numbers in by.items():
            bases[name][start : start + len(numbers)] = numbers * COMPONENTS[name][0]
            start += len(numbers)
        out, still = np.empty((n, 3), np.float32), np.zeros(n, np.float32)
        kernels.drift(
            np.tile(colour.astype(np.float32), n), words, words, np.uint32(0), _STREAM,
            *(part for base in bases.values() for part in (base, still)), np.ones(n, np.float32), self.space == "oklch",
            "gamma" in by, out.reshape(-1),
        )  # fmt: skip
        edges = np.cumsum([len(numbers) for numbers in by.values()])[:-1]
        return dict(zip(by, np.split(out, edges), strict=True))

    def depends_on(self, scope: Scope) -> list[Any]:
        """The element keys."""
        return self.keys_read(scope)

    def _base_and_span(self, context: Context, name: str) -> tuple[Numbers, Numbers]:
        """Where an element's interval begins and how wide it is, in the kernels' unit."""
        unit, reach = VALUE if name == "value" else COMPONENTS[name]
        first, last = getattr(self, name)
        if not isinstance(first, Follow) and not isinstance(last, Follow):
            ends = (-np.inf, np.inf)
            return context.numbers_of(first * unit, ends), context.numbers_of((last - first) * unit, ends)
        low, high = (context.numbers_of(end, (-reach, reach)) for end in (first, last))
        factor = np.float32(unit)
        return lambda a, b: low(a, b) * factor, lambda a, b: (high(a, b) - low(a, b)) * factor

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n, 3) linear float32, or (n,) float32 numbers."""
        assert incoming is not None and isinstance(self.seed, int)
        colours = incoming.array
        words = self.words(context.elements)
        seed = np.uint32(self.seed)
        if incoming.kind == NUMBER:
            base, span = self._base_and_span(context, "value")
            chances = context.numbers(self, "chance")

            def shift(a: int, b: int, out: np.ndarray) -> None:
                kernels.shift(colours[a:b], *words(a, b), seed, _STREAM, base(a, b), span(a, b), chances(a, b), out)

            return Plan(shift)
        ranges = [n for name in COMPONENTS for n in self._base_and_span(context, name)]
        chance, bend = context.numbers(self, "chance"), not self.still("gamma")

        def fill(a: int, b: int, out: np.ndarray) -> None:
            kernels.drift(
                colours[a:b].reshape(-1), *words(a, b), seed, _STREAM, *(of(a, b) for of in ranges),
                chance(a, b), self.space == "oklch", bend, out.reshape(-1),
            )  # fmt: skip

        return Plan(fill)

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """For each component: its ends, and a colour among those that come in moved over the whole axis.

        ``bar`` is base64 of AXIS display-encoded colours from one end of the axis to the other, ``colours`` are those
        at the two ends of the interval.
        """
        if outcome.incoming is None or not len(outcome.incoming.array):
            return {"drift": {}}
        if outcome.incoming.kind == NUMBER:
            both = [mean_of(end, (-1.0, 1.0), outcome.signals) for end in self.value]
            return {"drift": {"value": {"ends": both, "bar": "", "colours": []}}}
        ends = self.drawn(outcome.signals)
        by = {
            name: np.concatenate([np.linspace(-reach, reach, AXIS), ends[name]])
            for name, (_, reach) in COMPONENTS.items()
        }
        telling = census.telling(outcome.incoming.array).astype(np.float32)
        # A ramp whose stops are moved has the same colours: its axes are drawn once.
        key = (telling.tobytes(), self.space, tuple((name, *ends[name]) for name in COMPONENTS))
        found = _axes.get(key)
        if found is None:
            moved = self.moved(telling, by)
            # All at once: a call for each of a few hundred colours costs more than the colours.
            levels = np.split(display_bytes(np.concatenate(list(moved.values()))), len(moved))
            found = {
                name: {"ends": list(ends[name]), "bar": census.packed(shown[:AXIS]), "colours": hexes(shown[AXIS:])}
                for name, shown in zip(moved, levels, strict=True)
            }
            if len(_axes) >= _MOST_AXES:
                _axes.clear()
            _axes[key] = found
        return {"drift": found}

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """Drift that changes nothing, has nothing to change, or is so wide that a ramp's bands are lost."""
        at = pointer(outcome.place)
        if self.chance == 0:
            yield Advisory(
                "drift_chance_zero", outcome.place, "Drift has a chance of 0 %, so no element drifts.",
                (Fix("Let all drift", [put(f"{at}/chance", 1.0)]),),
            )  # fmt: skip
        elif outcome.value.kind == NUMBER:
            yield from self._of_numbers(outcome)
        elif all(self.still(name) for name in COMPONENTS):
            yield Advisory(
                "drift_ranges_zero", outcome.place, "Every interval of drift is 0 to 0, so nothing changes.",
                (Fix("Give hue 12° both ways", [put(f"{at}/hue", [-12.0, 12.0])]),),
            )  # fmt: skip
        else:
            yield from self._of_greys(outcome)
            yield from self._of_width(outcome)

    def _of_numbers(self, outcome: Outcome) -> Iterator[Advisory]:
        """Drift of numbers that does nothing, or moves the tones of strands out of their order."""
        at = pointer(outcome.place)
        if self.still("value"):
            yield Advisory(
                "drift_ranges_zero", outcome.place, "The interval of drift is 0 to 0, so nothing changes.",
                (Fix("Move by 0.1 both ways", [put(f"{at}/value", [-0.1, 0.1])]),),
            )  # fmt: skip
            return
        edges = _edges_after(outcome)
        form = outcome.scope.population.form.curves
        if edges is None or form is None or outcome.incoming is None:
            return
        part = _astray(form, edges, outcome.incoming.array, outcome.value.array)
        if part <= _MOST_ASTRAY:
            return
        fixes = []
        if self.per == ELEMENT:
            fixes.append(Fix("Drift each strand as one", [put(f"{at}/per", STRAND)]))
        low, high = self.value
        if isinstance(low, float) and isinstance(high, float):
            width = _NARROW / (len(edges) + 1)
            # About where it lay, where both ends lie to one side.
            middle = (low + high) / 2 if low * high > 0 else 0.0
            narrowed = [round(float(np.clip(middle + sign * width, -1, 1)), 4) for sign in (-1, 1)]
            fixes.append(Fix("Narrow it", [put(f"{at}/value", narrowed)]))
        yield Advisory(
            "drift_breaks_order", outcome.place,
            f"Drift before the ramp is so wide that the tones of {100 * part:.0f} % of the strands come out of order, "
            "so little is left of the ramp from root to tip.",
            tuple(fixes),
        )  # fmt: skip

    def _of_greys(self, outcome: Outcome) -> Iterator[Advisory]:
        moving = [name for name in ("hue", "saturation") if not self.still(name)]
        grey = grey_part(outcome.incoming.array) if moving and outcome.incoming else 0.0
        if grey < 0.02:
            return
        all_grey = grey > 0.999
        who = "Every incoming colour is a grey" if all_grey else f"{100 * grey:.0f} % of the incoming colours are greys"
        fixes: tuple[Fix, ...] = ()
        if all_grey:
            still = {name: [0.0, 0.0] for name in ("hue", "saturation")}
            if self.still("lightness"):
                still["lightness"] = [-0.08, 0.08]
            changes = [put(f"{pointer(outcome.place)}/{k}", v) for k, v in still.items()]
            fixes = (Fix("Drift lightness alone", changes),)
        sentence = f"{who}: without saturation there is no {' or '.join(moving)} to drift."
        yield Advisory("drift_without_saturation", outcome.place, sentence, fixes)

    def _of_width(self, outcome: Outcome) -> Iterator[Advisory]:
        """Drift so wide that most elements look like another band of the ramp before it."""
        part = _lost(outcome) if len(outcome.value.array) else 0.0
        if part <= MOST_OVERLAP:
            return
        at = pointer(outcome.place)
        halved: list[PatchOperation] = [
            {"op": "replace", "path": f"{at}/{name}/{k}", "value": end / 2}
            for name in COMPONENTS
            for k, end in enumerate(getattr(self, name))
            if isinstance(end, float) and end != 0
        ]
        yield Advisory(
            "drift_too_wide", outcome.place,
            f"Drift is so wide that {100 * part:.0f} % of the elements look like another colour of the ramp.",
            (Fix("Halve the intervals", halved),) if halved else (),
        )  # fmt: skip


def _edges_after(outcome: Outcome) -> np.ndarray | None:
    """Where the tones of the ramp right after the step meet; None where there is none, or each element has its own."""
    if outcome.following is None:
        return None
    try:
        return outcome.following.band_edges(outcome.place)
    except BadInput:
        return None


def _astray(form: Curves, edges: np.ndarray, before: np.ndarray, after: np.ndarray) -> float:
    """The part of the strands whose tones are out of order after a drift of the numbers that a ramp maps.

    A tone is what lies between two edges. A strand is out of order where its tones go back though they did not before,
    or where most of its points have another tone than they had.
    """
    strands = np.unique(np.linspace(0, form.count - 1, min(_STRANDS, form.count)).astype(np.int64))
    strands = strands[form.sizes[strands] > 1]
    if not len(strands):
        return 0.0
    rows = form.rows_of(strands)
    sizes = form.sizes[strands]
    of = np.repeat(np.arange(len(strands)), sizes)
    was, now = (np.searchsorted(edges, values[rows], side="right") for values in (before, after))
    same = of[1:] == of[:-1]
    turned = same & (np.diff(now) * np.diff(before[rows]) < 0)
    back = np.bincount(of[1:][turned], minlength=len(strands)) > 0
    moved = np.bincount(of, weights=was != now, minlength=len(strands)) > sizes / 2
    return float((back | moved).mean())


def _lost(outcome: Outcome) -> float:
    """The part of the elements that drift took nearer to another colour of the ramp before it."""
    for earlier in outcome.above():
        colours = earlier.step.band_colours(earlier.signals)
        if colours is not None:
            break
    else:
        return 0.0
    if len(colours) < 2 or earlier.incoming is None:
        return 0.0
    labs = linear_to_oklab(colours)
    chosen = sample(earlier.step.choices_of(earlier), ENOUGH)
    drifted = linear_to_oklab(sample(outcome.value.array, ENOUGH))
    nearest = _nearest(drifted, labs)
    # Only where drift did it: colours that lay nearest to another stop before it do not count.
    plain = linear_to_oklab(sample(earlier.value.array, ENOUGH))
    true = _nearest(plain, labs) == chosen
    return float((nearest != chosen)[true].mean()) if true.any() else 0.0


def _nearest(colours: np.ndarray, labs: np.ndarray) -> np.ndarray:
    """(n,) which of (k, 3) each of (n, 3) is nearest to."""
    squares = (labs**2).sum(axis=1)[None] - 2 * colours @ labs.T
    found: np.ndarray = squares.argmin(axis=1)
    return found
