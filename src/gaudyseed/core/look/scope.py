"""What the chains of a look can name: attributes, signals and dials."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING

from ..errors import BadInput, Fix
from ..names import nearest
from ..population import Attribute, Population
from .follow import FOLLOWING, Follow, FollowColour, FollowDial

if TYPE_CHECKING:
    from .model import Dial
    from .steps import Kind


class Scope:
    """The names of one look on one population.

    ``signal_kind`` is set by the compiler: it compiles a signal when it is first named,
    so that signals may stand in any order.
    """

    def __init__(self, population: Population, dials: Mapping[str, Dial], signals: Iterable[str] = ()) -> None:
        self.population = population
        self.dials = dials
        self.signals = tuple(signals)
        self.kind_of: Callable[[str, str], Kind] | None = None

    def attribute(self, name: str, place: str) -> Attribute:
        """The attribute of that name; BadInput says whether it is a signal or which names are near."""
        if name not in self.population.names:
            if name in self.signals:
                step = place.rpartition(".")[0]
                fix = Fix("Read the signal", [replacing(step, {"step": "signal", "name": name})])
                raise BadInput(
                    f"{name!r} is a signal, not an attribute. Read it with a signal step.",
                    place=place, code="unknown_attribute", fix=fix,
                )  # fmt: skip
            hint, twin = nearest(name, self.population.names)
            raise BadInput(
                f"No attribute is called {name!r} here. {hint}", place=place, code="unknown_attribute",
                fix=Fix(f"Read {twin} instead", [replacing(place, twin)]) if twin else None,
            )  # fmt: skip
        return self.population.attribute(name, place)

    def signal_kind(self, name: str, place: str) -> Kind:
        """The kind that a signal gives; BadInput where there is none of that name."""
        if name not in self.signals or self.kind_of is None:
            hint, twin = nearest(name, self.signals)
            raise BadInput(
                f"No signal is called {name!r} here. {hint}", place=place, code="unknown_signal",
                fix=Fix(f"Read {twin} instead", [replacing(place, twin)]) if twin else None,
            )  # fmt: skip
        return self.kind_of(name, place)

    def check_following(self, follow: Follow | FollowColour | FollowDial, place: str) -> None:
        """BadInput where the signal or dial is missing or of the wrong kind."""
        if isinstance(follow, FollowDial) or follow.signal is None:
            return
        kind = self.signal_kind(follow.signal, f"{place}.signal")
        wanted = "colour" if isinstance(follow, FollowColour) else "number"
        if kind != wanted:
            cure = "Put a component step at the end of that signal." if kind == "colour" else "Put a ramp at its end."
            raise BadInput(
                f"This parameter wants a {wanted}, but the signal {follow.signal!r} gives a {kind}. {cure}",
                place=place, code="wrong_kind",
            )  # fmt: skip

    def dial(self, follow: Follow | FollowColour | FollowDial, place: str) -> float | str:
        """The value that a parameter takes from its dial."""
        name = follow.dial
        assert name is not None and isinstance(follow, FOLLOWING)
        dial = self.dials.get(name)
        if dial is None:
            hint, _ = nearest(name, self.dials)
            raise BadInput(f"No dial is called {name!r} here. {hint}", place=place, code="unknown_dial")
        if isinstance(follow, Follow):
            if isinstance(dial.value, str):
                raise BadInput(
                    f"This parameter wants a number, but the dial {name!r} is a colour.", place=place, code="wrong_kind"
                )
            return float(follow.scaled(dial.value))
        if isinstance(follow, FollowColour) and not isinstance(dial.value, str):
            raise BadInput(
                f"This parameter wants a colour, but the dial {name!r} is a number.", place=place, code="wrong_kind"
            )
        return dial.value


def pointer(place: str) -> str:
    """The JSON Pointer (RFC 6901) of a place such as ``lanes.base_colour.layers[0].paint[1]``."""
    return "/" + place.replace("[", ".").replace("]", "").replace(".", "/")


def replacing(place: str, value: object) -> dict[str, object]:
    """The JSON Patch operation (RFC 6902) that puts a value at a place of the look."""
    return {"op": "replace", "path": pointer(place), "value": value}
