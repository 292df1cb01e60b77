"""The library: ramps, palettes, chains, layers and looks saved for use anywhere."""

from __future__ import annotations

import re
from typing import Any

from flask import Blueprint, request
from pydantic import BaseModel, Field, field_validator

from ...core.documents.document import Document
from ...core.library import Kind, checked, current, picture_of, strip_of
from ...store import LibraryItem
from ..openapi import operation
from ..services import services

blueprint = Blueprint("library", __name__)

_PICTURE = re.compile(r"^data:image/(?:png|jpeg|webp);base64,[A-Za-z0-9+/]+={0,2}$")
LARGEST_PICTURE = 300_000


class NewItem(Document):
    """Asks for an item to be kept in the library."""

    kind: Kind
    name: str = Field(min_length=1, max_length=100)
    document: dict[str, Any]
    picture: str = Field("", max_length=LARGEST_PICTURE, description="A data URL of a small picture, or empty.")

    @field_validator("picture")
    @classmethod
    def _is_picture(cls, picture: str) -> str:
        if picture and not _PICTURE.match(picture):
            raise ValueError("a picture is a data URL of a PNG, JPEG or WebP")
        return picture


class ItemChange(Document):
    """A new name, or a mark."""

    name: str | None = Field(None, min_length=1, max_length=100)
    favourite: bool | None = None


class Item(BaseModel):
    """One of the library. ``strip`` are colours that stand for a ramp or palette."""

    id: str
    kind: Kind
    name: str
    document: dict[str, Any]
    picture: str
    favourite: bool
    strip: list[str]


class ItemList(BaseModel):
    """All of them, favourites first."""

    items: list[Item]


def _answer(item: LibraryItem) -> Item:
    return Item(
        id=item.id, kind=item.kind, name=item.name, document=current(item.document),
        picture=item.picture or picture_of(item.kind, item.name), favourite=item.favourite,
        strip=strip_of(item.kind, item.document),
    )  # fmt: skip


@operation(blueprint, "/library", method="get", result=ItemList)
def list_library() -> ItemList:
    """What the library holds; ``?kind=`` keeps one kind."""
    return ItemList(items=[_answer(i) for i in services().store.library(request.args.get("kind", "")[:20])])


@operation(blueprint, "/library", method="post", body=NewItem, result=Item)
def keep_item(body: NewItem) -> Item:
    """Keep an item in the library."""
    return _answer(services().store.keep(body.kind, body.name, checked(body.kind, body.document), body.picture))


@operation(blueprint, "/library/<item>", method="put", body=ItemChange, result=Item)
def change_item(item: str, body: ItemChange) -> Item:
    """Rename or mark an item."""
    return _answer(services().store.change_item(item, body.name, body.favourite))


@operation(blueprint, "/library/<item>", method="delete", result=Item)
def remove_item(item: str) -> Item:
    """Remove an item."""
    return _answer(services().store.change_item(item, removed=True))
