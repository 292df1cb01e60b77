"""particle: what the particle that drew a trail has, as it was at each point, or as it is now."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...digest import digest_of
from ...errors import BadInput
from ...kinds import Kind
from ...population import Population
from ...population.following import Following
from ...reading import Reading
from ...runtime.cache import ResultCache
from ..scope import Scope
from ..step.base import Step
from ..step.values import Context, Plan, Value

#: Digests of what was read at all frames, so that an edit elsewhere in a chain asks for none of them.
_digests = ResultCache(16 * 1024 * 1024)


class Particle(Step):
    """An attribute, a signal or a channel of the particle that drew a trail.

    *Then* is what the particle had when it was where the point lies; between two frames values go straight from one to
    the other. *Now* is what it has at the frame that is shown; where it is gone, what it had at its last point.
    """

    title: ClassVar[str] = "Particle"
    noun: ClassVar[str] = "what the particle has"
    summary: ClassVar[str] = "what the particle that drew a trail had then, or has now"
    aim: ClassVar = "another"

    step: Literal["particle"]
    of: Literal["attribute", "signal", "channel"] = Field("channel", title="Read")
    name: str = Field(
        "base_colour", min_length=1, max_length=200, title="Name", json_schema_extra={"control": "ground"}
    )
    when: Literal["then", "now"] = Field("then", title="As it was")

    @classmethod
    def unfit(cls, population: Population) -> str:
        """Only trails are drawn by particles."""
        return "" if population.following is not None else "Only trails are drawn by particles."

    @property
    def _reading(self) -> Reading:
        return Reading(of=self.of, name=self.name)

    def _following(self, scope: Scope, place: str) -> Following:
        following = scope.population.following
        if following is None:
            raise BadInput(
                "No particle drew these elements. Read something else, or make trails of particles.",
                place=place, code="no_particle",
            )  # fmt: skip
        return following

    def _at(self, scope: Scope, frame: int, place: str) -> tuple[Kind, np.ndarray, str]:
        return scope.read_at(self._following(scope, place).of, frame, self._reading, f"{place}.name")

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """The kind of the value that is read."""
        following = self._following(scope, place)
        place = f"{place}.name"
        return self._reading.of_evaluation(scope.other(following.of, place), place)[0]

    def depends_on(self, scope: Scope) -> list[Any]:
        """What it reads at every frame, and where the points were left."""
        following = self._following(scope, "")
        history = scope.history(following.of)
        known = history and digest_of(following.states, history, self.of, self.name, self.when)
        scope.timed = True
        found: list[str] | None = _digests.get(known) if known else None
        if found is None:
            found = [self._at(scope, frame, "")[2] for frame in self._frames(following)]
            if known:
                _digests.put(known, found, 64 * len(found))
        return [following.digest, *found]

    def _frames(self, following: Following) -> list[int]:
        """The frames that are read; those that are gone want theirs even where only *now* is asked for."""
        frames: list[int] = following.frames.tolist()
        return frames if self.when == "then" or (following.last < 0).any() else frames[-1:]

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) or (n, k) float32."""
        following = self._following(context.scope, context.place)
        kind = self.result_kind(context.scope, context.place)

        def values(frame: int) -> np.ndarray:
            context.task.check()
            return self._at(context.scope, frame, context.place)[1]

        if self.when == "then":
            whole = following.then(values, kind.width)
        else:
            otherwise = following.then(values, kind.width) if (following.last < 0).any() else None
            last = values(int(following.frames[-1]))
            if otherwise is None:
                otherwise = np.zeros((len(following.last), *last.shape[1:]), np.float32)
            else:
                otherwise = otherwise[_heads(context.scope.population)]
            whole = following.now(last, otherwise)

        def fill(a: int, b: int, out: np.ndarray) -> None:
            out[:] = whole[a:b]

        return Plan(fill)


def _heads(population: Population) -> np.ndarray:
    """(n,): of each point the last one of its trail."""
    form = population.form.curves
    assert form is not None
    found: np.ndarray = (form.starts[1:] - 1)[form.curve_of]
    return found
