"""What requests share: the store, populations in memory, the evaluator, who is newest."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import cast

from flask import current_app, has_request_context, request

from ..core.cache import ResultCache
from ..core.look.evaluate import Evaluator
from ..core.look.model import Scene
from ..core.population import Population
from ..core.population.makers import Order
from ..core.report import Reporter
from ..core.scene import SceneRun
from ..core.task import UNWATCHED, Stopped, Task
from ..core.timeline import checked_frame
from ..store import Keeper, Store
from .jobs import Jobs
from .uploads import Uploads

#: Rates that are known; older ones are forgotten.
_MOST_RATES = 1000
_MOST_SESSIONS = 1000
#: Seconds after which one who waits for a population looks whether it is still wanted.
_WAIT = 0.25


class Latest:
    """Which request of each session is the newest, so that older ones can be dropped early."""

    def __init__(self) -> None:
        self._newest: OrderedDict[str, int] = OrderedDict()
        self._lock = threading.Lock()

    def enter(self, session: str, sequence: int) -> Callable[[], bool]:
        """Note a request; what comes back says whether a newer one has come. Stopped where it has already."""
        with self._lock:
            self._newest[session] = max(sequence, self._newest.get(session, sequence))
            self._newest.move_to_end(session)
            while len(self._newest) > _MOST_SESSIONS:
                self._newest.popitem(last=False)

        def overtaken() -> bool:
            return self._newest.get(session, sequence) > sequence

        if overtaken():
            raise Stopped
        return overtaken


@dataclass
class _Turn:
    """Who makes a population now, and how many wait for it or make it."""

    lock: threading.Lock = field(default_factory=threading.Lock)
    users: int = 0


class Workshop:
    """One for the application."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.evaluator = Evaluator()
        self.reporter = Reporter(self.evaluator)
        self.latest = Latest()
        self.kept = Keeper(store)
        self.uploads = Uploads()
        self.jobs = Jobs()
        self._populations = ResultCache(lasting=True)
        self._making: dict[str, _Turn] = {}
        self._lock = threading.Lock()
        self._rates: OrderedDict[str, float] = OrderedDict()

    def rate(self, what: str) -> float:
        """Seconds that an element took at best; 0 where that is not known.

        The first time counts in what a machine does once, such as loading compiled code.
        """
        return self._rates.get(what, 0.0)

    def note_rate(self, what: str, seconds: float) -> None:
        """Note the seconds that an element took."""
        with self._lock:
            self._rates[what] = min(seconds, self._rates.get(what, seconds))
            self._rates.move_to_end(what)
            while len(self._rates) > _MOST_RATES:
                self._rates.popitem(last=False)

    def population(self, order: Order) -> Population:
        """What is ordered; made once, however many ask at the same time."""
        key = order.key
        with self._lock:
            turn = self._making.setdefault(key, _Turn())
            turn.users += 1
        try:
            while not turn.lock.acquire(timeout=_WAIT):
                order.makings.task.check()
            try:
                return self._made(key, order)
            finally:
                turn.lock.release()
        finally:
            with self._lock:
                turn.users -= 1
                if not turn.users:
                    self._making.pop(key, None)

    def _made(self, key: str, order: Order) -> Population:
        found = self._populations.get(key)
        if found is None:
            began = time.perf_counter()
            found = order.make(self.store)
            self.note_rate(type(order.maker).__name__, (time.perf_counter() - began) / max(found.count, 1))
            self._populations.put(key, found, found.nbytes * 2)
        return cast(Population, found)

    def run(
        self, scene: Scene, task: Task = UNWATCHED, final: bool = False,
        frame: float | None = None,
    ) -> SceneRun:  # fmt: skip
        """An evaluation of a scene; populations and results come from what is kept in memory where they are.

        It stops once the client of the request has gone away, and when ``task`` says so.
        ``final`` has populations whole, as they go out; ``frame`` is that of the timeline, else its first. BadInput
        where it is no frame.
        """
        moment = None if frame is None else scene.timeline.moment(checked_frame(frame))
        return SceneRun(scene, self.evaluator, self.population, unless_gone(task), moment, final, self.kept)


def unless_gone(task: Task = UNWATCHED) -> Task:
    """The same task, which stops too once the client of the current request has gone away.

    Outside of a request nobody can go away.
    """
    if not has_request_context():
        return task
    gone: Callable[[], bool] | None = request.environ.get("waitress.client_disconnected")
    return task.until(gone) if gone else task


def workshop() -> Workshop:
    """The one of the current application."""
    return cast(Workshop, current_app.extensions["workshop"])
