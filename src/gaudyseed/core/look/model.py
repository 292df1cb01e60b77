"""The documents of a look: its signals, layers and lanes."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, ValidationInfo, field_validator, model_validator

from ..channels import CHANNELS
from ..documents.document import Document
from ..documents.limits import Share
from ..documents.named import NAME_PATTERN, check_own_names
from ..documents.references import Names
from ..documents.versioned import Versioned
from ..names import nearest
from ..scene.follow import Follow, Follower
from .material import MOST_FINISHES, MOST_OUTPUTS, MOST_SHAPES, ElementPicture, Finish, Output, Shape
from .step.parameters import MOST_STEPS, Blend
from .steps import AnyStep

MOST_LAYERS = 32
MOST_SIGNALS = 64


class Layer(Follower):
    """A chain that paints, an optional chain that masks it, a blend mode and an amount."""

    name: str = Field("Layer", min_length=1, max_length=100, title="Name")
    enabled: bool = Field(True, title="On")
    blend: Blend = Field("normal", title="Blend")
    blend_in: Literal["linear", "display"] = Field("linear", title="Blend in")
    amount: Share | Follow = Field(1.0, title="Amount", json_schema_extra={"unit": "share"})
    mask: tuple[AnyStep, ...] | None = Field(None, max_length=MOST_STEPS)
    paint: tuple[AnyStep, ...] = Field(min_length=1, max_length=MOST_STEPS)


class Lane(Document):
    """The layers that make one material channel, bottom first; off keeps them.

    The other fields belong to single channels: how *shape* and *finish* choose, whether *opacity* cuts out, along
    what *offset* moves.
    """

    enabled: bool = True
    layers: tuple[Layer, ...] = Field((), max_length=MOST_LAYERS)
    choose: Literal["share", "number", "blend"] = Field(
        "share", title="Chosen by", description="0 to 1 falls into the weights' bands; a whole number picks; or 0 to 1 "
        "blends from the first finish to the last.", json_schema_extra={"words": ["Share", "Number", "Blend"]},
    )  # fmt: skip
    among: tuple[Annotated[str, Field(max_length=100)], ...] | None = Field(
        None, min_length=1, max_length=MOST_FINISHES, title="Among",
        description="The finishes that a blend runs through, by name and in that order; left out, all of them.",
    )  # fmt: skip
    seed: Annotated[int, Field(ge=0, le=2**32 - 1)] = Field(1, title="Seed", json_schema_extra={"control": "seed"})
    threshold: Share | None = Field(
        None, title="Cut out below", description="Left out, elements are seen through; else they are there or not."
    )
    along: Annotated[str, Names("signal")] = Field(
        "normal", min_length=1, max_length=200, title="Along", description="normal, up, or a vector."
    )

    def place_of(self, finish: str) -> int:
        """Where a finish comes in a blend; behind all where it is not in it."""
        among = self.among or ()
        return among.index(finish) if finish in among else len(among)


#: The fields of a lane that belong to single channels.
OWN_FIELDS = ("choose", "seed", "among", "threshold", "along")


def _channel(word: str) -> str:
    if word not in CHANNELS:
        raise ValueError(f"{word!r} is no channel. {nearest(word, CHANNELS)[0]}")
    return word


#: The word of a channel.
ChannelWord = Annotated[str, AfterValidator(_channel)]
#: By the channel, what is sent into it. Channels without a lane have their default.
Lanes = dict[ChannelWord, Lane]


class Signal(Document):
    """A named chain, and layers over it, whose result any chain can read.

    The layers give what the chain gives: numbers, vectors or colours.
    """

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    chain: tuple[AnyStep, ...] = Field(min_length=1, max_length=MOST_STEPS)
    layers: tuple[Layer, ...] = Field((), max_length=MOST_LAYERS)


class Look(Versioned):
    """A population's signals, lanes, finishes and shapes: the whole material of its elements.

    Without finishes all have the plain one; without shapes all are what the population says.
    """

    signals: tuple[Signal, ...] = Field((), max_length=MOST_SIGNALS)
    lanes: Lanes = Field({})
    finishes: tuple[Finish, ...] = Field((), max_length=MOST_FINISHES)
    shapes: tuple[Shape, ...] = Field((), max_length=MOST_SHAPES)
    picture: ElementPicture | None = Field(None, description="On every element.")
    outputs: tuple[Output, ...] = Field((), max_length=MOST_OUTPUTS)

    @field_validator("signals")
    @classmethod
    def _signal_names(cls, signals: tuple[Signal, ...]) -> tuple[Signal, ...]:
        check_own_names(signals, "signal")
        return signals

    @field_validator("finishes")
    @classmethod
    def _finish_names(cls, finishes: tuple[Finish, ...]) -> tuple[Finish, ...]:
        check_own_names(finishes, "finish")
        return finishes

    @field_validator("outputs")
    @classmethod
    def _output_names(cls, outputs: tuple[Output, ...]) -> tuple[Output, ...]:
        check_own_names(outputs, "output")
        return outputs

    @field_validator("finishes", "shapes")
    @classmethod
    def _weighed(cls, items: tuple[Any, ...], info: ValidationInfo) -> tuple[Any, ...]:
        if items and not any(item.weight > 0 for item in items):
            raise ValueError(f"the weights of the {info.field_name} are all 0. Give one of them a weight")
        return items

    @field_validator("lanes")
    @classmethod
    def _own_fields(cls, lanes: Lanes) -> Lanes:
        for word, lane in lanes.items():
            for name in OWN_FIELDS:
                if name not in CHANNELS[word].lane_fields and getattr(lane, name) != Lane.model_fields[name].default:
                    channels = [c.word for c in CHANNELS.values() if name in c.lane_fields]
                    raise ValueError(f"{name!r} belongs to {' and '.join(channels)}, not to {word}. Remove it there")
            if word == "shape" and lane.choose == "blend":
                raise ValueError("shapes are chosen by share or number; only finishes blend")
        return lanes

    @model_validator(mode="after")
    def _finish_of_shapes(self) -> Self:
        names = [f.name for f in self.finishes]
        for k, shape in enumerate(self.shapes):
            if shape.finish is not None and shape.finish not in names:
                hint = nearest(shape.finish, names)[0]
                raise ValueError(f"shape {k + 1} has the finish {shape.finish!r}, which the look has not. {hint}")
        among = self.lanes["finish"].among if "finish" in self.lanes else None
        for k, name in enumerate(among or ()):
            if name not in names:
                hint = nearest(name, names)[0]
                raise ValueError(f"the finishes blend through {name!r}, which the look has not. {hint}")
            if name in (among or ())[:k]:
                raise ValueError(f"the finishes blend through {name!r} twice. Name each once")
        return self

    @property
    def pictured(self) -> bool:
        """Whether elements show a picture."""
        return self.picture is not None or any(shape.picture for shape in self.shapes)
