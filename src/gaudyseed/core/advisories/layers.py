"""Advisories about layers and what they make together."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from .. import census
from ..colour.spaces import linear_to_oklab, oklab_to_linear, parse_hex, to_hex
from ..colour.vision import MATRICES, distances
from ..errors import Fix
from ..look.evaluate import Evaluation, LayerResult, SignalResult, covers_all
from ..look.places import step_of
from ..look.scope import pointer
from ..look.steps.clamp import Clamp
from ..look.steps.palette import Palette
from ..look.steps.ramp import Ramp
from .base import Advisory, put

#: OKLab distances below which two colours are hard to tell apart. One just noticeable step is about 0.02
#: (Ottosson 2020); apart on a moving crowd wants more (common practice).
NEAR = 0.05
NEAR_WITH_DEFICIENCY = 0.04
#: A band is large with this part of the elements.
LARGE = 0.1
_VIEWERS = {"protanopia": "without long-wave cones", "deuteranopia": "without medium-wave cones",
            "tritanopia": "without short-wave cones"}  # fmt: skip
HOLD = Clamp(step="clamp").model_dump(mode="json")


def of_layers(layers: tuple[LayerResult, ...]) -> Iterator[Advisory]:
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


def of_signal(name: str, signal: SignalResult) -> Iterator[Advisory]:
    """A signal's chain that is not seen under its layers."""
    yield from _hidden(f"The chain of the signal {name!r}", f"{signal.place}.chain[0]", signal.layers)


def _hidden(what: str, place: str, above: tuple[LayerResult, ...], *fixes: Fix) -> Iterator[Advisory]:
    cover = next((layer.compiled for layer in above if covers_all(layer)), None)
    if cover is not None:
        through = Fix("Show it through", [put(f"{pointer(cover.place)}/amount", 0.5)])
        yield Advisory(
            "layer_hidden", place, f"{what} is hidden by {cover.layer.name!r} above it.", (through, *fixes)
        )  # fmt: skip


def of_result(evaluation: Evaluation) -> Iterator[Advisory]:
    """Finished base colours outside 0..1."""
    if not evaluation.layers or not len(evaluation.colours):
        return
    outside = census.outside(evaluation.colours, -1e-4, 1 + 1e-4)
    if outside:
        place = evaluation.layers[-1].compiled.place
        last = evaluation.layers[-1].paint[-1].place
        yield Advisory(
            "result_outside", last,
            f"{outside:,} elements have a base colour outside 0 to 1. Only emission may be brighter.",
            (Fix("Hold it within 0 to 1", [put(f"{pointer(place)}/paint/-", HOLD)]),),
        )  # fmt: skip


def of_groups(place: str | None, counts: list[int], evaluation: Evaluation) -> Iterator[Advisory]:
    """Two large bands of the ramp or palette that decides the shares, hard to tell apart."""
    step = step_of(evaluation, place) if place else None
    if not isinstance(step, Ramp | Palette):
        return
    typed = [s.colour for s in (step.stops if isinstance(step, Ramp) else step.swatches)]
    total = sum(counts)
    large = [k for k, c in enumerate(counts) if total and c / total >= LARGE and isinstance(typed[k], str)]
    linear = np.array([parse_hex(str(typed[k])) for k in large]).reshape(-1, 3)
    for vision, limit in ((None, NEAR), *((v, NEAR_WITH_DEFICIENCY) for v in MATRICES)):
        apart = distances(linear, vision) + np.where(np.tri(len(large), dtype=bool), np.inf, 0)
        if not apart.size or apart.min() >= limit:
            continue
        a, b = (int(k) for k in np.unravel_index(apart.argmin(), apart.shape))
        if typed[large[a]] == typed[large[b]]:
            continue
        who = f"for viewers {_VIEWERS[vision]} ({vision})" if vision else "for all viewers"
        items = "stops" if isinstance(step, Ramp) else "swatches"
        moved = _lighter_or_darker(linear[a], linear[b])
        yield Advisory(
            "bands_alike", place or "",
            f"Colours {large[a] + 1} and {large[b] + 1} each have a large share and are hard to tell apart {who}.",
            (Fix("Move their lightness", [put(f"{pointer(place or '')}/{items}/{large[k]}/colour", c)
                                          for k, c in ((a, moved[0]), (b, moved[1]))]),),
        )  # fmt: skip
        return


def _lighter_or_darker(first: np.ndarray, second: np.ndarray, by: float = 0.06) -> tuple[str, str]:
    """Two colours with their OKLab lightness moved apart; hue and chroma stay as far as the gamut allows."""
    labs = linear_to_oklab(np.stack([first, second]))
    up = 0 if labs[0, 0] >= labs[1, 0] else 1
    labs[up, 0] = min(labs[up, 0] + by, 0.98)
    labs[1 - up, 0] = max(labs[1 - up, 0] - by, 0.05)
    found = [to_hex(np.clip(oklab_to_linear(lab), 0, 1)) for lab in labs]
    return found[0], found[1]
