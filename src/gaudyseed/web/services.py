"""What requests share: the store, populations in memory, the evaluator, who is newest."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import cast

from flask import current_app

from ..core.look.evaluate import Evaluator
from ..core.population.makers import MakeRequest
from ..core.reports.report import Reporter
from ..core.runtime.task import UNWATCHED, Task
from ..core.scene.model import Scene
from ..core.scene.provider import Provider
from ..core.scene.run import SceneRun
from ..core.scene.timecache import LIMIT, TimeCache
from ..core.scene.timeline import checked_frame
from ..store import AssetStore, Store
from .jobs import Jobs, Latest, unless_gone
from .uploads import Uploads

#: Rates that are known; older ones are forgotten.
_MOST_RATES = 1000


class Services:
    """The services of one application: store, evaluator, caches, jobs."""

    def __init__(self, store: Store, disk: int = LIMIT) -> None:
        self.store = store
        #: Frames that were read, beside the data file.
        self.states = TimeCache(store.path.with_name(f"{store.path.name}.states"), disk)
        self.evaluator = Evaluator()
        self.reporter = Reporter(self.evaluator)
        self.latest = Latest()
        self.kept = AssetStore(store)
        self.uploads = Uploads()
        self.jobs = Jobs()
        self.population = Provider(store, self._note_made)
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

    def _note_made(self, request: MakeRequest, seconds: float) -> None:
        self.note_rate(type(request.maker).__name__, seconds)

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
        return SceneRun(
            scene, self.evaluator, self.population, unless_gone(task), moment, final, self.kept, self.states
        )


def services() -> Services:
    """The one of the current application."""
    return cast(Services, current_app.extensions["services"])
