"""Work that the server does by itself: begun, listed, followed, stopped; its result waits until it is fetched.

And why else work is stopped: a newer request, a client that has gone.

A reload of the page finds the jobs again. Windows follow them by asking what has changed since they asked last, which
is answered as soon as something has.
"""

from __future__ import annotations

import logging
import secrets
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from flask import has_request_context, request
from pydantic import BaseModel

from ..core.errors import BadInput
from ..core.runtime.task import UNWATCHED, Progress, Stopped, Task
from ..store import Missing, Trouble
from .errors import ReportedError, reported

#: Jobs at work at one time; more wait.
AT_ONCE = 2
#: What somebody sits and waits for: it has places of its own, so that it waits for nothing that lasts.
PROMPT = ("preview",)
#: Jobs that are kept, and bytes of their results together; those that ended longest ago go first.
MOST_JOBS = 40
MOST_BYTES = 1 << 30
#: Windows whose question is held until something changes, and for how long at most; others ask again by themselves.
MOST_HELD = 3
LONGEST_HELD = 20.0
#: Sessions whose newest request is known.
_MOST_SESSIONS = 1000
#: A change of the share that is worth telling.
_STEP = 0.005
#: Seconds after which one that waits for its turn looks whether it is still wanted.
_WAIT = 0.25

State = Literal["waiting", "running", "done", "failed", "stopped"]


@dataclass(frozen=True)
class FileMade:
    """A file that a job made."""

    data: bytes
    name: str
    mime: str


@dataclass
class Job:
    """One piece of work.

    Attributes
    ----------
    kind
        What is done with the result: *export*, *import* or *sequence*.
    scene
        The id of the scene that it belongs to; empty for none.
    result
        What it made; None until it is done.
    error
        Why it failed.
    """

    id: str
    kind: str
    title: str
    scene: str
    state: State = "waiting"
    progress: Progress = field(default_factory=Progress)
    began: float = 0.0
    ended: float = 0.0
    result: FileMade | BaseModel | None = None
    error: ReportedError | None = None
    stopping: threading.Event = field(default_factory=threading.Event)

    @property
    def over(self) -> bool:
        """Whether nothing more is done."""
        return self.state in ("done", "failed", "stopped")

    @property
    def left(self) -> float | None:
        """Seconds that are left, as fast as it went so far; None where that cannot be told yet."""
        share, spent = self.progress.share, time.monotonic() - self.began
        if self.state != "running" or share < 0.02 or spent < 1:
            return None
        return spent * (1 - share) / share

    @property
    def size(self) -> int:
        """Bytes of the result."""
        return len(self.result.data) if isinstance(self.result, FileMade) else 10_000 if self.result else 0


class Jobs:
    """All jobs of the application. Thread-safe."""

    def __init__(self) -> None:
        self._jobs: dict[str, Job] = {}
        self._changed = threading.Condition()
        self._places = {prompt: threading.Semaphore(AT_ONCE) for prompt in (False, True)}
        self._version = 0
        self._held = 0

    def begin(
        self, kind: str, title: str, scene: str, work: Callable[[Task], FileMade | BaseModel]
    ) -> Job:  # fmt: skip
        """Begin a job; BadInput where as many as are kept are all still under way."""
        job = Job(secrets.token_hex(8), kind, title[:200], scene)
        shown = 0.0

        def told(progress: Progress) -> None:
            nonlocal shown
            if progress.share - shown >= _STEP or progress.words != words[0]:
                shown, words[0] = progress.share, progress.words
                self._touch()

        words = [""]
        job.progress.told = told
        with self._changed:
            self._make_room()
            self._jobs[job.id] = job
        self._touch()
        threading.Thread(target=self._run, args=(job, work), name=f"job {kind}", daemon=True).start()
        return job

    def _make_room(self) -> None:
        """Throw away what ended longest ago where there is too much."""
        over = sorted((j for j in self._jobs.values() if j.over), key=lambda j: j.ended)
        size = sum(j.size for j in over)
        while over and (len(self._jobs) >= MOST_JOBS or size > MOST_BYTES):
            old = over.pop(0)
            size -= old.size
            del self._jobs[old.id]
        if len(self._jobs) >= MOST_JOBS:
            raise BadInput(f"{MOST_JOBS} jobs are under way. Wait for one, or stop one.", code="too_many")

    def _run(self, job: Job, work: Callable[[Task], FileMade | BaseModel]) -> None:
        task = Task(job.stopping.is_set, job.progress)
        places = self._places[job.kind in PROMPT]
        try:
            while not places.acquire(timeout=_WAIT):
                task.check()
            try:
                job.began = time.monotonic()
                self._turn(job, "running")
                result = work(task)
                task.check()
            finally:
                places.release()
            job.result = result
            job.progress.share = 1.0
            self._turn(job, "done")
        except Stopped:
            self._turn(job, "stopped")
            with self._changed:
                self._jobs.pop(job.id, None)
        except Exception as error:
            job.error = reported(error)
            if not isinstance(error, BadInput | Missing | Trouble):
                logging.getLogger("gaudyseed").error("a job failed", exc_info=error)
            self._turn(job, "failed")

    def _turn(self, job: Job, state: State) -> None:
        job.state = state
        if job.over:
            job.ended = time.monotonic()
        self._touch()

    def _touch(self) -> None:
        with self._changed:
            self._version += 1
            self._changed.notify_all()

    def changes(self, since: int | None, seconds: float = 0.0) -> tuple[int, list[Job], bool]:
        """The number of the newest change, all jobs in the order in which they began, and whether it was waited for.

        Waits until there is a change after ``since``, so many seconds at most; not at all where as many windows as are
        held wait already.
        """
        with self._changed:
            waits = since == self._version and seconds > 0 and self._held < MOST_HELD
            if waits:
                self._held += 1
                try:
                    self._changed.wait_for(lambda: self._version != since, min(seconds, LONGEST_HELD))
                finally:
                    self._held -= 1
            return self._version, list(self._jobs.values()), waits

    def job(self, word: str) -> Job:
        """The job of that id; Missing where there is none."""
        with self._changed:
            found = self._jobs.get(word)
        if found is None:
            raise Missing("This job is not kept any more.")
        return found

    def stop(self, word: str) -> None:
        """Stop a job, or throw away the result of one that is over."""
        job = self.job(word)
        job.stopping.set()
        with self._changed:
            if job.over:
                self._jobs.pop(word, None)
        self._touch()

    def close(self) -> None:
        """Stop all of them."""
        for job in self.changes(None)[1]:
            job.stopping.set()


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


def unless_gone(task: Task = UNWATCHED) -> Task:
    """The task, which stops too once the client of the current request has gone away.

    Outside of a request nobody can go away.
    """
    if not has_request_context():
        return task
    gone: Callable[[], bool] | None = request.environ.get("waitress.client_disconnected")
    return task.until(gone) if gone else task
