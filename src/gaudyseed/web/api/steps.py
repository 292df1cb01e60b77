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


@operation(blueprint, "/steps", method="get", result=StepList)
def list_steps() -> StepList:
    """All steps."""
    steps = [
        StepDescription(
            name=name, takes=list(step.takes), gives=step.gives, summary=step.summary,
            help=(step.__doc__ or "").strip(), parameters=step.model_json_schema(),
        )
        for name, step in REGISTRY.items()
    ]  # fmt: skip
    return StepList(steps=steps, scatter=ScatterMaker.model_json_schema())
