"""Edits of a ramp step that need arithmetic: flip, space evenly, snap, set shares."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..documents import parse
from ..errors import BadInput
from ..ramp import edges_for_shares, evenly_spaced, flipped
from .steps.ramp import Ramp

Action = Literal["flip", "space_evenly", "space_by_share", "snap", "set_shares"]

#: Snapping puts stops on multiples of this.
GRID = 0.05


def edit_ramp(
    ramp: Ramp,
    action: Action,
    values: np.ndarray | None = None,
    shares: list[float] | None = None,
    places: np.ndarray | None = None,
) -> Ramp:
    """The edited ramp. Whatever stops follow or hold stays with them; places become fixed.

    Parameters
    ----------
    values
        (n,) float32 numbers that reach the ramp; wanted by ``set_shares`` and ``space_by_share``.
    shares
        One for each stop, summing to 1; wanted by ``set_shares``.
    places
        (s,) where the stops stand now, for ramps with places that follow dials.

    Raises
    ------
    BadInput
        Where shares do not fit the ramp.
    """
    if places is None:
        places = np.array([s.at for s in ramp.stops], np.float64)
    stops = [s.model_dump(mode="json") for s in ramp.stops]
    stepped = ramp.interpolation
    if action == "flip":
        places, stops = flipped(places, stepped), _flipped_holds(stops, stepped)
    elif action == "space_evenly":
        places = evenly_spaced(len(stops), stepped)
    elif action == "space_by_share":
        places = _by_share(ramp, places, values)
    elif action == "snap":
        places = _snapped(places)
    else:
        places = _for_shares(ramp, places, values, shares)
    for stop, at in zip(stops, places, strict=True):
        stop["at"] = float(at)
    return parse(Ramp, {**ramp.model_dump(mode="json"), "stops": stops})


def _flipped_holds(stops: list[dict[str, object]], interpolation: str) -> list[dict[str, object]]:
    """Stops from last to first. Between stops a held colour is then the one that comes after."""
    turned = stops[::-1]
    if interpolation == "steps":
        return turned
    holds = [s["hold"] for s in stops]
    return [{**s, "hold": h} for s, h in zip(turned, [*holds[:-1][::-1], False], strict=True)]


def _snapped(places: np.ndarray) -> np.ndarray:
    """Places on the grid; those that would meet stay where they are."""
    snapped = (np.round(places / GRID) * GRID).round(6)
    taken = np.concatenate([[False], np.diff(snapped) <= 0])
    for k in np.flatnonzero(taken):
        snapped[k] = max(places[k], snapped[k - 1] + 0.0005)
    if np.any(np.diff(snapped) <= 0) or snapped[-1] > 1:
        return places
    return snapped


def _reaching(values: np.ndarray | None) -> np.ndarray:
    if values is None or len(values) == 0:
        raise BadInput("There are no elements to share out.", place="shares")
    return values


def _by_share(ramp: Ramp, places: np.ndarray, values: np.ndarray | None) -> np.ndarray:
    """Equal parts of the elements between stops, or in bands."""
    found, n = _reaching(values), len(places)
    if ramp.interpolation == "steps":
        edges = edges_for_shares(found, np.full(n, 1 / n))
        return np.concatenate([[min(places[0], edges[0] / 2)] if n > 1 else places[:1], edges])
    if n == 1:
        return places
    quantiles = np.quantile(np.clip(found, 0, 1).astype(np.float64), np.linspace(0, 1, n))
    apart = np.maximum.accumulate(quantiles + np.arange(n) * 1e-6) - np.arange(n) * 1e-6
    for k in range(1, n):
        apart[k] = max(apart[k], apart[k - 1] + 0.0005)
    return apart if apart[-1] <= 1 else np.clip(apart - (apart[-1] - 1), 0, 1)


def _for_shares(ramp: Ramp, places: np.ndarray, values: np.ndarray | None, shares: list[float] | None) -> np.ndarray:
    if ramp.interpolation != "steps":
        raise BadInput("Shares can be set for a stepped ramp. Switch it to steps first.", place="shares")
    if values is None or shares is None:
        raise BadInput("The shares are missing. Give one for each colour.", place="shares")
    if len(shares) != len(places):
        raise BadInput(f"There are {len(places)} colours but {len(shares)} shares. Give one for each.", place="shares")
    edges = edges_for_shares(values, np.array(shares, np.float64))
    first = min(places[0], edges[0] / 2) if len(edges) else places[0]
    return np.concatenate([[first], edges])
