"""Advisories about ramps and the values that reach them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, Protocol

import numpy as np

from ..documents.paths import pointer
from ..errors import Fix, PatchOperation
from .step.base import whole_step
from .step.reported import Advisory, put


class Ramp(Protocol):
    """What is looked at of a ramp step."""

    @property
    def stops(self) -> Sequence[Any]:
        """Each with a place ``at``, and whether it is held and locked."""

    @property
    def interpolation(self) -> str:
        """What lies between them."""


LEAST_REACHED = 0.60
#: Fewer cannot be expected to reach all of a ramp.
FEWEST_ELEMENTS = 12
MOST_CLIPPED = 0.05
#: So many different values are no distribution, but a choice.
FEW_VALUES = 8
#: Stops nearer than this stand for an edge.
HARD_EDGE = 0.005
#: A share may differ from its band's width by this much: a few noises and chances more or less are sound.
SHARE_AWAY = 0.10


def _fit(before: str) -> Fix:
    return Fix("Use the whole range", [put(before, whole_step("range", own=True))])


def _even(before: str) -> Fix:
    return Fix("Even out the values", [put(before, whole_step("even_out"))])


def of_ramp(step: Ramp, place: str, ramp: dict[str, Any], timed: bool = False) -> Iterator[Advisory]:
    """Values that do not use the ramp well, and stops that do nothing; ``ramp`` is its census.

    What moves along the timeline (``timed``) may reach at another moment what it does not reach now.
    """
    incoming = ramp["incoming"]
    total = sum(incoming["bins"]) + incoming["below"] + incoming["above"]
    if total < 2:
        return
    if timed:
        yield from _of_near_stops(step, place)
        return
    found = list(_of_values(step, place, ramp, total))
    yield from found
    if not found:
        yield from _of_bands(step, place, ramp, total)
        yield from _of_unreached(step, place, ramp, total)
    yield from _of_near_stops(step, place)


def _of_near_stops(step: Ramp, place: str) -> Iterator[Advisory]:
    """Two stops so near that they stand for a hard edge."""
    if step.interpolation == "steps":
        return
    places = [s.at if isinstance(s.at, float) else np.nan for s in step.stops]
    close = np.flatnonzero(np.diff(places) < HARD_EDGE).tolist()
    near = [k for k in close if not step.stops[k].hold]
    if near:
        k = near[0]
        more = f" (and {len(near) - 1} more such pairs)" if len(near) > 1 else ""
        holds = [put(f"{pointer(place)}/stops/{j}/hold", True) for j in near]
        yield Advisory(
            "stops_as_edge", place,
            f"Stops {k + 1} and {k + 2} stand closer than 0.5 %{more}, which makes a blurred edge. "
            "A held colour has a hard edge.",
            (Fix("Make it a band edge", holds),),
        )  # fmt: skip


def _of_unreached(step: Ramp, place: str, ramp: dict[str, Any], total: int) -> Iterator[Advisory]:
    """Stops between whose neighbours no value lies, or bands without elements."""
    at, n = ramp["places"], len(step.stops)
    bins = np.array(ramp["incoming"]["bins"])
    centres = (np.arange(len(bins)) + 0.5) / len(bins)
    unreached = []
    for k in range(n if n > 1 else 0):
        low, high = (at[k - 1] if k else -1.0), (at[k + 1] if k + 1 < n else 2.0)
        inside = ramp["counts"][k] if step.interpolation == "steps" else bins[(centres > low) & (centres < high)].sum()
        if inside == 0 and ramp["counts"][k] == 0 and high - low > 2 / len(bins):
            unreached.append(k)
    if unreached:
        names = ", ".join(str(k + 1) for k in unreached)
        operations: list[PatchOperation] = [
            {"op": "remove", "path": f"{pointer(place)}/stops/{k}"} for k in reversed(unreached)
        ]
        what = f"Stop {names} is" if len(unreached) == 1 else f"Stops {names} are"
        yield Advisory(
            "unreached_stop", place, f"{what} reached by no element.",
            (Fix("Remove it" if len(unreached) == 1 else "Remove them", operations),),
        )  # fmt: skip


def _of_bands(step: Ramp, place: str, ramp: dict[str, Any], total: int) -> Iterator[Advisory]:
    """Shares that are not what the widths of the bands promise. Locked shares were typed and are meant.

    Edges that follow have no one width.
    """
    fixed = all(isinstance(s.at, float) for s in step.stops)
    if step.interpolation != "steps" or len(step.stops) < 2 or not fixed or any(s.locked for s in step.stops):
        return
    counts = ramp["counts"]
    widths = np.diff([0.0, *ramp["places"][1:], 1.0])
    away = np.array(counts) / total - widths
    k = int(np.argmax(np.abs(away)))
    if abs(away[k]) > SHARE_AWAY:
        yield Advisory(
            "shares_uneven", place,
            f"Band {k + 1} is {100 * widths[k]:.0f} % wide but has {100 * counts[k] / total:.0f} % of the elements, "
            "because the values are uneven.",
            (_even(pointer(place)),),
        )  # fmt: skip


def _no_colour_out(step: Ramp, ramp: dict[str, Any]) -> bool:
    """Whether values that are few, such as one for each part or the points of strands, leave gaps but no colour out.

    Every band has elements; or there are few values, which all lie on stops; or there are as many values as stops and
    they lie evenly.
    """
    counts = ramp["counts"]
    if step.interpolation == "steps":
        return min(counts) > 0.01 * sum(counts) / len(counts)
    bins = ramp["incoming"]["bins"]
    filled = np.flatnonzero(bins)
    if 0 < len(filled) <= FEW_VALUES and _on_stops(step, filled / len(bins), (filled + 1) / len(bins), ramp["places"]):
        return True
    if len(filled) < max(3, len(counts)):
        return False
    gaps = np.diff(filled) - 1
    return len(filled) + gaps[gaps < len(bins) / len(gaps)].sum() >= LEAST_REACHED * len(bins)


def _on_stops(step: Ramp, low: np.ndarray, high: np.ndarray, places: Sequence[float]) -> bool:
    """Whether each of some ranges of values has a stop in it, or lies where a stop's colour is held."""
    at, holds = np.clip(np.array(places), 0, 1), np.array([stop.hold for stop in step.stops])
    ends = np.append(at[1:], 1.0)
    on = (at[None] >= low[:, None] - 1e-6) & (at[None] <= high[:, None] + 1e-6)
    held = holds[None] & (low[:, None] >= at[None] - 1e-6) & (high[:, None] <= ends[None] + 1e-6)
    return bool((on | held).any(axis=1).all())


