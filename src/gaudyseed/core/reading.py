"""What can be read of another population: an attribute, a signal or a channel of its elements."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

import numpy as np
from pydantic import Field

from .channels import CHANNELS
from .documents.document import Document
from .errors import BadInput
from .kinds import COLOUR, NUMBER, Kind, vector
from .names import nearest

if TYPE_CHECKING:
    from .look.results import Evaluation
    from .population import Population


class Reading(Document):
    """Names a value of the elements of another population."""

    of: Literal["attribute", "signal", "channel"] = Field("attribute", title="Read")
    name: str = Field(min_length=1, max_length=200, title="Name")

    @property
    def of_look(self) -> bool:
        """Whether it depends on the look of that population."""
        return self.of != "attribute"

    def path_in(self, evaluation: Evaluation) -> str:
        """The path of the lane or signal in the look of an evaluation; empty where no chain leads to the value."""
        if self.of == "signal":
            signal = evaluation.signals.get(self.name)
            return signal.place if signal is not None else ""
        return f"lanes.{self.name}" if self.of == "channel" and self.name in evaluation.lanes else ""

    def of_population(self, population: Population, place: str) -> tuple[Kind, np.ndarray, str]:
        """The kind, values (n,) or (n, k) float32 and digest of an attribute; BadInput where there is none to read."""
        attribute = population.elements.attribute(self.name, place)
        if attribute.kind == "text":
            raise BadInput(
                f"{self.name!r} holds texts, which lie between no two. Read a number, a vector or a colour.",
                place=place, code="wrong_kind",
            )  # fmt: skip
        kinds = {"colour": COLOUR, "vector": vector(attribute.width)}
        return kinds.get(attribute.kind, NUMBER), attribute.readable, attribute.digest

    def of_evaluation(self, evaluation: Evaluation, place: str) -> tuple[Kind, np.ndarray, str]:
        """The kind, values and digest of an attribute, signal or channel."""
        if self.of == "attribute":
            return self.of_population(evaluation.population, place)
        if self.of == "signal":
            signal = evaluation.signals.get(self.name)
            if signal is None:
                hint, _ = nearest(self.name, evaluation.signals)
                raise BadInput(f"No signal is called {self.name!r} there. {hint}", place=place, code="unknown_signal")
            return signal.value.kind, signal.value.array, signal.digest
        channel = CHANNELS.get(self.name)
        if channel is None:
            hint, _ = nearest(self.name, CHANNELS)
            raise BadInput(f"{self.name!r} is no channel. {hint}", place=place, code="unknown_channel")
        lane = evaluation.lanes.get(self.name)
        if lane is None:
            # Of their finishes, which the whole look names by its digest.
            named = f"{self.name} of {evaluation.digest}" if channel.of_finish else f"default {self.name}"
            return channel.kind, evaluation.channel(self.name), named
        return channel.kind, lane.values, lane.digest
