"""What the chains of a look can name: attributes, signals, dials, the moment, markers, assets, other populations."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..errors import BadInput, Fix, no_population
from ..geometry.placing import IDENTITY
from ..kinds import Kind
from ..names import nearest
from ..paths import replacing
from ..population import Attribute, Elements, Population
from .follow import Follow, FollowColour, FollowDial

if TYPE_CHECKING:
    from .evaluate import Evaluation
    from .model import Dial


@dataclass(frozen=True)
class Moment:
    """When a look is evaluated. Scenes have no timeline yet: all is at frame 0."""

    frame: float = 0.0
    seconds: float = 0.0


@dataclass(frozen=True)
class Surroundings:
    """What a scene has that chains can name, the same for all its populations.

    Attributes
    ----------
    markers
        Named points, (3,) each. Scenes cannot hold any yet.
    assets
        Pictures by name, (rows, columns, 4) float32 linear light. Scenes cannot hold any yet.
    other
        ``other(id, place)`` gives the evaluation of another population; BadInput where there is none of that id, and
        where populations read each other in a circle.
    """

    dials: Mapping[str, Dial]
    moment: Moment = Moment()
    markers: Mapping[str, np.ndarray] | None = None
    assets: Mapping[str, np.ndarray] | None = None
    other: Callable[[str, str], Evaluation] | None = None


class Scope:
    """The names of one look on one population.

    ``kind_of`` is set by the compiler: it compiles a signal when it is first named, so that signals may stand in any
    order.
    """

    def __init__(
        self, population: Population, surroundings: Surroundings | None = None, signals: Iterable[str] = (),
        placement: np.ndarray = IDENTITY,
    ) -> None:  # fmt: skip
        self.population = population
        #: (4, 4) float64: from the population's own space into that of the scene.
        self.placement = placement
        self.surroundings = surroundings or Surroundings({})
        self.signals = tuple(signals)
        self.kind_of: Callable[[str, str], Kind] | None = None

    @property
    def elements(self) -> Elements:
        """What the elements carry."""
        return self.population.elements

    @property
    def dials(self) -> Mapping[str, Dial]:
        """The scene's dials by name."""
        return self.surroundings.dials

    @property
    def moment(self) -> Moment:
        """When the look is evaluated."""
        return self.surroundings.moment

    @property
    def markers(self) -> Mapping[str, np.ndarray]:
        """The scene's named points."""
        return self.surroundings.markers or {}

    @property
    def assets(self) -> Mapping[str, np.ndarray]:
        """The scene's pictures."""
        return self.surroundings.assets or {}

    def other(self, population: str, place: str) -> Evaluation:
        """The results of another population of the scene."""
        if self.surroundings.other is None:
            raise no_population(population, place)
        return self.surroundings.other(population, place)

    def attribute(self, name: str, place: str) -> Attribute:
        """The attribute of that name; BadInput says whether it is a signal or which names are near."""
        names = self.elements.names
        if name not in names and name in self.signals:
            step = place.rpartition(".")[0]
            fix = Fix("Read the signal", [replacing(step, {"step": "signal", "name": name})])
            raise BadInput(
                f"{name!r} is a signal, not an attribute. Read it with a signal step.",
                place=place, code="unknown_attribute", fix=fix,
            )  # fmt: skip
        try:
            return self.elements.attribute(name, place)
        except BadInput as error:
            _, twin = nearest(name, names)
            if error.code == "unknown_attribute" and twin:
                error.fix = Fix(f"Read {twin} instead", [replacing(place, twin)])
            raise

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
        """BadInput where the signal is missing or of the wrong kind."""
        if isinstance(follow, FollowDial) or follow.signal is None:
            return
        kind = self.signal_kind(follow.signal, f"{place}.signal").word
        wanted = "colour" if isinstance(follow, FollowColour) else "number"
        if kind != wanted:
            cure = "Put a component step at the end of that signal." if kind == "colour" else "Put a ramp at its end."
            raise BadInput(
                f"This parameter wants a {wanted}, but the signal {follow.signal!r} gives a {kind}. {cure}",
                place=place, code="wrong_kind",
            )  # fmt: skip
