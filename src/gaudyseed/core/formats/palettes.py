"""Palettes as files: a PNG grid, plain hex text, and the JSON of the Design Tokens Community Group.

Design Tokens Format Module 2025.10: a token of ``$type`` ``color`` has a ``$value`` with ``colorSpace`` and
``components`` (and may have ``hex``); groups nest; an alias is ``{group.token}``. Earlier drafts
wrote the hex code itself as the value; that is read too.
"""

from __future__ import annotations

import io
import json
import math
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from PIL import Image

from ..colour.mixing import oklch_to_oklab
from ..colour.spaces import encode_srgb, oklab_to_linear, parse_hex, to_hex
from ..colour.text import colours_in
from ..documents.document import parse_json
from ..errors import BadInput
from ..palette import MOST_SWATCHES, Swatch, read_picture

CELL = 16
_DEEPEST_ALIAS = 16


# PNG


def write_png(swatches: Sequence[Swatch], columns: int) -> bytes:
    """A grid of squares, row by row; cells without a swatch are transparent."""
    rows = math.ceil(len(swatches) / columns)
    grid = np.zeros((rows, columns, 4), np.uint8)
    for k, swatch in enumerate(swatches):
        rgb = np.floor(encode_srgb(parse_hex(swatch.drawn)) * 255 + 0.5)
        grid[k // columns, k % columns] = [*rgb.astype(np.uint8), 255]
    file = io.BytesIO()
    Image.fromarray(grid.repeat(CELL, axis=0).repeat(CELL, axis=1)).save(file, "PNG")
    return file.getvalue()


def read_png(data: bytes) -> tuple[list[Swatch], int]:
    """The swatches of a grid of equal squares, and how many columns it has.

    The size of a square is the greatest that all edges between unlike pixels agree with.
    """
    try:
        with Image.open(io.BytesIO(data), formats=("PNG",)) as picture:
            if picture.width * picture.height > 4_000_000:
                raise BadInput("The grid has more than 4,000,000 pixels. Use a smaller one.", place="palette")
            pixels = np.asarray(picture.convert("RGBA"))
    except BadInput:
        raise
    except Exception:
        read_picture(data)  # says what is wrong with it
        raise BadInput("This PNG cannot be read.", place="palette") from None
    width, height = _period(pixels), _period(pixels.transpose(1, 0, 2))
    cells = pixels[height // 2 :: height, width // 2 :: width]
    if cells.shape[0] * cells.shape[1] > MOST_SWATCHES:
        raise BadInput(
            f"This is a grid of {cells.shape[1]} x {cells.shape[0]} colours; at most {MOST_SWATCHES} are taken. "
            "For any other picture, make a palette from a picture.",
            place="palette",
        )
    flat = cells.reshape(-1, 4)
    found = [Swatch(colour="#{:02x}{:02x}{:02x}".format(*c[:3])) for c in flat.tolist() if c[3] > 0]
    if not found:
        raise BadInput("The picture is empty.", place="palette")
    return found, cells.shape[1]


def _period(pixels: np.ndarray) -> int:
    """The greatest width of columns that all changes along the second axis agree with."""
    changes = np.flatnonzero((pixels[:, 1:] != pixels[:, :-1]).any(axis=(0, 2))) + 1
    return math.gcd(pixels.shape[1], *changes.tolist()) or 1


# Text


def write_text(swatches: Sequence[Swatch], columns: int) -> bytes:
    """Hex codes, a row of the grid on each line."""
    codes = [s.drawn for s in swatches]
    lines = [" ".join(codes[k : k + columns]) for k in range(0, len(codes), columns)]
    return ("\n".join(lines) + "\n").encode()


def read_text(data: bytes) -> tuple[list[Swatch], int]:
    """All colours of a text, and how many stand on its first line."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise BadInput("Not UTF-8 text. Save it as UTF-8.", place="palette") from None
    found = colours_in(text, MOST_SWATCHES)
    first = next((line for line in text.splitlines() if line.strip()), "")
    try:
        columns = len(colours_in(first))
    except BadInput:
        columns = 8
    return [Swatch(colour=c.colour) for c in found], min(64, columns if columns > 1 else 8)


# Design tokens


def write_tokens(name: str, swatches: Sequence[Swatch]) -> bytes:
    """One group of colour tokens, numbered."""
    digits = len(str(len(swatches)))
    group: dict[str, Any] = {"$type": "color"}
    for k, swatch in enumerate(swatches):
        components = encode_srgb(parse_hex(swatch.drawn)).round(6).tolist()
        group[f"{k + 1:0{digits}d}"] = {
            "$value": {"colorSpace": "srgb", "components": components, "alpha": 1, "hex": swatch.drawn}
        }
    key = "".join(c for c in name if c not in "{}.$").strip() or "palette"
    return (json.dumps({key: group}, indent=2) + "\n").encode()


def read_tokens(data: bytes) -> tuple[list[Swatch], int]:
    """All colour tokens, in order."""
    document = parse_json(data, "palette")
    if not isinstance(document, dict):
        raise BadInput("A design tokens file is a JSON object. This is another kind of file.", place="palette")
    found = [Swatch(colour=_colour(value, document, path)) for path, value in _tokens(document, "", None)]
    if not found:
        raise BadInput("There are no colour tokens in this file.", place="palette")
    if len(found) > MOST_SWATCHES:
        raise BadInput(f"There are {len(found)} colour tokens; at most {MOST_SWATCHES} are taken.", place="palette")
    return found, 8


def _tokens(group: dict[str, Any], path: str, inherited: str | None) -> Iterator[tuple[str, Any]]:
    kind = group.get("$type", inherited)
    if "$value" in group:
        if kind == "color":
            yield path, group["$value"]
        return
    for key, child in group.items():
        if isinstance(child, dict) and not key.startswith("$"):
            yield from _tokens(child, f"{path}.{key}" if path else key, kind)


def _colour(value: Any, document: dict[str, Any], path: str) -> str:
    for _ in range(_DEEPEST_ALIAS):
        if not (isinstance(value, str) and value.startswith("{") and value.endswith("}")):
            break
        held: Any = document
        for key in value[1:-1].split("."):
            held = held.get(key) if isinstance(held, dict) else None
        value = held.get("$value") if isinstance(held, dict) else None
    if isinstance(value, str):
        try:
            return colours_in(value)[0].colour
        except BadInput:
            pass
    if isinstance(value, dict) and isinstance(value.get("components"), list) and len(value["components"]) == 3:
        parts = [0.0 if c == "none" else c for c in value["components"]]
        if all(isinstance(c, int | float) and not isinstance(c, bool) and abs(c) < 1e6 for c in parts):
            linear = _linear(value.get("colorSpace"), np.array(parts, np.float64))
            if linear is not None:
                return to_hex(np.clip(linear, 0, 1))
    raise BadInput(
        f"The colour of the token {path!r} cannot be read. Spaces that can: srgb, srgb-linear, oklab, oklch.",
        place=path,
    )


def _linear(space: Any, parts: np.ndarray) -> np.ndarray | None:
    if space == "srgb":
        return np.array(parse_hex("#{:02x}{:02x}{:02x}".format(*(int(np.clip(p, 0, 1) * 255 + 0.5) for p in parts))))
    if space == "srgb-linear":
        return parts
    if space == "oklab":
        return oklab_to_linear(parts)
    return oklab_to_linear(oklch_to_oklab(parts / [1, 1, 360])) if space == "oklch" else None
