"""ground: what the mesh below has where an element stands."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...channels import CHANNELS
from ...errors import BadInput
from ...kinds import Kind
from ...population import Population, Standing
from ...reading import Reading
from ..scope import Scope
from ..step.base import Step, whole_step
from ..step.values import Context, Plan, Value


class Ground(Step):
    """An attribute, a signal or a channel of the mesh that an element stands on, interpolated at its foot.

    The three corners of the triangle under the foot are weighed by its barycentric coordinates. Particles may have
    left several populations: each reads the one that it left, and what left none has 0 (black).
    """

    title: ClassVar[str] = "Ground"
    noun: ClassVar[str] = "what lies below"
    summary: ClassVar[str] = "what the mesh has where an element stands"
    aim: ClassVar = "another"

    step: Literal["ground"]
    of: Literal["attribute", "signal", "channel"] = Field("channel", title="Read")
    name: str = Field(
        "base_colour", min_length=1, max_length=200, title="Name", json_schema_extra={"control": "ground"}
    )
    when: Literal["now", "birth"] = Field(
        "now", title="As it is", description="Of particles: as it is now, or as it was when each was born.",
        json_schema_extra={"words": ["Now", "At birth"]},
    )  # fmt: skip

    @classmethod
    def ungrounded(cls, document: dict[str, Any]) -> dict[str, Any]:
        """A constant of the kind that it read."""
        channel = CHANNELS.get(document.get("name", "")) if document.get("of") == "channel" else None
        colour = channel is not None and channel.kind.word == "colour"
        return whole_step("constant", enabled=document.get("enabled", True), value="#b8b0a8" if colour else 1.0)

    @classmethod
    def unfit(cls, population: Population) -> str:
        """Only what stands on a population of the scene has one below."""
        return "" if population.standing is not None else "These stand on no population of the scene."

    @property
    def reads_below(self) -> Reading:
        """What it reads."""
        return Reading(of=self.of, name=self.name)

    def _read(self, scope: Scope, place: str) -> list[_Part]:
        standing = scope.population.standing
        if standing is None:
            raise BadInput(
                "These elements stand on no population of the scene. Let their maker stand on a mesh, or read "
                "something else.",
                place=place, code="no_ground",
            )  # fmt: skip
        found = []
        for part in standing.parts:
            below = scope.other(part.on, f"{place}.name")
            found.append(_Part(part, *self.reads_below.of_evaluation(below, f"{place}.name")))
        said = (k.said if k.word != "vector" else f"{k.said} of {k.width}" for k in (part.kind for part in found))
        kinds = list(dict.fromkeys(said))
        if len(kinds) > 1:
            raise BadInput(
                f"{self.name!r} gives {' and '.join(kinds)} on the populations that these left, but a step gives one "
                "kind. Read something that is alike on all of them.",
                place=f"{place}.name", code="wrong_kind",
            )  # fmt: skip
        return found

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """The kind of the value that is read."""
        return self._read(scope, place)[0].kind

    def _births(self, scope: Scope, standing: Standing) -> np.ndarray | None:
        """(n,) int64: the frame within which each element was born; None where what lies below is always the same."""
        births = scope.elements.find("birth_frame") if self.when == "birth" else None
        if births is None or not any(scope.surroundings.alters(part.on) for part in standing.parts):
            return None
        return np.ceil(births.readable).astype(np.int64)

    def depends_on(self, scope: Scope) -> list[Any]:
        """What it reads, and where the elements stand."""
        read, standing = self._read(scope, ""), scope.population.standing
        assert standing is not None
        births = self._births(scope, standing)
        if births is None:
            return [standing.digest, *(part.digest for part in read)]
        frames = np.unique(births).tolist()
        then = [self._at(scope, part.standing.on, frame, "")[1] for part in read for frame in frames]
        return [standing.digest, then, scope.elements.attribute("birth_frame").digest]

    def _at(self, scope: Scope, on: str, frame: int, place: str) -> tuple[np.ndarray, str]:
        """What the population below has at a frame, and its digest."""
        _, values, digest = scope.read_at(on, frame, self.reads_below, f"{place}.name")
        return values, digest

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) or (n, k) float32."""
        read = self._read(context.scope, context.place)
        standing = context.scope.population.standing
        assert standing is not None
        births = self._births(context.scope, standing)
        if births is not None:
            whole = np.zeros((len(births), *read[0].values.shape[1:]), np.float32)
            for frame in np.unique(births).tolist():
                rows = np.flatnonzero(births == frame)
                for part in read:
                    then = self._at(context.scope, part.standing.on, frame, context.place)[0]
                    whole[rows] += part.standing.taken(rows).carried(then)

            def copied(a: int, b: int, out: np.ndarray) -> None:
                out[:] = whole[a:b]

            return Plan(copied)

        def fill(a: int, b: int, out: np.ndarray) -> None:
            out[:] = read[0].standing.carried(read[0].values, a, b)
            for part in read[1:]:
                out += part.standing.carried(part.values, a, b)

        return Plan(fill)


@dataclass(frozen=True)
class _Part:
    """What is read of one of the populations below."""

    standing: Standing
    kind: Kind
    values: np.ndarray
    digest: str
