"""The evaluation of a scene: its populations in the request in which they read each other."""

from __future__ import annotations

import weakref
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..digest import digest_of
from ..documents.document import Document
from ..documents.paths import resolve
from ..errors import BadInput, no_population
from ..formats import WriterContext
from ..geometry.shapes import ShapeMesh
from ..look.evaluate import Evaluator
from ..look.model import Look
from ..look.results import Evaluation
from ..look.scope import Surroundings
from ..look.steps import Step
from ..motion.states import StateStore
from ..names import nearest
from ..painting.columns import Target, with_painted
from ..pictures.picture import Picture, shipped
from ..population import Population
from ..population.makers import MakerContext, MakeRequest, MakerModel
from ..reading import Reading
from ..runtime.cache import ResultCache
from ..runtime.task import UNWATCHED, Task
from ..sending import sent
from .assets import NO_ASSETS, AssetSource
from .follow import Follower, FollowMarker, Given, marked, resolved
from .model import PopulationDocument, Presence, Scene
from .timeline import Moment


def _within(*roots: Any) -> Iterator[Document]:
    """All documents that some values hold, themselves too."""
    waiting = list(roots)
    while waiting:
        at = waiting.pop()
        if isinstance(at, tuple):
            waiting += at
        elif isinstance(at, dict):
            waiting += at.values()
        elif isinstance(at, Document):
            yield at
            waiting += [getattr(at, name) for name in type(at).model_fields]


def signals_asked(scene: Scene) -> set[str]:
    """The names of the signals that chains and makers read of other populations."""
    held = _within(scene.populations, scene.looks, scene.signals)
    return {getattr(at, "name", "") for at in held if getattr(at, "of", None) == "signal"}


def _still(scene: Scene) -> frozenset[str]:
    """The names of markers and dials whose keys all lie before the timeline, or all after it."""
    first, last = scene.timeline.first, scene.timeline.last
    keyed = {m.name: [k.frame for k in m.keys] for m in scene.markers}
    keyed |= {d.name: [k.frame for k in d.keys] for d in scene.dials}
    return frozenset(name for name, frames in keyed.items() if frames and (frames[-1] < first or frames[0] > last))


@dataclass(frozen=True)
class Dependencies:
    """What of a scene the results of a population depend on: ids of other populations, names of assets and markers.

    Where a name is ``scope.ALL``, whatever there is makes a difference.
    """

    populations: tuple[str, ...] = ()
    assets: tuple[str, ...] = ()
    markers: tuple[str, ...] = ()


def _reads_looks(document: PopulationDocument) -> bool:
    """Whether the maker of a population reads what a look gives: then what that look reads decides too."""
    return any(isinstance(at, Reading) and at.of_look for at in _within(document.maker))


def _following_parts(document: PopulationDocument) -> tuple[Follower, ...]:
    """The parts of a population that may follow dials and markers, beside its look."""
    return document.maker, document.place, document.draft, Presence(shape=document.shape, shown=document.shown)


#: What makers noted of all frames, from request to request.
_noted = ResultCache(16 * 1024 * 1024)

#: The share of a population's work that its making has.
_MAKING = 0.7


