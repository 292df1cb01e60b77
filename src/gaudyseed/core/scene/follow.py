"""Parameters that follow a signal (a value for each element), or a dial or marker (one for the scene)."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache, cached_property
from typing import TYPE_CHECKING, Annotated, Any, Literal, Self, TypeVar, get_args

import numpy as np
from pydantic import BaseModel, Field, model_validator

from ..documents.document import Document, parse
from ..documents.paths import parse_path, path_text, placed, resolve
from ..documents.references import Names
from ..errors import BadInput
from ..names import nearest

if TYPE_CHECKING:
    from .dials import Dial

Name = Field(None, min_length=1, max_length=100)
Followed = TypeVar("Followed", bound="Follower")
Plain = TypeVar("Plain")


class _Following(Document):
    """Names either a signal or a dial."""

    signal: Annotated[str | None, Names("signal")] = Name
    dial: Annotated[str | None, Names("dial")] = Name

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


class FollowDial(Document):
    """A parameter that can only be one for all elements, following a dial."""

    dial: Annotated[str, Names("dial")] = Field(min_length=1, max_length=100)


class FollowMarker(Document):
    """A number that is one of the three of a marker's place."""

    marker: Annotated[str, Names("marker")] = Field(min_length=1, max_length=100)
    axis: Literal["x", "y", "z"] = "x"


AnyFollow = Follow | FollowColour | FollowDial | FollowMarker
_PLAIN = frozenset({str, int, float, bool, type(None)})
FOLLOWING = (Follow, FollowColour, FollowDial, FollowMarker)


class Follower(Document):
    """A document with parameters that may follow."""

    @cached_property
    def followed(self) -> tuple[tuple[str, AnyFollow], ...]:
        """Every parameter that follows, with its path; chains inside a step are not entered."""
        return tuple(followings(self))


if TYPE_CHECKING:
    #: A parameter of that type that may follow a dial instead; where it is used the dials have been put in.
    Dialled = Annotated[Plain, "may follow a dial"]
    #: The same for a number of a placement, which may follow a marker too.
    Placed = Annotated[Plain, "may follow a dial or marker"]
else:

    class Dialled:
        """``Dialled[int]``: a whole number, or a dial that it follows."""

        def __class_getitem__(cls, plain: Any) -> Any:
            return plain | FollowDial

    class Placed:
        """``Placed[float]``: a number, or a dial or marker that it follows."""

        def __class_getitem__(cls, plain: Any) -> Any:
            return plain | FollowDial | FollowMarker


def followings(model: BaseModel, place: str = "") -> Iterator[tuple[str, AnyFollow]]:
    """Every parameter that follows, with its path; chains inside a step are not entered."""
    held = model.__dict__
    for name in type(model).model_fields:
        value = held[name]
        # Most values are plain, and this is asked of every step at every edit.
        if type(value) not in _PLAIN:
            yield from _within(value, f"{place}.{name}" if place else name)


def _within(value: Any, place: str) -> Iterator[tuple[str, AnyFollow]]:
    if isinstance(value, FOLLOWING):
        yield place, value
    elif isinstance(value, tuple):
        for k, item in enumerate(value):
            if type(item) not in _PLAIN:
                yield from _within(item, f"{place}[{k}]")
    elif isinstance(value, BaseModel) and "step" not in type(value).model_fields:
        yield from followings(value, place)


@dataclass(frozen=True)
class Given:
    """What a scene gives to parameters that are one for all elements: its dials, and where its markers are."""

    dials: Mapping[str, Dial] = field(default_factory=dict)
    markers: Mapping[str, np.ndarray] = field(default_factory=dict)


