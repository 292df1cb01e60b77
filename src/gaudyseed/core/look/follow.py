"""Parameters that follow a signal (a value for each element) or a dial (one for the scene)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

Name = Field(None, min_length=1, max_length=100)


class _Following(BaseModel):
    """Names either a signal or a dial."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    signal: str | None = Name
    dial: str | None = Name

    @model_validator(mode="after")
    def _one_source(self) -> Self:
        if (self.signal is None) == (self.dial is None):
            raise ValueError('a parameter follows one signal or one dial: write {"signal": name} or {"dial": name}')
        return self


class Follow(_Following):
    """A number that follows: 0 gives ``low``, 1 gives ``high``, linearly; kept within the parameter's limits."""

    low: float = Field(0.0, ge=-1e9, le=1e9)
    high: float = Field(1.0, ge=-1e9, le=1e9)

    def scaled(self, value: Any) -> Any:
        """``low + (high - low) * value``, for numbers and arrays."""
        return self.low + (self.high - self.low) * value


class FollowColour(_Following):
    """A colour that follows a colour signal or a colour dial."""


class FollowDial(BaseModel):
    """A parameter that can only be one for all elements, following a dial."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    dial: str = Field(min_length=1, max_length=100)


FOLLOWING = (Follow, FollowColour, FollowDial)


def followings(model: BaseModel, place: str = "") -> Iterator[tuple[str, Follow | FollowColour | FollowDial]]:
    """Every parameter that follows, with its path; chains inside a step are not entered."""
    for name in type(model).model_fields:
        yield from _within(getattr(model, name), f"{place}.{name}" if place else name)


def _within(value: Any, place: str) -> Iterator[tuple[str, Follow | FollowColour | FollowDial]]:
    if isinstance(value, FOLLOWING):
        yield place, value
    elif isinstance(value, tuple):
        for k, item in enumerate(value):
            yield from _within(item, f"{place}[{k}]")
    elif isinstance(value, BaseModel) and "step" not in type(value).model_fields:
        yield from followings(value, place)