def is_clipped(incoming: dict[str, Any]) -> bool:
    """Whether many of the values, by their distribution over 0..1, lie below it, or above."""
    total = sum(incoming["bins"]) + incoming["below"] + incoming["above"]
    return bool(max(incoming["below"], incoming["above"]) > MOST_CLIPPED * total)


def clipped(place: str, incoming: dict[str, Any], what: str) -> Iterator[Advisory]:
    """Values outside 0 to 1 that pile up at the ends of a ramp or a palette."""
    if not is_clipped(incoming):
        return
    outside = incoming["below"] + incoming["above"]
    share = f"{100 * outside / (sum(incoming['bins']) + outside):.0f} %"
    before = pointer(place)
    yield Advisory(
        f"{what}_clipped", place, f"{share} of the values lie outside 0 to 1, so they pile up at the {what}'s ends.",
        (_fit(before), _even(before)),
    )  # fmt: skip


def _of_values(step: Ramp, place: str, ramp: dict[str, Any], total: int) -> Iterator[Advisory]:
    incoming = ramp["incoming"]
    before = pointer(place)
    if incoming["least"] == incoming["greatest"]:
        value = f"{incoming['least']:.4g}"
        yield Advisory("all_equal", place, f"All values that reach the ramp are {value}, so it gives one colour.")
    elif is_clipped(incoming):
        yield from clipped(place, incoming, "ramp")
    elif total >= FEWEST_ELEMENTS and ramp["reached"] < LEAST_REACHED and not _no_colour_out(step, ramp):
        reached = f"{100 * ramp['reached']:.0f} %"
        yield Advisory(
            "ramp_underused", place,
            f"The values reach only {reached} of the ramp, so some of its colours never appear.",
            (
                _even(before),
                _fit(before),
            ),
        )  # fmt: skip
