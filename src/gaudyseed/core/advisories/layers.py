"""Advisories about layers and what they make together."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from typing import Any

import numpy as np

from ..channels import BASE_COLOUR
from ..colour.spaces import linear_to_oklab, oklab_to_linear, parse_hex, to_hex
from ..colour.vision import MATRICES, distances
from ..documents.paths import pointer
from ..errors import Fix
from ..look.results import Evaluation, LaneResult, LayerResult, SignalResult, covers_all
from ..look.step.base import whole_step
from ..look.step.reported import Advisory, Choices, put
from ..plurals import having, verb
from ..reports import census
from .registered import ADVISERS, Adviser, Evidence

#: OKLab distances below which two colours are hard to tell apart. One just noticeable step is about 0.02
#: (Ottosson 2020); apart on a moving crowd wants more (common practice).
NEAR = 0.05
NEAR_WITH_DEFICIENCY = 0.04
#: A band is large with this part of the elements, and for some viewers alone with that one: no palette of many
#: colours keeps all of them apart for everybody.
LARGE, LARGE_WITH_DEFICIENCY = 0.1, 0.2
#: Colours that far beyond what a display shows are told from this part of the elements on.
BRIGHT_BY, BRIGHT_PART = 0.02, 0.01
_ALL = (None,)
_VIEWERS = {"protanopia": "without long-wave cones", "deuteranopia": "without medium-wave cones",
            "tritanopia": "without short-wave cones"}  # fmt: skip


def _of_layers(layers: tuple[LayerResult, ...]) -> Iterator[Advisory]:
    """Layers of a stack that are not seen."""
    for k, layer in enumerate(layers):
        document, place = layer.compiled.layer, layer.compiled.place
        at = pointer(place)
        if document.amount == 0:
            yield Advisory(
                "layer_amount_zero", f"{place}.paint[0]", f"The layer {document.name!r} has an amount of 0 %.",
                (Fix("Give it 100 %", [put(f"{at}/amount", 1.0)]),),
            )  # fmt: skip
            continue
        off = Fix("Switch it off", [put(f"{at}/enabled", False)])
        yield from _hidden(f"The layer {document.name!r}", f"{place}.paint[0]", layers[k + 1 :], off)


def _of_signal(name: str, signal: SignalResult) -> Iterator[Advisory]:
    """A signal's chain that is not seen under its layers."""
    yield from _hidden(f"The chain of the signal {name!r}", f"{signal.place}.chain[0]", signal.layers)


def _hidden(what: str, place: str, above: tuple[LayerResult, ...], *fixes: Fix) -> Iterator[Advisory]:
    cover = next((layer.compiled for layer in above if covers_all(layer)), None)
    if cover is not None:
        through = Fix("Show it through", [put(f"{pointer(cover.place)}/amount", 0.5)])
        yield Advisory(
            "layer_hidden", place, f"{what} is hidden by {cover.layer.name!r} above it.", (through, *fixes)
        )  # fmt: skip


def _of_results(evidence: Evidence) -> Iterator[Advisory]:
    """Finished values outside what their channel takes."""
    for lane in evidence.evaluation.lanes.values():
        if not lane.layers or not len(lane.values):
            continue
        if lane.channel is BASE_COLOUR:
            yield from _of_bright(lane, census.outside(lane.values, -BRIGHT_BY, 1 + BRIGHT_BY))
        elif lane.channel.least is not None and lane.channel.greatest is not None:
            yield from _of_limits(lane, census.outside(lane.values, lane.channel.least, lane.channel.greatest))


def _of_bright(lane: LaneResult, outside: int) -> Iterator[Advisory]:
    if outside > BRIGHT_PART * len(lane.values):
        layer = lane.layers[-1]
        fix = Fix("Hold it within 0 to 1", [put(f"{pointer(layer.compiled.place)}/paint/-", whole_step("clamp"))])
        yield Advisory(
            "result_outside", layer.paint[-1].place,
            f"{having(outside, 'element')} a base colour outside 0 to 1. Only emission may be brighter.",
            (fix,),
        )  # fmt: skip


