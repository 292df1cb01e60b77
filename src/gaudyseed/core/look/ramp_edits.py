"""Edits of a ramp step that need arithmetic: flip, space evenly, snap, set shares."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..errors import BadInput
from ..ramps.ramp import edges_for_shares, evenly_spaced, flipped

ACTIONS = ("flip", "space_evenly", "space_by_share", "snap", "set_shares")

#: Snapping puts stops on multiples of this.
GRID = 0.05


def edited_ramp(
    ramp: dict[str, Any], action: str, values: np.ndarray, shares: list[float] | None, places: np.ndarray
) -> dict[str, Any]:
    """The document of the edited ramp. Whatever stops follow or hold stays with them; places become fixed.

    Parameters
    ----------
    ramp
        The document of a ramp step, whole.
    values
        (n,) float32 numbers that reach the ramp; wanted by ``set_shares`` and ``space_by_share``.
    shares
        One for each stop, summing to 1; wanted by ``set_shares``.
    places
        (s,) where the stops stand now, also those that follow dials.

    Raises
    ------
    BadInput
        Where shares do not fit the ramp.
    """
    stops, between = [dict(s) for s in ramp["stops"]], ramp["interpolation"]
    if action == "flip":
        places, stops = flipped(places, between), _flipped_holds(stops, between)
    elif action == "space_evenly":
        places = evenly_spaced(len(stops), between)
    elif action == "space_by_share":
        places = _by_share(between, places, values)
    elif action == "snap":
        places = _snapped(places)
    else:
        places = _for_shares(between, places, values, shares)
    for stop, at in zip(stops, places, strict=True):
        stop["at"] = float(at)
    return {**ramp, "stops": stops}


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


def _reaching(values: np.ndarray) -> np.ndarray:
    if len(values) == 0:
        raise BadInput("There are no elements to share out.", place="shares")
    return values


def _by_share(between: str, places: np.ndarray, values: np.ndarray) -> np.ndarray:
    """Equal parts of the elements between stops, or in bands."""
    found, n = _reaching(values), len(places)
    if between == "steps":
        edges = edges_for_shares(found, np.full(n, 1 / n))
        return np.concatenate([[min(places[0], edges[0] / 2)] if n > 1 else places[:1], edges])
    if n == 1:
        return places
    quantiles = np.quantile(np.clip(found, 0, 1).astype(np.float64), np.linspace(0, 1, n))
    apart = np.maximum.accumulate(quantiles + np.arange(n) * 1e-6) - np.arange(n) * 1e-6
    for k in range(1, n):
        apart[k] = max(apart[k], apart[k - 1] + 0.0005)
    return apart if apart[-1] <= 1 else np.clip(apart - (apart[-1] - 1), 0, 1)


def _for_shares(between: str, places: np.ndarray, values: np.ndarray, shares: list[float] | None) -> np.ndarray:
    if between != "steps":
        raise BadInput("Shares can be set for a stepped ramp. Switch it to steps first.", place="shares")
    if shares is None:
        raise BadInput("The shares are missing. Give one for each colour.", place="shares")
    if len(shares) != len(places):
        raise BadInput(f"There are {len(places)} colours but {len(shares)} shares. Give one for each.", place="shares")
    edges = edges_for_shares(values, np.array(shares, np.float64))
    first = min(places[0], edges[0] / 2) if len(edges) else places[0]
    return np.concatenate([[first], edges])
