"""What a library keeps: ramps, palettes, chains, layers and looks; and those it begins with."""

from __future__ import annotations

import json
from importlib import resources
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from .colour.spaces import to_hex
from .documents import parse, parse_json
from .look.model import Layer, Look
from .look.steps import AnyStep
from .look.steps.base import MOST_STEPS
from .look.steps.palette import Palette
from .look.steps.ramp import Ramp
from .look.upgrade import upgraded

Kind = Literal["ramp", "palette", "chain", "layer", "look"]
STRIP = 160


class Chain(BaseModel):
    """Steps without a place."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    steps: tuple[AnyStep, ...] = Field(min_length=1, max_length=MOST_STEPS)


_MODELS: dict[str, type[BaseModel]] = {"ramp": Ramp, "palette": Palette, "chain": Chain, "layer": Layer, "look": Look}


def current(document: str) -> dict[str, Any]:
    """A kept document, of whatever version of the format, as one of today's."""
    found: dict[str, Any] = upgraded(json.loads(document))
    return found


def checked(kind: Kind, document: Any) -> str:
    """The document as JSON text; BadInput where it is not of that kind."""
    return parse(_MODELS[kind], upgraded(document), "document").model_dump_json()


def strip_of(kind: str, document: str) -> list[str]:
    """Colours that stand for a ramp or palette: the ramp at even places, or the swatches; empty for others."""
    if kind == "ramp":
        ramp = parse(Ramp, current(document)).compiled()
        places = ((np.arange(STRIP) + 0.5) / STRIP).astype(np.float32)
        return [to_hex(c) for c in ramp.colours_of(places)]
    if kind == "palette":
        return [s.drawn for s in parse(Palette, current(document)).swatches]
    return []


def beginnings() -> list[tuple[str, Kind, str, str]]:
    """(id, kind, name, document) of what every library begins with, our own."""
    data = parse_json(resources.files(__package__).joinpath("library.json").read_bytes(), "library.json")
    found: list[tuple[str, Kind, str, str]] = []
    for k, (name, interpolation, mix_in, text) in enumerate(data["ramps"]):
        pairs = [pair.split() for pair in text.split(",")]
        stops = [{"at": float(at), "colour": colour} for colour, at in pairs]
        step = {"step": "ramp", "interpolation": interpolation, "mix_in": mix_in, "stops": stops}
        found.append((f"ramp-{k:02d}", "ramp", name, checked("ramp", step)))
    for k, (name, columns, text) in enumerate(data["palettes"]):
        step = {"step": "palette", "name": name, "columns": columns, "swatches": [{"colour": c} for c in text.split()]}
        found.append((f"palette-{k:02d}", "palette", name, checked("palette", step)))
    return found
