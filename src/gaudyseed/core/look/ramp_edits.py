"""Edits of a ramp step that need arithmetic: flip, space evenly, set shares."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..documents import parse
from ..errors import BadInput
from ..ramp import edges_for_shares, evenly_spaced, flipped
from .steps.ramp import Ramp

Action = Literal["flip", "space_evenly", "set_shares"]


def edit_ramp(ramp: Ramp, action: Action, values: np.ndarray | None = None, shares: list[float] | None = None) -> Ramp:
    """The edited ramp.

    Parameters
    ----------
    values
        (n,) float32 numbers that reach the ramp; wanted by ``set_shares``.
    shares
        One for each stop, summing to 1; wanted by ``set_shares``.

    Raises
    ------
    BadInput
        Where shares do not fit the ramp.
    """
    places = np.array([s.at for s in ramp.stops])
    colours = [s.colour for s in ramp.stops]
    if action == "flip":
        places, colours = flipped(places, ramp.interpolation), colours[::-1]
    elif action == "space_evenly":
        places = evenly_spaced(len(colours), ramp.interpolation)
    else:
        places = _for_shares(ramp, places, values, shares)
    stops = [{"at": float(a), "colour": c} for a, c in zip(places, colours, strict=True)]
    return parse(Ramp, {**ramp.model_dump(mode="json"), "stops": stops})


def _for_shares(ramp: Ramp, places: np.ndarray, values: np.ndarray | None, shares: list[float] | None) -> np.ndarray:
    if ramp.interpolation != "step":
        raise BadInput("Shares can be set for a stepped ramp. Switch it from linear to step first.", place="shares")
    if values is None or shares is None:
        raise BadInput("The shares are missing. Give one for each colour.", place="shares")
    if len(shares) != len(places):
        raise BadInput(f"There are {len(places)} colours but {len(shares)} shares. Give one for each.", place="shares")
    edges = edges_for_shares(values, np.array(shares, np.float64))
    first = min(places[0], edges[0] / 2) if len(edges) else places[0]
    return np.concatenate([[first], edges])
