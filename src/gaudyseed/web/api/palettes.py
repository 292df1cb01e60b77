"""Palettes: made from pictures, files and harmonies; ordered, drawn anew, written."""

from __future__ import annotations

import re
from typing import Literal

import numpy as np
from flask import Blueprint, Response, request
from pydantic import BaseModel, Field

from ...core.colour.harmony import Relation, Space, filled, harmony, rerolled
from ...core.colour.spaces import HEX_PATTERN
from ...core.colour.vision import MATRICES, distances
from ...core.documents.document import Document
from ...core.errors import BadInput
from ...core.formats import palettes as files
from ...core.palette import MOST_SWATCHES, Order, Swatch, from_picture, linear_of, ordered, read_picture
from ..jobs import FileMade
from ..openapi import BINARY, operation
from .exports import as_file

blueprint = Blueprint("palettes", __name__)


class PaletteAnswer(Document):
    """Swatches, in their order."""

    swatches: list[Swatch]
    columns: int = 8


class SwatchesRequest(BaseModel):
    """Asks for work on swatches that it brings along."""

    swatches: list[Swatch] = Field(min_length=1, max_length=MOST_SWATCHES)
    columns: int = Field(8, ge=1, le=64)


class OrderRequest(SwatchesRequest):
    """Asks for swatches in another order."""

    order: Order


class RerollRequest(SwatchesRequest):
    """Other colours where none are locked."""

    seed: int = Field(ge=0, le=2**32 - 1)
    least: float = Field(0.08, ge=0, le=0.5, description="Least OKLab distance between any two.")


class WriteRequest(SwatchesRequest):
    """A palette as a file."""

    name: str = Field("palette", max_length=100)
    format: Literal["png", "text", "tokens"]


class HarmonyRequest(Document):
    """A relation to one colour."""

    colour: str = Field(pattern=HEX_PATTERN)
    relation: Relation
    space: Space = "oklch"
    count: int | None = Field(None, ge=1, le=MOST_SWATCHES, description="So many colours in place of its own few.")


class NearPair(BaseModel):
    """The two swatches that are hardest to tell apart."""

    vision: str
    first: int
    second: int
    distance: float


class NearPairs(BaseModel):
    """For all viewers, and for each dichromacy."""

    pairs: list[NearPair]


@operation(blueprint, "/palettes/picture", method="post", result=PaletteAnswer)
def palette_from_picture() -> PaletteAnswer:
    """A palette of ``?count=`` colours from a picture (the request's body)."""
    text = request.args.get("count", "8")
    if not re.fullmatch("[0-9]{1,4}", text):
        raise BadInput(f"{text[:20]!r} is no number of colours. Give one from 2 to 64.", place="count")
    count = int(text)
    return PaletteAnswer(swatches=from_picture(read_picture(request.get_data(cache=False)), count))


@operation(blueprint, "/palettes/file", method="post", result=PaletteAnswer)
def palette_from_file() -> PaletteAnswer:
    """The palette in a file (the request's body; ``?name=`` tells its kind): PNG grid, design tokens JSON, or text."""
    name, data = request.args.get("name", "")[:200].lower(), request.get_data(cache=False)
    if name.endswith(".png"):
        swatches, columns = files.read_png(data)
    elif name.endswith(".json"):
        swatches, columns = files.read_tokens(data)
    else:
        swatches, columns = files.read_text(data)
    return PaletteAnswer(swatches=swatches, columns=max(1, min(64, columns)))


@operation(blueprint, "/palettes/order", method="post", body=OrderRequest, result=PaletteAnswer)
def order_palette(body: OrderRequest) -> PaletteAnswer:
    """The swatches in another order."""
    return PaletteAnswer(swatches=ordered(body.swatches, body.order, body.columns), columns=body.columns)


@operation(blueprint, "/palettes/reroll", method="post", body=RerollRequest, result=PaletteAnswer)
def reroll_palette(body: RerollRequest) -> PaletteAnswer:
    """Other colours for the swatches that are not locked."""
    return PaletteAnswer(swatches=rerolled(body.swatches, body.seed, body.least), columns=body.columns)


@operation(blueprint, "/palettes/files", method="post", body=WriteRequest, result=BINARY)
def write_palette(body: WriteRequest) -> Response:
    """A palette as a PNG grid, hex text, or design tokens."""
    stem = re.sub(r"[^A-Za-z0-9]+", "-", body.name).strip("-").lower() or "palette"
    if body.format == "png":
        return as_file(FileMade(files.write_png(body.swatches, body.columns), f"{stem}.png", "image/png"))
    if body.format == "text":
        return as_file(
            FileMade(files.write_text(body.swatches, body.columns), f"{stem}.txt", "text/plain; charset=utf-8")
        )
    return as_file(FileMade(files.write_tokens(body.name, body.swatches), f"{stem}.tokens.json", "application/json"))


@operation(blueprint, "/palettes/nearest", method="post", body=SwatchesRequest, result=NearPairs)
def nearest_pairs(body: SwatchesRequest) -> NearPairs:
    """The two swatches that are hardest to tell apart, for all viewers and with each dichromacy."""
    linear, pairs = linear_of(body.swatches), []
    for vision in (None, *MATRICES) if len(linear) > 1 else ():
        apart = distances(linear, vision) + np.where(np.tri(len(linear), dtype=bool), np.inf, 0)
        first, second = (int(k) for k in np.unravel_index(apart.argmin(), apart.shape))
        pairs.append(NearPair(vision=vision or "all", first=first, second=second, distance=float(apart[first, second])))
    return NearPairs(pairs=pairs)


@operation(blueprint, "/harmonies", method="post", body=HarmonyRequest, result=PaletteAnswer)
def make_harmony(body: HarmonyRequest) -> PaletteAnswer:
    """The colours of a relation, the given one among them."""
    if body.count is None:
        found = harmony(body.colour, body.relation, body.space)
    else:
        found = filled(body.colour, body.relation, body.space, body.count)
    return PaletteAnswer(swatches=[Swatch(colour=c) for c in found])
