"""Colours in texts."""

from __future__ import annotations

from flask import Blueprint
from pydantic import BaseModel, Field

from ...core.colour.harmony import tints_and_shades
from ...core.colour.spaces import HEX_PATTERN
from ...core.colour.text import LONGEST, colours_in, no_colours
from ...core.documents.document import Document
from ..openapi import operation

blueprint = Blueprint("colours", __name__)


class ColourText(BaseModel):
    """Text with colours in it."""

    text: str = Field(max_length=LONGEST)


class FoundColour(BaseModel):
    """A colour of the text, with its place where one stands behind it."""

    colour: str
    at: float | None


class ColourList(BaseModel):
    """All of them, in order."""

    colours: list[FoundColour]
    passed: list[str] = Field(description="Words and codes that are no colours.")


@operation(blueprint, "/colour-texts", method="post", body=ColourText, result=ColourList)
def read_colours(body: ColourText) -> ColourList:
    """The colours in a text: hex codes and CSS colours, separated by anything."""
    found = [FoundColour(colour=c.colour, at=c.at) for c in colours_in(body.text)]
    return ColourList(colours=found, passed=no_colours(body.text))


class OneColour(Document):
    """Asks for a colour in all notations."""

    colour: str = Field(pattern=HEX_PATTERN)


class TintList(BaseModel):
    """Colours from dark to light."""

    colours: list[str]


@operation(blueprint, "/tints", method="post", body=OneColour, result=TintList)
def list_tints(body: OneColour) -> TintList:
    """Tints and shades of a colour, itself among them."""
    return TintList(colours=tints_and_shades(body.colour))