def _of_limits(lane: LaneResult, outside: int) -> Iterator[Advisory]:
    if outside:
        layer, channel = lane.layers[-1], lane.channel
        fit = whole_step("range", own=True, to_low=channel.least, to_high=channel.greatest)
        fix = Fix("Use the whole range", [put(f"{pointer(layer.compiled.place)}/paint/-", fit)])
        yield Advisory(
            "channel_outside", layer.paint[-1].place,
            f"{having(outside, 'element')} a {channel.title.lower()} outside {channel.least:g} to "
            f"{channel.greatest:g}; "
            f"{verb(outside, 'it gets', 'they get')} the nearer end.",
            (fix,),
        )  # fmt: skip


def _of_groups(evidence: Evidence) -> Iterator[Advisory]:
    """Two large bands of the step that decides the shares, hard to tell apart."""
    place, counts = evidence.place, evidence.counts
    result = evidence.evaluation.step_at(place) if place else None
    choices = result.compiled.step.choices() if result else 0
    if not isinstance(choices, Choices) or not choices.apart:
        return
    typed, items = choices.colours, choices.path
    total = sum(counts)
    for viewers, least in ((_ALL, LARGE), (tuple(MATRICES), LARGE_WITH_DEFICIENCY)):
        large = [k for k, c in enumerate(counts) if total and c / total >= least and isinstance(typed[k], str)]
        alike = _alike(tuple(str(typed[k]) for k in large), viewers)
        if alike is not None:
            break
    else:
        return
    a, b, vision, moved = alike
    who = f"for viewers {_VIEWERS[vision]} ({vision})" if vision else "for all viewers"
    yield Advisory(
        "bands_alike", place or "",
        f"Colours {large[a] + 1} and {large[b] + 1} each have a large share and are hard to tell apart {who}.",
        (Fix("Move their lightness", [put(f"{pointer(place or '')}/{items}/{large[k]}/colour", c)
                                      for k, c in ((a, moved[0]), (b, moved[1]))]),),
    )  # fmt: skip


@lru_cache(maxsize=256)
def _alike(
    colours: tuple[str, ...], viewers: tuple[str | None, ...]
) -> tuple[int, int, str | None, tuple[str, str]] | None:
    """Which two of some colours are hard to tell apart, for whom, and both moved apart; None where all differ.

    AssetSource, because most edits of a ramp move its stops and leave their colours.
    """
    linear = np.array([parse_hex(c) for c in colours]).reshape(-1, 3)
    for vision in viewers:
        limit = NEAR_WITH_DEFICIENCY if vision else NEAR
        apart = distances(linear, vision) + np.where(np.tri(len(colours), dtype=bool), np.inf, 0)
        if not apart.size or apart.min() >= limit:
            continue
        a, b = (int(k) for k in np.unravel_index(apart.argmin(), apart.shape))
        if colours[a] != colours[b]:
            return a, b, vision, _lighter_or_darker(linear[a], linear[b])
    return None


def _lighter_or_darker(first: np.ndarray, second: np.ndarray, by: float = 0.06) -> tuple[str, str]:
    """Two colours with their OKLab lightness moved apart; hue and chroma stay as far as the gamut allows."""
    labs = linear_to_oklab(np.stack([first, second]))
    up = 0 if labs[0, 0] >= labs[1, 0] else 1
    labs[up, 0] = min(labs[up, 0] + by, 0.98)
    labs[1 - up, 0] = max(labs[1 - up, 0] - by, 0.05)
    found = [to_hex(np.clip(oklab_to_linear(lab), 0, 1)) for lab in labs]
    return found[0], found[1]


def _of_all_layers(evidence: Evidence) -> Iterator[Advisory]:
    """Of the signals, then of every stack of layers."""
    for name, signal in evidence.evaluation.signals.items():
        yield from _of_signal(name, signal)
    for stack in evidence.evaluation.stacks:
        yield from _of_layers(stack)


def _shared_layers(evaluation: Evaluation) -> list[Any]:
    """The layers of signals without their chains: those of the scene's are no part of the look."""
    layers = [layer.compiled for signal in evaluation.signals.values() for layer in signal.layers]
    said = [[c.place, c.layer.model_dump(mode="json", exclude={"paint", "mask"})] for c in layers]
    return [list(evaluation.signals), said]


ADVISERS.add("layers", Adviser(70, of_all=_of_all_layers, reads=_shared_layers))
ADVISERS.add("results", Adviser(80, of_all=_of_results))
ADVISERS.add("groups", Adviser(100, of_all=_of_groups))
