"""The evaluation of a scene: its populations in the order in which they read each other."""

from __future__ import annotations

import weakref
from collections.abc import Callable

import numpy as np

from .errors import BadInput, never_overtaken, no_population
from .look.evaluate import Evaluation, Evaluator
from .look.follow import resolved
from .look.model import Look, PopulationDocument, Presence, Scene
from .look.scope import Moment, Surroundings
from .look.steps import Step
from .paths import resolve
from .population import Population
from .population.makers import MakerModel, Makings, Order


class SceneRun:
    """One evaluation of a scene under way: each population is made and evaluated when it is first asked for.

    Parameters
    ----------
    made
        Gives the population that is ordered: its maker has its dials put in.
    check
        Called between steps and chunks; what it raises passes through.
    final
        Whether populations are whole, as they go out, and not as the view works with them.

    Examples
    --------
    >>> scene = Scene.model_validate({"populations": [
    ...     {"id": "dots", "name": "Dots", "maker": {"maker": "scatter", "surface": "ball", "count": 9}}]})
    >>> run = SceneRun(scene, Evaluator(), lambda order: order.make(None))
    >>> run.evaluation("dots").colours.shape
    (9, 3)
    """

    def __init__(
        self, scene: Scene, evaluator: Evaluator, made: Callable[[Order], Population],
        check: Callable[[], None] = never_overtaken, moment: Moment | None = None, final: bool = False,
    ) -> None:  # fmt: skip
        self.scene = scene
        self._evaluator = evaluator
        self._made = made
        self._check = check
        self._final = final
        self._whole: SceneRun | None = None
        self._found: dict[str, Evaluation] = {}
        self._open: list[str] = []
        self._ordered: dict[str, Order] = {}
        dials = {d.name: d for d in scene.dials}
        # Weak: in a circle of references the results would wait for the collector, which may be gigabytes late.
        itself = weakref.proxy(self)
        self.surroundings = Surroundings(
            dials, moment or Moment(), other=lambda population, place: itself._other(population, place)
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
        return resolved(Presence(shape=document.shape, shown=document.shown), self.surroundings.dials, "")

    def maker(self, population: str) -> MakerModel:
        """The maker of a population with the dials put in, as it makes the whole."""
        return resolved(self.document(population).maker, self.surroundings.dials, "maker")

    def order(self, population: str) -> Order:
        """What is to be made of a population."""
        found = self._ordered.get(population)
        if found is None:
            maker = self.maker(population)
            if self._final:
                found = Order(maker, self._makings(population))
            else:
                draft = resolved(self.document(population).draft, self.surroundings.dials, "draft")
                found = Order(draft.drafted(maker), self._makings(population), draft.every)
            self._ordered[population] = found
        return found

    def population(self, population: str) -> Population:
        """What its maker makes."""
        return self._made(self.order(population))

    def _makings(self, population: str) -> Makings:
        """What a maker may ask for: other populations whole, so that a coarse view moves nothing that stands there."""
        itself = weakref.proxy(self)

        def asked(other: str, place: str) -> SceneRun:
            itself.check_standing(population, other, place)
            return itself.whole()

        return Makings(
            self._check,
            lambda other, place: asked(other, place).population(other),
            lambda other, place: asked(other, place).evaluation(other),
        )

    def whole(self) -> SceneRun:
        """The run of the same scene whose populations are whole."""
        if self._final:
            return self
        if self._whole is None:
            self._whole = SceneRun(
                self.scene, self._evaluator, self._made, self._check, self.surroundings.moment, final=True
            )
            # A circle runs through both.
            self._whole._open = self._open
        return self._whole

    def check_standing(self, population: str, other: str, place: str) -> None:
        """BadInput where the scene has no such other population, and where it stands on this one."""
        chain = [population]
        at: str | None = other
        while at is not None:
            if all(p.id != at for p in self.scene.populations):
                raise no_population(at, place)
            if at in chain:
                arrows = " stands on ".join(repr(self.document(p).name) for p in [*chain, at])
                raise BadInput(
                    f"These populations go round in a circle: {arrows}. Let one of them stand on something else.",
                    place=place, code="population_cycle",
                )  # fmt: skip
            chain.append(at)
            at = self.document(at).maker.stands_on

    def placement(self, population: str) -> np.ndarray:
        """(4, 4) float64: from the population's own space into that of the scene.

        What stands on another population moves with it.
        """
        document = self.document(population)
        own = resolved(document.place, self.surroundings.dials, "place").matrix
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
                    self.population(population), self.look(population), self._check, surroundings=self.surroundings,
                    shared=self.scene.signals, placement=self.placement(population),
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
        # Whole, since what stands on a population knows the elements of the whole.
        return self.whole().evaluation(population)
