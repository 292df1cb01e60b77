"""Pictures of scenes: taken in, kept by content, shown small."""

from __future__ import annotations

import io
import re
from functools import lru_cache

import numpy as np
from flask import Blueprint, Response, request
from PIL import Image
from pydantic import BaseModel, Field

from ...core.colour.spaces import display_bytes
from ...core.digest import digest_of
from ...core.documents.document import Document
from ...core.errors import BadInput
from ...core.formats import FORMATS
from ...core.formats.pictures import read_picture
from ...core.formats.shape_files import read_shape
from ...core.geometry.packed_shapes import drawable
from ...core.geometry.shapes import MOST_TRIANGLES, SHAPES, shape_mesh
from ...core.look.material import ElementPicture
from ...core.pictures.made import PICTURES, SIZE
from ...core.pictures.picture import Picture, shipped
from ...core.scene.assets import Asset, gone_picture
from ...core.shown.shading import versions
from .. import binary
from ..headers import ShapeHeader
from ..jobs import unless_gone
from ..openapi import BINARY, operation
from ..services import services

blueprint = Blueprint("assets", __name__)

#: Pixels of the longer side of a small picture.
SMALL = 192
#: Endings of files that hold small meshes.
MESHES = tuple(ending for form in FORMATS.values() if form.shapes for ending in form.endings)


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
    """Keep a picture or a small mesh (the request's body; ``?name=`` carries its file's name) and say what it is."""
    file = request.args.get("name", "")[:200]
    if not file:
        raise BadInput("The name of the file is missing. Add ?name=.", place="name")
    data = request.get_data(cache=False)
    digest = digest_of(data)
    name = re.sub(r"[\s\"'()\[\]\\\x00-\x1f]+", " ", file.rsplit(".", 1)[0]).strip()[:100] or "picture"
    if file.lower().endswith(MESHES):
        mesh = read_shape(data, file, unless_gone())
        services().store.put_columns({digest: data})
        asset = Asset(
            name=name, kind="mesh", digest=digest, width=len(mesh.faces), height=len(mesh.vertices), file=file
        )
        return AssetAnswer(asset=asset, format=file.rpartition(".")[2].upper(), bytes=len(data), notes=[])
    decoded = read_picture(data, file, unless_gone())
    services().store.put_columns({digest: data})
    rows, columns = decoded.texels.shape[:2]
    return AssetAnswer(
        asset=Asset(name=name, digest=digest, width=columns, height=rows, file=file), format=decoded.format,
        bytes=len(data), notes=list(decoded.notes),
    )  # fmt: skip


@operation(blueprint, "/assets", method="get", result=ShippedList)
def list_shipped() -> ShippedList:
    """The pictures that ship, which every scene can read by name."""
    return ShippedList(pictures=[ShippedPicture(name=name, width=SIZE, height=SIZE) for name in PICTURES])


@operation(blueprint, "/assets/<name>", method="get", result=BINARY)
def small_picture(name: str) -> Response:
    """A picture, small, as PNG: by its digest, or one that ships by its name."""
    if name in PICTURES:
        data = _shipped_small(name)
    elif re.fullmatch("[0-9a-f]{32}", name):
        data = _small(services().kept.picture(Asset(name=name, digest=name), "name"))
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


@operation(blueprint, "/shapes/<word>", method="get", result=BINARY, headers=(ShapeHeader,))
def get_shape(word: str) -> Response:
    """A shape that clones are drawn as: one that ships by its word, or a mesh of a scene by its digest.

    ``?coarse=1`` gives one that ships with few triangles, for machines without a graphics card.
    """
    if word in SHAPES:
        mesh = shape_mesh(word, request.args.get("coarse") == "1")
    elif re.fullmatch("[0-9a-f]{32}", word):
        mesh = drawable(services().kept.mesh(Asset(name=word, kind="mesh", digest=word), "word"), MOST_TRIANGLES)
    else:
        raise BadInput(f"There is no shape {word[:40]!r}; there are {', '.join(SHAPES)}.", place="word")
    arrays = {"positions": mesh.vertices, "normals": mesh.normals, "uv": mesh.uv, "faces": mesh.faces}
    response = binary.answer({"name": word, "triangles": len(mesh.faces)}, arrays)
    response.headers["Cache-Control"] = "private, max-age=600"
    return response


class ElementPictureRequest(Document):
    """A picture on elements, by the digest of its file or the name of one that ships; dials have been put in."""

    source: str = Field(max_length=100)
    picture: ElementPicture


@operation(blueprint, "/element-pictures", method="post", body=ElementPictureRequest, result=BINARY)
def get_element_picture(body: ElementPictureRequest) -> Response:
    """Both versions of a picture on elements: (rows, columns, 4) levels of the display, and what cuts it out."""
    if body.source in PICTURES:
        picture = shipped(body.source, "source")
    else:
        asset = (
            Asset(name=body.source[:60] or "?", digest=body.source)
            if re.fullmatch("[0-9a-f]{32}", body.source)
            else None
        )
        if asset is None:
            raise BadInput(f"There is no picture {body.source[:40]!r}.", place="source", code="unknown_picture")
        picture = services().kept.picture(asset, "source")
    if body.picture.followed or body.picture.first.followed or body.picture.second.followed:
        raise BadInput("Put the dials in first.", place="picture")
    levels = versions(picture, body.picture)
    return binary.answer(
        {"rows": levels.shape[1], "columns": levels.shape[2]}, {"first": levels[0], "second": levels[1]}
    )
