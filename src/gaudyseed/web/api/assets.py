"""Pictures of scenes: taken in, kept by content, shown small."""

from __future__ import annotations

import io
import re
from functools import lru_cache

import numpy as np
from flask import Blueprint, Response, request
from PIL import Image
from pydantic import BaseModel

from ...core.colour.spaces import display_bytes
from ...core.digest import digest_of
from ...core.errors import BadInput
from ...core.formats.pictures import read_picture
from ...core.look.model import Asset
from ...core.made_pictures import PICTURES
from ...core.painting import gone_picture
from ...core.picture import Picture, shipped
from ..openapi import BINARY, operation
from ..workshop import unless_gone, workshop

blueprint = Blueprint("assets", __name__)

#: Pixels of the longer side of a small picture.
SMALL = 192


class AssetAnswer(BaseModel):
    """A picture that was taken in, for a scene to hold, and what was told of it."""

    asset: Asset
    format: str
    bytes: int
    notes: list[str]


class ShippedPicture(BaseModel):
    """A picture that ships."""

    name: str
    width: int
    height: int


class ShippedList(BaseModel):
    """All pictures that ship."""

    pictures: list[ShippedPicture]


@operation(blueprint, "/assets", method="post", result=AssetAnswer)
def take_picture() -> AssetAnswer:
    """Keep a picture (the request's body; ``?name=`` carries its file's name) and say what it is."""
    file = request.args.get("name", "")[:200]
    if not file:
        raise BadInput("The name of the file is missing. Add ?name=.", place="name")
    data = request.get_data(cache=False)
    decoded = read_picture(data, file, unless_gone())
    digest = digest_of(data)
    workshop().store.put_columns({digest: data})
    rows, columns = decoded.texels.shape[:2]
    name = re.sub(r"[\s\"'()\[\]\\\x00-\x1f]+", " ", file.rsplit(".", 1)[0]).strip()[:100] or "picture"
    return AssetAnswer(
        asset=Asset(name=name, digest=digest, width=columns, height=rows, file=file), format=decoded.format,
        bytes=len(data), notes=list(decoded.notes),
    )  # fmt: skip


@operation(blueprint, "/assets", method="get", result=ShippedList)
def list_shipped() -> ShippedList:
    """The pictures that ship, which every scene can read by name."""
    found = [(name, shipped(name, "")) for name in PICTURES]
    return ShippedList(pictures=[ShippedPicture(name=n, width=p.width, height=p.height) for n, p in found])


@operation(blueprint, "/assets/<name>", method="get", result=BINARY)
def small_picture(name: str) -> Response:
    """A picture, small, as PNG: by its digest, or one that ships by its name."""
    if name in PICTURES:
        data = _shipped_small(name)
    elif re.fullmatch("[0-9a-f]{32}", name):
        data = _small(workshop().kept.picture(Asset(name=name, digest=name), "name"))
    else:
        raise gone_picture(Asset(name=re.sub(r"[^A-Za-z0-9 _-]", "", name)[:60] or "?", digest="0" * 32), "name")
    response = Response(data, content_type="image/png")
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@lru_cache(maxsize=8)
def _shipped_small(name: str) -> bytes:
    return _small(shipped(name, ""))


def _small(picture: Picture) -> bytes:
    """The first level of the pyramid that is small enough, with its alpha."""
    level = next(level for level in picture.levels if max(level.shape[:2]) <= SMALL)
    colours = display_bytes(np.ascontiguousarray(level[..., :3].reshape(-1, 3))).reshape(*level.shape[:2], 3)
    alpha = np.clip(level[..., 3:] * 255 + 0.5, 0, 255).astype(np.uint8)
    file = io.BytesIO()
    Image.fromarray(np.concatenate([colours, alpha], axis=2)).save(file, "PNG")
    return file.getvalue()