def resolved(model: Followed, given: Given, place: str) -> Followed:
    """The document with dials and markers put in; what follows signals stays. BadInput where one does not do."""
    turned = [(path, follow) for path, follow in model.followed if _name(follow)]
    if not turned:
        return model
    document = model.model_dump(mode="json")
    for path, follow in turned:
        where = f"{place}.{path}".lstrip(".")
        if isinstance(follow, FollowMarker):
            value: float | str | bool = float(marked(follow.marker, given.markers, where)["xyz".index(follow.axis)])
        else:
            value = _turned(model, path, follow, given.dials, where)
        document = placed(document, parse_path(path), value)
    try:
        return parse(type(model), document, place)
    except BadInput as error:
        names = ", ".join(repr(_name(follow)) for _, follow in turned)
        sort = "marker" if all(isinstance(follow, FollowMarker) for _, follow in turned) else "dial"
        raise BadInput(f"{error.sentence} It follows a {sort}: {names}.", place=error.place, code=error.code) from None


def _name(follow: AnyFollow) -> str | None:
    """The dial or marker that is followed; None for a signal."""
    return follow.marker if isinstance(follow, FollowMarker) else follow.dial


def marked(name: str, markers: Mapping[str, np.ndarray], place: str) -> np.ndarray:
    """(3,): where a marker is; BadInput where there is none of that name."""
    if name not in markers:
        hint, _ = nearest(name, markers)
        raise BadInput(f"No marker is called {name!r} here. {hint}", place=place, code="unknown_marker")
    return markers[name]


def _turned(
    model: BaseModel, path: str, follow: Follow | FollowColour | FollowDial, dials: Mapping[str, Dial], place: str
) -> float | str | bool:
    """What a parameter takes from its dial."""
    name = follow.dial
    assert name is not None
    dial = dials.get(name)
    if dial is None:
        hint, _ = nearest(name, dials)
        raise BadInput(f"No dial is called {name!r} here. {hint}", place=place, code="unknown_dial")
    value = dial.value
    coloured = isinstance(value, str)
    if isinstance(follow, FollowColour):
        if not coloured:
            raise BadInput(
                f"This parameter wants a colour, but the dial {name!r} is {dial.said}.", place=place, code="wrong_kind"
            )
        return value
    if isinstance(follow, Follow):
        if coloured:
            raise BadInput(
                f"This parameter wants a number, but the dial {name!r} is a colour.", place=place, code="wrong_kind"
            )
        return float(follow.scaled(float(value)))
    # Of a parameter that is one of several words, a dial with named choices gives the word; of a switch, on or off.
    *parent, field = parse_path(path)
    holder = resolve(model, path_text(tuple(parent))) if parent else model
    words, switch = (
        _typed(type(holder), field) if isinstance(field, str) and isinstance(holder, Document) else ((), False)
    )
    if words and dial.choice in words:
        return dial.choice
    if words and dial.choices:
        raise BadInput(
            f"The dial {name!r} stands at {dial.choice!r}, but this parameter is one of {', '.join(words)}.",
            place=place, code="wrong_kind",
        )  # fmt: skip
    if switch and not coloured:
        return bool(value)
    return float(value) if isinstance(value, bool) else value


def followers_of(document: BaseModel, dial: str) -> Iterator[tuple[tuple[str, ...], bool]]:
    """Each parameter anywhere in a document that follows a dial: the words that it may be, and whether a switch."""
    for name in type(document).model_fields:
        value = getattr(document, name)
        if isinstance(value, FOLLOWING):
            if getattr(value, "dial", None) == dial and isinstance(document, Document):
                yield _typed(type(document), name)
            continue
        held = value.values() if isinstance(value, dict) else value if isinstance(value, tuple) else (value,)
        for part in held:
            if isinstance(part, FOLLOWING):
                if getattr(part, "dial", None) == dial:
                    yield (), False
            elif isinstance(part, BaseModel):
                yield from followers_of(part, dial)


@cache
def _typed(model: type[Document], name: str) -> tuple[tuple[str, ...], bool]:
    """The words that a parameter may be, and whether it is a switch."""
    field = model.model_fields.get(name)
    parts = get_args(field.annotation) if field else ()
    words = tuple(word for part in parts for word in get_args(part) if isinstance(word, str))
    return words if any(getattr(part, "__origin__", None) is Literal for part in parts) else (), bool in parts
