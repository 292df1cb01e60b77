"""What the chains of a look can name: attributes, signals, dials, the moment, markers, assets, other populations."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Set
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, TypeVar

import numpy as np

from ..channels import CHANNELS
from ..documents.paths import replacing
from ..errors import BadInput, Fix, no_population
from ..geometry.placing import IDENTITY
from ..kinds import Kind
from ..names import nearest
from ..pictures.picture import Picture, shipped
from ..population import Attribute, Elements, Population
from ..runtime.cache import ResultCache
from ..scene.follow import AnyFollow, Follow, FollowColour, Given
from ..scene.timeline import Moment
from .whole import WHOLE, Whole

if TYPE_CHECKING:
    from ..reading import Reading
    from ..scene.dials import Dial
    from .results import Evaluation


Plain = TypeVar("Plain")

#: Under these names, which none can have, the lanes that choose shapes and finishes are evaluated among the signals.
SHAPE_LANE, FINISH_LANE = "\x00shape", "\x00finish"
CHOOSERS = {SHAPE_LANE: "shape", FINISH_LANE: "finish"}


#: Bytes of what was read at other frames that are kept while a look is evaluated.
_MOST_READ = 256 * 1024 * 1024
#: The same from request to request, by the name of all that decides it.
_read = ResultCache(_MOST_READ)
#: Among names that were read: whatever there is, so that one more makes a difference.
ALL = "*"


class Watched(Mapping[str, Plain]):
    """A mapping that notes in ``read`` what is read, and tells where that moves along the timeline."""

    def __init__(
        self, items: Mapping[str, Plain], keyed: Set[str], told: Callable[[str], None], read: set[str]
    ) -> None:  # fmt: skip
        self._items, self._keyed, self._told, self._read = items, keyed, told, read

    def __getitem__(self, name: str) -> Plain:
        found = self._items[name]
        self._read.add(name)
        if name in self._keyed:
            self._told(name)
        return found

    def __iter__(self) -> Iterator[str]:
        self._read.add(ALL)
        return iter(self._items)

    def __len__(self) -> int:
        self._read.add(ALL)
        return len(self._items)


@dataclass(frozen=True)
class Surroundings:
    """What a scene has that chains can name, the same for all its populations.

    Attributes
    ----------
    markers
        Named points, (3,) float64 each, where they are at the moment.
    keyed
        The names of those dials, and of those markers, that move along the timeline.
    still
        The names of those that have keys, but none within the timeline.
    assets
        ``assets(name, place)`` gives a picture; BadInput where there is none of that name.
    pictures
        The names of the scene's pictures.
    other
        ``other(id, place)`` gives the evaluation of another population; BadInput where there is none of that id, and
        where populations read each other in a circle.
    asked
        ``asked()`` gives the names of the signals that other populations read.
    other_at
        ``other_at(id, frame, place)`` gives the evaluation of another population at another frame.
    alters
        Whether elements or results of another population depend on the time, by its id.
    history
        ``history(id)`` names by content all that decides another population's results at all frames; empty where that
        cannot be said.
    whole
        What steps ask of all elements.
    """

    dials: Mapping[str, Dial]
    moment: Moment = field(default_factory=Moment)
    markers: Mapping[str, np.ndarray] = field(default_factory=dict)
    keyed: tuple[Set[str], Set[str]] = (frozenset(), frozenset())
    still: Set[str] = frozenset()
    assets: Callable[[str, str], Picture] | None = None
    pictures: tuple[str, ...] = ()
    other: Callable[[str, str], Evaluation] | None = None
    asked: Callable[[], Set[str]] = frozenset
    other_at: Callable[[str, int, str], Evaluation] | None = None
    alters: Callable[[str], bool] = bool
    history: Callable[[str], str] = str
    whole: Whole = WHOLE


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
        self._placement = placement
        #: Whether anything asked how the population stands in the scene.
        self.placed = False
        self.surroundings = surroundings or Surroundings({})
        #: Whether something that moves along the timeline was read, and the names of what has keys there.
        self.timed = False
        self.read: set[str] = set()
        #: The names of the markers and pictures that were read.
        self.markers_read: set[str] = set()
        self.assets_read: set[str] = set()
        dials, markers = self.surroundings.keyed
        self.given = Given(
            Watched(self.surroundings.dials, dials, self._note_time, set()),
            Watched(self.surroundings.markers, markers, self._note_time, self.markers_read),
        )
        self.signals = tuple(signals)
        self.kind_of: Callable[[str, str], Kind] | None = None
        #: What was read of others at other frames, and its bytes.
        self._readings: dict[str, tuple[Kind, np.ndarray, str]] = {}
        self._read_bytes = 0
        self._histories: dict[str, str] = {}
        #: How many shapes the look has.
        self.shapes = 0

    @property
    def elements(self) -> Elements:
        """The tables of what the elements carry."""
        return self.population.elements

    @property
    def placement(self) -> np.ndarray:
        """(4, 4) float64: from the population's own space into that of the scene."""
        self.placed = True
        return self._placement

    def _note_time(self, name: str) -> None:
        self.timed = True
        self.read.add(name)

    @property
    def dials(self) -> Mapping[str, Dial]:
        """The scene's dials by name, as they are at the moment."""
        return self.given.dials

    @property
    def moment(self) -> Moment:
        """When the look is evaluated; who reads it depends on the time."""
        self.timed = True
        return self.surroundings.moment

    @property
    def markers(self) -> Mapping[str, np.ndarray]:
        """The scene's named points, (3,) each, where they are at the moment."""
        return self.given.markers

    def picture(self, name: str, place: str) -> Picture:
        """A picture of the scene, or one of those that ship; BadInput where there is none of that name."""
        self.assets_read.add(name)
        if self.surroundings.assets is None:
            return shipped(name, place)
        return self.surroundings.assets(name, place)

    def other(self, population: str, place: str) -> Evaluation:
        """The results of another population of the scene."""
        if self.surroundings.other is None:
            raise no_population(population, place)
        found = self.surroundings.other(population, place)
        self.timed |= found.scope.timed
        return found

    def other_at(self, population: str, frame: int, place: str) -> Evaluation:
        """The results of another population of the scene at another frame."""
        if self.surroundings.other_at is None:
            raise no_population(population, place)
        self.timed = True
        return self.surroundings.other_at(population, frame, place)

    def history(self, population: str) -> str:
        """Names all that decides another population's results at all frames, asked for once; empty where none does."""
        if population not in self._histories:
            self._histories[population] = self.surroundings.history(population)
        return self._histories[population]

    def read_at(self, population: str, frame: int, reading: Reading, place: str) -> tuple[Kind, np.ndarray, str]:
        """The kind, values and digest of what is read of another population at another frame; kept while small.

        From request to request where its name says all that decides it, so that playing reads only the newest frame.
        """
        self.timed = True
        history = self.history(population)
        key = f"{history} {population} {frame} {reading.of} {reading.name}"
        found: tuple[Kind, np.ndarray, str] | None = _read.get(key) if history else self._readings.get(key)
        if found is None:
            found = reading.of_evaluation(self.other_at(population, frame, place), place)
            size = found[1].nbytes + 200
            if history:
                _read.put(key, found, size)
            elif self._read_bytes < _MOST_READ:
                self._read_bytes += size
                self._readings[key] = found
        return found

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

    def shape_kind(self, place: str) -> None:
        """Have the lane that chooses shapes compiled; BadInput where it reads itself."""
        if self.shapes > 1 and self.kind_of is not None and self.population.kind in CHANNELS["shape"].populations:
            self.kind_of(SHAPE_LANE, place)

    def check_following(self, follow: AnyFollow, place: str) -> None:
        """BadInput where the signal is missing or of the wrong kind."""
        if not isinstance(follow, Follow | FollowColour) or follow.signal is None:
            return
        kind = self.signal_kind(follow.signal, f"{place}.signal").word
        wanted = "colour" if isinstance(follow, FollowColour) else "number"
        if kind != wanted:
            cure = "Put a component step at the end of that signal." if kind == "colour" else "Put a ramp at its end."
            raise BadInput(
                f"This parameter wants a {wanted}, but the signal {follow.signal!r} gives a {kind}. {cure}",
                place=place, code="wrong_kind",
            )  # fmt: skip