class SceneRun:
    """One evaluation of a scene under way: each population is made and evaluated when it is first asked for.

    Parameters
    ----------
    made
        Gives the population that is requested: its maker has its dials put in.
    task
        Of making and evaluating; asked between steps and chunks whether to stop.
    final
        Whether populations are whole, as they go out, and not as the view works with them.

    Examples
    --------
    >>> scene = Scene.model_validate({"populations": [
    ...     {"id": "dots", "name": "Dots", "maker": {"maker": "scatter", "surface": "ball", "count": 9}}]})
    >>> run = SceneRun(scene, Evaluator(), lambda request: request.make(None))
    >>> run.evaluation("dots").colours.shape
    (9, 3)
    """

    def __init__(
        self, scene: Scene, evaluator: Evaluator, made: Callable[[MakeRequest], Population],
        task: Task = UNWATCHED, moment: Moment | None = None, final: bool = False,
        kept: AssetSource = NO_ASSETS, states: StateStore | None = None,
    ) -> None:  # fmt: skip
        self.scene = scene
        self._states = states
        #: Runs at other frames, shared by all of them.
        self._frames: dict[int, SceneRun] = {}
        #: The name of all that decides what is made, once it was asked for; shared by the runs at other frames.
        self._makings: list[str] = []
        self._evaluator = evaluator
        self._made = made
        self._task = task
        self._final = final
        self._kept = kept
        self._whole: SceneRun | None = None
        self._found: dict[str, Evaluation] = {}
        self._peopled: dict[str, Population] = {}
        self._open: list[str] = []
        #: Of each population the others that it read by itself.
        self._read: dict[str, set[str]] = {}
        self._requests: dict[str, MakeRequest] = {}
        moment = moment or scene.timeline.moment(scene.timeline.first)
        dials = {d.name: d.at(moment.frame) for d in scene.dials}
        markers = {m.name: m.at(moment.frame) for m in scene.markers}
        keyed = frozenset(d.name for d in scene.dials if d.keys), frozenset(m.name for m in scene.markers if m.keys)
        self.given = Given(dials, markers)
        # Weak: in a circle of references the results would wait for the collector, which may be gigabytes late.
        itself = weakref.proxy(self)
        self.surroundings = Surroundings(
            dials,
            moment,
            markers,
            keyed,
            _still(scene),
            lambda name, place: itself._picture(name, place),
            tuple(a.name for a in scene.assets if a.kind == "picture"),
            lambda population, place: itself._other(population, place),
            lambda: signals_asked(itself.scene),
            other_at=lambda population, frame, place: itself.at(frame)._other(population, place),
            alters=lambda population: itself.whole().alters(population),
            history=lambda population: itself.whole()._history(population),
        )

    def document(self, population: str) -> PopulationDocument:
        """The population of that id; BadInput where the scene has none."""
        for candidate in self.scene.populations:
            if candidate.id == population:
                return candidate
        raise BadInput(f"The scene has no population {population!r}.", place="population", code="unknown_population")

    def look(self, population: str) -> Look:
        """The look that a population wears, as it is written."""
        return self.scene.look_of(self.document(population))

    def written(self, population: str, place: str) -> Step:
        """The step at a path of a population's look as it is written, dials and all; BadInput where there is none."""
        shared = place.startswith("scene.")
        found = resolve(self.scene if shared else self.look(population), place.removeprefix("scene."))
        if not isinstance(found, Step):
            raise BadInput(f"There is no step at {place!r}.", place="place", code="unknown_place")
        return found

    def presence(self, population: str) -> Presence:
        """How the view shows a population, with the dials put in."""
        document = self.document(population)
        return resolved(Presence(shape=document.shape, shown=document.shown), self.given, "")

    def maker(self, population: str) -> MakerModel:
        """The maker of a population with the dials put in, as it makes the whole."""
        return resolved(self.document(population).maker, self.given, "maker")

    def request(self, population: str) -> MakeRequest:
        """What is to be made of a population."""
        found = self._requests.get(population)
        if found is None:
            maker = self.maker(population)
            if self._final:
                found = MakeRequest(maker, self._context(population))
            else:
                draft = resolved(self.document(population).draft, self.given, "draft")
                found = MakeRequest(draft.drafted(maker), self._context(population), draft.every)
            self._requests[population] = found
        return found

    def population(self, population: str) -> Population:
        """What its maker makes, with the columns that were painted onto it."""
        found = self._peopled.get(population)
        if found is None:
            found = with_painted(self.target(population), self.document(population).painted, self._kept)
            self._peopled[population] = found
        return found

    def target(self, population: str) -> Target:
        """What a population's painted columns come onto."""
        request = self.request(population)
        made = self._made(request)
        level = getattr(request.maker, "subdivision", None)
        if level is None:
            return Target(made, request.key)

        def coarser(subdivision: int) -> Population:
            return self._made(
                MakeRequest(request.maker.changed(subdivision=subdivision), request.context, request.every)
            )

        return Target(made, request.key, level, coarser)

    def _picture(self, name: str, place: str) -> Picture:
        """A picture of the scene, or one of those that ship."""
        for asset in self.scene.assets:
            if asset.name == name and asset.kind == "picture":
                return self._kept.picture(asset, place)
        return shipped(name, place)

    def asset_mesh(self, name: str, place: str) -> ShapeMesh:
        """A small mesh of the scene; BadInput where there is none of that name."""
        meshes = {asset.name: asset for asset in self.scene.assets if asset.kind == "mesh"}
        if name not in meshes:
            hint, _ = nearest(name, meshes)
            raise BadInput(f"No mesh is called {name!r} here. {hint}", place=place, code="unknown_mesh")
        return self._kept.mesh(meshes[name], place)

    def sent(self, population: str) -> tuple[Population, dict[str, np.ndarray], WriterContext]:
        """A population as it goes out: its elements, what they got by channel, and what files are told beside that."""
        name, shape = self.document(population).name, self.presence(population).shape
        return sent(self.evaluation(population), name, shape, self.placement(population), self.asset_mesh)

    def dependencies(self, population: str) -> Dependencies:
        """What of the scene a population's results depended on so far, beside its own document.

        That of the populations that it reads or stands on counts too, and so on down.
        """
        found, waiting = [population], [population]
        there = {p.id: p for p in self.scene.populations}
        while waiting:
            at = waiting.pop()
            for other in sorted({*self._read.get(at, ()), *there[at].maker.others}):
                if other in there and other not in found:
                    found.append(other)
                    waiting.append(other)
        assets: set[str] = set()
        markers: set[str] = set()
        for name in found:
            document = there[name]
            markers.update(f.marker for part in _following_parts(document) for _, f in part.followed
                           if isinstance(f, FollowMarker))  # fmt: skip
            look = self.scene.look_of(document)
            pictures = (look.picture, *(shape.picture for shape in look.shapes))
            named = (*(shape.mesh for shape in look.shapes), *(p.picture for p in pictures if p is not None))
            assets.update(name for name in named if name is not None)
            for run in (self, self._whole):
                evaluation = run._found.get(name) if run else None
                if evaluation is not None:
                    assets |= evaluation.scope.assets_read
                    markers |= evaluation.scope.markers_read
        return Dependencies(tuple(found[1:]), tuple(sorted(assets)), tuple(sorted(markers)))

    def timed(self, population: str) -> bool:
        """Whether anything of a population depends on the time."""
        return self._keyed(_following_parts(self.document(population))) or self.alters(population)

    def alters(self, population: str) -> bool:
        """Whether elements or results of a population depend on the time, wherever it may stand."""
        document = self.document(population)
        if document.maker.moves or self._keyed((document.maker,)):
            return True
        scope = self.evaluation(population).scope
        return (
            scope.timed or (scope.placed and self._keyed((document.place,)))
            or any(self.timed(other) for other in document.maker.others)
        )  # fmt: skip

    def _history(self, population: str) -> str:
        """Names all that decides a population's results at all frames; empty where that is more than its makers read.

        Of all that are made from each other the looks are in it, so they may read each other.
        """
        waiting, met = [population], set()
        while waiting:
            at = waiting.pop()
            if at in met:
                continue
            met.add(at)
            self.evaluation(at)
            others = set(self.document(at).maker.others)
            if self._read.get(at, set()) - others:
                return ""
            waiting += others
        looks = [(at, self.look(at).model_dump_json()) for at in sorted(met)]
        return digest_of(population, self.document(population).model_dump_json(), looks, self.makings)

    @property
    def makings(self) -> str:
        """Names all that decides what is made at all frames; the looks too where a maker reads one of them."""
        if not self._makings:
            scene = self.scene
            made = [
                (p.id, p.maker.model_dump_json(), p.place.model_dump_json(), [c.model_dump_json() for c in p.painted])
                for p in scene.populations
            ]
            looks = [self.look(p.id) for p in scene.populations] if any(map(_reads_looks, scene.populations)) else []
            shared = (*looks, *scene.dials, *scene.markers, *scene.signals, *scene.assets, scene.timeline)
            self._makings.append(digest_of("makings", made, [m.model_dump_json() for m in shared]))
        return self._makings[0]

    def _memo(self, population: str) -> dict[int, str]:
        """What its maker noted of a population, for all frames and requests in which the same decides what is made."""
        key = digest_of(self.makings, population)
        found: dict[int, str] | None = _noted.get(key)
        if found is None:
            found = {}
            _noted.put(key, found, 64 * 1024)
        return found

    def _keyed(self, parts: tuple[Follower, ...]) -> bool:
        """Whether any of these follows a dial or marker that moves along the timeline."""
        dials, markers = self.surroundings.keyed
        follows = [f for part in parts for _, f in part.followed] if dials or markers else []
        return any(getattr(f, "dial", None) in dials or getattr(f, "marker", None) in markers for f in follows)

    def _context(self, population: str) -> MakerContext:
        """What a maker may ask for: other populations whole, so that a coarse view moves nothing that stands there."""
        itself = weakref.proxy(self)

        def asked(other: str, place: str) -> SceneRun:
            itself.check_standing(population, other, place)
            itself._read.setdefault(population, set()).add(other)
            return itself.whole()

        def there(frame: int) -> tuple[MakerModel, MakerContext]:
            run = itself.at(frame)
            # What it refers to weakly lives as long as the context does.
            return run.maker(population), replace(run._context(population), held=run)

        return MakerContext(
            self._task.part(0, _MAKING),
            self.surroundings.moment,
            lambda other, place: asked(other, place).population(other),
            lambda other, place: asked(other, place).evaluation(other),
            lambda name, place: marked(name, itself.surroundings.markers, place),
            lambda other: itself.placement(other),
            there,
            lambda other: itself.whole().request(other).key,
            lambda: itself._changes(population),
            self._states,
            self._memo(population) if self.maker(population).moves else {},
        )

    def at(self, frame: int) -> SceneRun:
        """The run of the same scene at another frame, its populations whole; the two asked for last are kept."""
        if frame == self.surroundings.moment.frame and self._final:
            return self
        frames = self._frames
        if frame not in frames:
            while len(frames) > 1:
                del frames[next(iter(frames))]
            frames[frame] = SceneRun(
                self.scene, self._evaluator, self._made, self._task, self.scene.timeline.moment(frame), final=True,
                kept=self._kept, states=self._states,
            )  # fmt: skip
            run = frames[frame]
            # Circles run through several frames too.
            run._frames, run._open, run._read, run._makings = frames, self._open, self._read, self._makings
        return frames[frame]

    def _changes(self, population: str) -> bool:
        """Whether what a maker reads may differ from frame to frame: its dials and markers, and what it is born on."""
        document = self.document(population)
        others = document.maker.others
        return bool(self.scene.markers and any(m.keys for m in self.scene.markers)) or any(
            d.keys for d in self.scene.dials
        ) or any(self.document(other).maker.moves or self.timed(other) for other in others)  # fmt: skip

    def whole(self) -> SceneRun:
        """The run of the same scene whose populations are whole."""
        if self._final:
            return self
        if self._whole is None:
            self._whole = SceneRun(
                self.scene, self._evaluator, self._made, self._task, self.surroundings.moment, final=True,
                kept=self._kept, states=self._states,
            )  # fmt: skip
            # A circle runs through both, and so does what was read.
            self._whole._open, self._whole._read = self._open, self._read
            self._whole._frames, self._whole._makings = self._frames, self._makings
        return self._whole

    def check_standing(self, population: str, other: str, place: str) -> None:
        """BadInput where the scene has no such other population, and where it stands on this one."""
        waiting: list[tuple[tuple[str, ...], str]] = [((population,), other)]
        while waiting:
            chain, at = waiting.pop()
            if all(p.id != at for p in self.scene.populations):
                raise no_population(at, place)
            if at in chain:
                arrows = " stands on ".join(repr(self.document(p).name) for p in [*chain, at])
                raise BadInput(
                    f"These populations go round in a circle: {arrows}. Let one of them stand on something else.",
                    place=place, code="population_cycle",
                )  # fmt: skip
            waiting += [((*chain, at), below) for below in self.document(at).maker.others]

    def placement(self, population: str) -> np.ndarray:
        """(4, 4) float64: from the population's own space into that of the scene.

        What stands on another population moves with it.
        """
        document = self.document(population)
        own = resolved(document.place, self.given, "place").matrix
        below = document.maker.stands_on
        if below is None:
            return own
        self.check_standing(population, below, "maker.on")
        return self.placement(below) @ own

    def evaluation(self, population: str) -> Evaluation:
        """The results of a population's look, and before that of those that it reads."""
        found = self._found.get(population)
        if found is None:
            self._open.append(population)
            try:
                found = self._evaluator.evaluate(
                    self.population(population), self.look(population), self._task.part(_MAKING, 1),
                    surroundings=self.surroundings, shared=self.scene.signals, placement=self.placement(population),
                )  # fmt: skip
            finally:
                self._open.pop()
            self._found[population] = found
        return found

    def _other(self, population: str, place: str) -> Evaluation:
        """A population that another one reads; BadInput where they read each other in a circle."""
        if population in self._open:
            circle = [*self._open[self._open.index(population) :], population]
            arrows = " reads ".join(repr(self.document(p).name) for p in circle)
            raise BadInput(
                f"These populations go round in a circle: {arrows}. Let one of them read something else.",
                place=place, code="population_cycle",
            )  # fmt: skip
        if all(p.id != population for p in self.scene.populations):
            raise no_population(population, place)
        if self._open:
            self._read.setdefault(self._open[-1], set()).add(population)
        # Whole, since what stands on a population knows the elements of the whole.
        return self.whole().evaluation(population)
