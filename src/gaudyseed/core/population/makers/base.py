"""What every maker has in common."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar, Protocol, Self, get_args

import numpy as np

from ...digest import digest_of
from ...errors import no_population
from ...geometry.placing import IDENTITY
from ...motion.states import StateStore
from ...registry import Registry
from ...runtime.task import UNWATCHED, Task
from ...scene.follow import Follower, marked
from ...scene.timeline import Moment
from ..kinds import thinned
from ..population import Population

if TYPE_CHECKING:
    from ...look.results import Evaluation


class ColumnSource(Protocol):
    """Where imported columns lie: by the digest of their content."""

    def column(self, digest: str) -> bytes | memoryview:
        """The bytes of a column, which cannot be changed; KeyError where there is none."""


def _alone(population: str, place: str) -> Any:
    raise no_population(population, place)


def _no_marker(name: str, place: str) -> np.ndarray:
    return marked(name, {}, place)


def _no_placement(population: str) -> np.ndarray:
    return IDENTITY


@dataclass(frozen=True)
class MakerContext:
    """What a maker may ask for while it makes.

    Attributes
    ----------
    task
        Of the making.
    moment
        That is wanted of what moves.
    population, evaluation
        Another population of the scene by its id, whole as it goes out, and its results; with the place for sentences.
        BadInput where there is none, and where populations stand on one another in a circle.
    marker, placement
        Where a marker of the scene is, (3,), by its name and the place for sentences; and how another population
        stands in the scene, (4, 4), by its id.
    frames
        ``frames(frame)`` gives the maker as it is at another frame, its dials put in, with its context there; None
        where nothing else is known than the maker itself.
    key_of
        The key of the request that another population is, by its id; None where nothing is known of others.
    changes
        ``changes()`` says whether anything that the maker reads may differ from frame to frame.
    states
        Where states of what moves are kept for all; None for nowhere.
    memo
        Keys that the maker noted by frame, for as long as the scene stays as it is.
    held
        What has to live as long as the context.
    """

    task: Task = UNWATCHED
    moment: Moment = field(default_factory=Moment)
    population: Callable[[str, str], Population] = _alone
    evaluation: Callable[[str, str], Evaluation] = _alone
    marker: Callable[[str, str], np.ndarray] = _no_marker
    placement: Callable[[str], np.ndarray] = _no_placement
    frames: Callable[[int], tuple[Any, MakerContext]] | None = None
    key_of: Callable[[str], str] | None = None
    changes: Callable[[], bool] = bool
    states: StateStore | None = None
    memo: dict[int, str] = field(default_factory=dict, compare=False, repr=False)
    held: Any = field(default=None, compare=False, repr=False)

    def there(self, frame: int) -> MakerContext:
        """The context at another frame."""
        if self.frames is not None:
            return self if frame == self.moment.frame else self.frames(frame)[1]
        return replace(self, moment=Moment(frame, frame / self.moment.rate, self.moment.rate))

    def request_key(self, population: str, frame: int) -> str:
        """Names by content what another population is at a frame."""
        there = self.there(frame)
        return "" if there.key_of is None else there.key_of(population)

    def part(self, low: float, high: float) -> MakerContext:
        """The context for what is made between two shares of the task."""
        return replace(self, task=self.task.part(low, high))


#: Of a maker that stands alone.
ALONE = MakerContext()


#: The ramp that something new is painted by.
FIRST_RAMP: Mapping[str, Any] = {
    "step": "ramp",
    "stops": [{"at": at, "colour": colour} for at, colour in ((0.0, "#1d2b4f"), (0.5, "#c8553d"), (1.0, "#f3dfb8"))],
}

#: Every maker by the word it has in documents.
MAKERS: Registry[type[MakerModel]] = Registry("maker")


class MakerModel(Follower):
    """A maker's document: parameters that decide the population completely.

    A subclass that declares ``maker: Literal["word"]`` registers itself. Parameters that may follow a dial are
    ``Dialled[...]``; they are put in by ``look.follow.resolved`` before ``make`` is called.
    """

    #: What the page calls it, and whether it offers it as something new.
    title: ClassVar[str] = ""
    offered: ClassVar[bool] = True
    #: What it is for, in a few words.
    summary: ClassVar[str] = ""
    #: Its parameters in groups, with the title of each; those that are in none come first.
    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = ()
    #: Named beginnings: parameters that differ from the defaults.
    beginnings: ClassVar[Mapping[str, Mapping[str, Any]]] = {}
    #: What something new of it begins with, where that differs from the defaults.
    begins: ClassVar[Mapping[str, Any]] = {}
    #: The chain that it is painted by at first; none for chance through a ramp.
    begins_painted: ClassVar[tuple[Mapping[str, Any], ...]] = ()
    #: Whether fewer are made where its count is lower, so that a draft can have fewer.
    counted: ClassVar[bool] = False
    #: Parameters that change nothing of what is made.
    unread: ClassVar[frozenset[str]] = frozenset()
    #: Whether its elements have their places without anything that they stand on.
    placed_by_itself: ClassVar[bool] = False

    @classmethod
    def __pydantic_init_subclass__(cls, **more: Any) -> None:
        super().__pydantic_init_subclass__(**more)
        word = cls.model_fields.get("maker")
        if word is not None:
            MAKERS.add(get_args(word.annotation)[0], cls)

    @cached_property
    def key(self) -> str:
        """Equal keys make equal populations."""
        content: dict[str, Any] = self.model_dump(mode="json", exclude=set(self.unread))
        return digest_of("maker", content)

    def changed(self, **parameters: Any) -> Self:
        """The maker with other parameters; what was worked out of the old ones is left behind."""
        return type(self).model_validate({**self.model_dump(mode="json"), **parameters})

    @property
    def ground(self) -> str | None:
        """The stand-in surface that the elements stand on, where there is one to show."""
        return None

    @property
    def stands_on(self) -> str | None:
        """The id of the population that the elements stand on, where there is one."""
        return None

    @property
    def others(self) -> tuple[str, ...]:
        """The ids of all populations that what it makes depends on."""
        return () if self.stands_on is None else (self.stands_on,)

    @property
    def moves(self) -> bool:
        """Whether what it makes differs from frame to frame."""
        return bool(self.of_moment(Moment()))

    def of_moment(self, moment: Moment) -> str:
        """What of a moment it depends on, as a text; empty where it does not move."""
        return ""

    def reads(self, context: MakerContext) -> str:
        """Content digest of what it reads of other populations; empty where it reads none."""
        return ""

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """Produce the population; BadInput where that is not possible."""
        raise NotImplementedError

    def estimated(self) -> int | None:
        """About how many elements it makes, without making them; None where that is not known."""
        return None


@dataclass(frozen=True)
class MakeRequest:
    """A population to be made: its maker with the dials put in, and every how many-th of its elements is wanted."""

    maker: MakerModel
    context: MakerContext = ALONE
    every: int = 1

    @cached_property
    def key(self) -> str:
        """Equal keys make equal populations."""
        read = self.maker.reads(self.context)
        moment = self.maker.of_moment(self.context.moment)
        if not (read or moment or self.every > 1):
            return self.maker.key
        return digest_of("order", self.maker.key, read, moment, self.every)

    def make(self, columns: ColumnSource) -> Population:
        """Make the population that is requested; BadInput where that is not possible."""
        made = self.maker.make(columns, self.context)
        return thinned(made, self.every) if self.every > 1 else made
