"""The steps there are: kinds, and parameters as JSON Schema, from which controls are drawn."""

from __future__ import annotations

from typing import Any

from flask import Blueprint
from pydantic import BaseModel

from ...core.look.steps import REGISTRY
from ...core.population.makers import ScatterMaker
from ..openapi import operation

blueprint = Blueprint("steps", __name__)


class StepDescription(BaseModel):
    """One step."""

    name: str
    takes: list[str]
    gives: str
    summary: str
    help: str
    parameters: dict[str, Any]


class StepList(BaseModel):
    """All steps, and the parameters of the scatter maker."""

    steps: list[StepDescription]
    scatter: dict[str, Any]


_FOLLOWS = {"Follow": "signal", "FollowColour": "colour", "FollowDial": "dial"}


def controls(model: type[BaseModel]) -> dict[str, Any]:
    """The parameters of a model as plain JSON Schema: what each takes when typed, and what it can follow.

    A parameter with branches is given as its typed branch with ``follow`` beside it.
    """
    schema = model.model_json_schema()
    definitions = schema.get("$defs", {})
    if "$ref" in schema:  # a step that holds chains refers to itself
        schema = definitions[schema["$ref"].rpartition("/")[2]]
    found = {}
    for name, given in schema["properties"].items():
        plain = dict(given)
        for branch in plain.pop("anyOf", ()):
            reference = branch.get("$ref", "").rpartition("/")[2]
            if reference in _FOLLOWS:
                plain["follow"] = _FOLLOWS[reference]
            elif "type" not in plain:
                plain.update(branch)
        found[name] = plain
    return {"properties": found}


@operation(blueprint, "/steps", method="get", result=StepList)
def list_steps() -> StepList:
    """All steps."""
    steps = [
        StepDescription(
            name=name, takes=list(step.takes), gives=step.gives, summary=step.summary,
            help=(step.__doc__ or "").strip(), parameters=controls(step),
        )
        for name, step in REGISTRY.items()
    ]  # fmt: skip
    return StepList(steps=steps, scatter=controls(ScatterMaker))
