"""Dials: named values of a scene that parameters follow."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import Field, StrictBool, field_validator, model_validator

from ..colour.spaces import Light, parse_hex
from ..documents.document import Document
from ..documents.limits import Wide
from ..documents.named import NAME_PATTERN
from .timeline import MOST_KEYS, Key, at_frame, check_keys


class DialKey(Key):
    """A dial's value at a frame."""

    value: Wide | str = Field(union_mode="left_to_right", title="Value")


class Dial(Document):
    """A scene-wide named value that parameters can follow.

    A number; a whole number with named choices, of which 0 is the first; a colour as #rrggbb; or on and off. A number
    or colour may have keys along the timeline, which then decide its value.
    """

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    value: StrictBool | Wide | str = Field(0.5, union_mode="left_to_right", title="Value")
    choices: tuple[Annotated[str, Field(min_length=1, max_length=100)], ...] = Field((), max_length=64, title="Choices")
    keys: tuple[DialKey, ...] = Field((), max_length=MOST_KEYS, title="Keys")

    @field_validator("value")
    @classmethod
    def _colour(cls, value: bool | float | str) -> bool | float | str:
        if isinstance(value, str):
            parse_hex(value)
        return value

    @model_validator(mode="after")
    def _chosen(self) -> Self:
        if self.choices and (isinstance(self.value, bool | str) or self.value not in range(len(self.choices))):
            raise ValueError(f"a dial with choices has a whole number from 0 to {len(self.choices) - 1}")
        if self.keys and (self.choices or isinstance(self.value, bool)):
            raise ValueError("only dials of numbers and of colours have keys. Remove the keys")
        check_keys(self.keys)
        for key in self.keys:
            if isinstance(key.value, str) != isinstance(self.value, str):
                raise ValueError(f"the key at frame {key.frame} is not {self.said}, as the dial is")
            if isinstance(key.value, str):
                parse_hex(key.value)
        return self

    def at(self, frame: float) -> Dial:
        """The dial as it is at a frame; itself where it has no keys."""
        if not self.keys:
            return self
        value = at_frame(self.keys, [key.value for key in self.keys], frame, _between)
        return self.model_copy(update={"value": value})

    @property
    def said(self) -> str:
        """What it is, for sentences."""
        kinds = {bool: "on or off", str: "a colour"}
        return "a choice" if self.choices else kinds.get(type(self.value), "a number")

    @property
    def choice(self) -> str:
        """The name of what is chosen, empty where it has none."""
        return self.choices[int(self.value)] if self.choices else ""


def _between(a: float | str, b: float | str, t: float) -> float | str:
    """Numbers straight, colours in linear light."""
    if isinstance(a, str) and isinstance(b, str):
        return Light(parse_hex(a) * (1 - t) + parse_hex(b) * t)
    assert not isinstance(a, str) and not isinstance(b, str)  # a dial's keys are all as the dial is
    return a + (b - a) * t
