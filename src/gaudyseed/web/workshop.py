"""What requests share: the store, populations in memory, the evaluator, who is newest."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from typing import Any, cast

from flask import current_app, request

from ..core.cache import ResultCache
from ..core.digest import digest_of
from ..core.errors import Overtaken, never_overtaken
from ..core.formats.pictures import read_picture
from ..core.formats.shape_files import read_shape
from ..core.geometry.packed_shapes import MAGIC, unpacked
from ..core.geometry.shapes import ShapeMesh
from ..core.look.evaluate import Evaluator
from ..core.look.model import Asset, Scene
from ..core.painting import gone_column, gone_picture
from ..core.picture import Picture
from ..core.population import Population
from ..core.population.makers import Order
from ..core.report import Reporter
from ..core.scene import SceneRun
from ..core.timeline import checked_frame
from ..store import Store

#: Columns that were painted and not kept yet: strokes under way.
_FRESH_BYTES = 128 * 1024 * 1024
#: A picture of the greatest size takes a third of it.
_PICTURE_BYTES = 1200 * 1024 * 1024
#: Rates that are known; older ones are forgotten.
_MOST_RATES = 1000
POPULATION_BYTES = 1024 * 1024 * 1024
_MOST_SESSIONS = 1000


class Latest:
    """Which request of each session is the newest, so that older ones can be dropped early."""

    def __init__(self) -> None:
        self._newest: OrderedDict[str, int] = OrderedDict()
        self._lock = threading.Lock()

    def enter(self, session: str, sequence: int) -> Callable[[], None]:
        """Note a request; returns a check that raises Overtaken once a newer one has come."""
        with self._lock:
            self._newest[session] = max(sequence, self._newest.get(session, sequence))
            self._newest.move_to_end(session)
            while len(self._newest) > _MOST_SESSIONS:
                self._newest.popitem(last=False)

        def check() -> None:
            if self._newest.get(session, sequence) > sequence:
                raise Overtaken

        check()
        return check


class Keeper:
    """What scenes keep beside their documents: painted columns and pictures, from the store or still in memory."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._fresh = ResultCache(_FRESH_BYTES)
        self._assets = ResultCache(_PICTURE_BYTES)
        self._reading = threading.Lock()

    def hold(self, data: bytes) -> str:
        """Hold a column that is still being painted; returns the digest it goes by."""
        digest = digest_of(data)
        self._fresh.put(digest, data, len(data))
        return digest

    def column(self, digest: str, place: str) -> bytes:
        """The bytes of a painted column; BadInput where they are gone."""
        held: bytes | None = self._fresh.get(digest)
        if held is not None:
            return held
        try:
            found = self._store.column(digest)
        except KeyError:
            raise gone_column(place) from None
        self._fresh.put(digest, found, len(found))
        return found

    def picture(self, asset: Asset, place: str) -> Picture:
        """A picture by its content; read once, however many ask at the same time."""
        return cast(Picture, self._read(asset, place, lambda data: _picture_of(data, asset)))

    def mesh(self, asset: Asset, place: str) -> ShapeMesh:
        """A small mesh by its content."""
        return cast(ShapeMesh, self._read(asset, place, lambda data: _shape_of(data, asset)))

    def _read(self, asset: Asset, place: str, read: Callable[[bytes], tuple[Any, int]]) -> Any:
        """What a file in the store holds, with about how many bytes it takes; kept."""
        with self._reading:
            found = self._assets.get(asset.kind + asset.digest)
            if found is None:
                try:
                    data = self._store.column(asset.digest)
                except KeyError:
                    raise gone_picture(asset, place) from None
                found, size = read(data)
                self._assets.put(asset.kind + asset.digest, found, size)
        return found


def _picture_of(data: bytes, asset: Asset) -> tuple[Picture, int]:
    found = Picture(asset.digest, read_picture(data, asset.name).texels)
    return found, found.nbytes


def _shape_of(data: bytes, asset: Asset) -> tuple[ShapeMesh, int]:
    """A shape out of a file that holds one, or as an import keeps it."""
    mesh = unpacked(data) if data.startswith(MAGIC) else read_shape(data, asset.file or asset.name)
    return mesh, mesh.nbytes


class Workshop:
    """One for the application."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.evaluator = Evaluator()
        self.reporter = Reporter(self.evaluator)
        self.latest = Latest()
        self.kept = Keeper(store)
        self._populations = ResultCache(POPULATION_BYTES)
        self._making: dict[str, threading.Lock] = {}
        self._lock = threading.Lock()
        self._rates: OrderedDict[str, float] = OrderedDict()

    def rate(self, what: str) -> float:
        """Seconds that an element took when something was made last; 0 where that is not known."""
        return self._rates.get(what, 0.0)

    def note_rate(self, what: str, seconds: float) -> None:
        """Note the seconds that an element took."""
        with self._lock:
            self._rates[what] = seconds
            self._rates.move_to_end(what)
            while len(self._rates) > _MOST_RATES:
                self._rates.popitem(last=False)

    def population(self, order: Order) -> Population:
        """What is ordered; made once, however many ask at the same time."""
        key = order.key
        with self._lock:
            turn = self._making.setdefault(key, threading.Lock())
        with turn:
            found = self._populations.get(key)
            if found is None:
                began = time.perf_counter()
                found = order.make(self.store)
                self.note_rate(type(order.maker).__name__, (time.perf_counter() - began) / max(found.count, 1))
                self._populations.put(key, found, found.nbytes * 2)
        with self._lock:
            self._making.pop(key, None)
        return cast(Population, found)

    def run(
        self, scene: Scene, check: Callable[[], None] = never_overtaken, final: bool = False,
        frame: float | None = None,
    ) -> SceneRun:  # fmt: skip
        """An evaluation of a scene; populations and results come from what is kept in memory where they are.

        ``final`` has populations whole, as they go out; ``frame`` is that of the timeline, else its first. BadInput
        where it is no frame.
        """
        moment = None if frame is None else scene.timeline.moment(checked_frame(frame))
        return SceneRun(scene, self.evaluator, self.population, check, moment, final, self.kept)


def unless_gone() -> Callable[[], None]:
    """A check that raises Overtaken once the client of the current request has gone away."""
    gone = request.environ.get("waitress.client_disconnected", lambda: False)

    def check() -> None:
        if gone():
            raise Overtaken

    return check


def workshop() -> Workshop:
    """The one of the current application."""
    return cast(Workshop, current_app.extensions["workshop"])
