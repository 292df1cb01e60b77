"""Work that takes time: whether it is to stop, how far it is, and what it is doing, in words."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator
from dataclasses import dataclass, field
from typing import TypeVar

Item = TypeVar("Item")


class Stopped(Exception):
    """Raised inside work that is to stop, because somebody said so or because nobody waits for it any more."""


@dataclass
class Progress:
    """How far a piece of work is.

    Attributes
    ----------
    share
        From 0 to 1; never goes back.
    words
        What is done now, such as *reading frame 7*; empty where nothing was said.
    log
        What was worth telling on the way, one sentence each.
    told
        Called after each change; None where nobody listens.
    """

    share: float = 0.0
    words: str = ""
    log: list[str] = field(default_factory=list)
    told: Callable[[Progress], None] | None = None

    def at(self, share: float, words: str | None) -> None:
        """Note how far it is; ``words`` None leaves what was said."""
        self.share = max(self.share, share)
        if words is not None:
            self.words = words
        if self.told:
            self.told(self)


class Task:
    """What goes down every call that can last.

    A function that gets a task owns all of it, from 0 to 1: it says how far it is with ``reach``, gives parts of it
    to what it calls with ``part`` or ``each``, and asks with ``check`` wherever it could stop.

    Parameters
    ----------
    stops
        Whether the work is to stop; None where nothing stops it. Asked from several threads.
    progress
        Where it is noted how far the work is; None where nobody wants to know.

    Examples
    --------
    >>> progress = Progress()
    >>> for name, part in Task(progress=progress).each(["carp", "mask"], "writing"):
    ...     part.reach(0.5)
    ...     print(f"{progress.words} {progress.share:.2f}")
    writing 1 of 2 0.25
    writing 2 of 2 0.75
    """

    __slots__ = ("_low", "_progress", "_span", "_stops")

    def __init__(
        self, stops: Callable[[], bool] | None = None, progress: Progress | None = None, low: float = 0.0,
        high: float = 1.0,
    ) -> None:  # fmt: skip
        self._stops, self._progress = stops, progress
        self._low, self._span = low, high - low

    def check(self) -> None:
        """Raise Stopped where the work is to stop."""
        if self._stops is not None and self._stops():
            raise Stopped

    def reach(self, share: float, words: str | None = None) -> None:
        """Say that so much of this task, from 0 to 1, is done, and what comes next; stops as ``check`` does."""
        self.check()
        if self._progress is not None:
            self._progress.at(self._low + self._span * min(max(share, 0.0), 1.0), words)

    def part(self, low: float, high: float) -> Task:
        """The task of what is done between two shares of this one."""
        return Task(self._stops, self._progress, self._low + self._span * low, self._low + self._span * high)

    def each(self, items: Collection[Item], words: str = "") -> Iterator[tuple[Item, Task]]:
        """Each of some items with its part of this task, all alike; ``words`` and its number are said before it."""
        count = len(items)
        for k, item in enumerate(items):
            self.reach(k / count, f"{words} {k + 1} of {count}" if words else None)
            yield item, self.part(k / count, (k + 1) / count)

    def along(self, items: Iterable[Item], about: int = 0) -> Iterator[Item]:
        """What comes, asking before each whether to stop; ``about`` is how many are expected, 0 where nobody knows."""
        for k, item in enumerate(items):
            if about:
                self.reach(k / about)
            else:
                self.check()
            yield item

    def quiet(self) -> Task:
        """The task, which tells nobody how far it is: for what is done over and over within a part."""
        return Task(self._stops)

    def until(self, stops: Callable[[], bool]) -> Task:
        """The task, which stops for another reason too."""
        before = self._stops
        either = stops if before is None else lambda: before() or stops()
        return Task(either, self._progress, self._low, self._low + self._span)

    def note(self, sentence: str) -> None:
        """Tell something that is worth keeping."""
        if self._progress is not None:
            self._progress.log.append(sentence)


#: The task of work that nobody watches and nothing stops.
UNWATCHED = Task()
