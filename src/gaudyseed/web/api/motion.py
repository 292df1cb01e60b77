"""Which frames of a scene's motion are there, and what the others cost."""

from __future__ import annotations

from flask import Blueprint
from pydantic import BaseModel, Field

from ...core.documents.document import Document
from ...core.scene.model import Scene
from ...core.scene.motion import motion_of
from ..openapi import operation
from ..services import services

blueprint = Blueprint("motion", __name__)


class MotionRequest(Document):
    """A scene whose motion is asked about."""

    scene: Scene


class MotionAnswer(BaseModel):
    """What is kept of a scene's motion."""

    frames: list[bool] = Field(description="For each frame of the timeline whether it is kept; none without motion.")
    births: list[float] = Field(description="How many are born on the average in each frame.")
    trouble: str = Field(description="Why frames are not kept on the disk, in a sentence; empty where they are.")
    missing: int = Field(description="States that are still to be worked out.")
    size: int = Field(description="Bytes that these take on the disk, about.")


@operation(blueprint, "/motion", method="post", body=MotionRequest, result=MotionAnswer)
def ask_motion(body: MotionRequest) -> MotionAnswer:
    """Which frames are kept; nothing is worked out."""
    shared = services()
    found = motion_of(shared.run(body.scene), shared.states)
    return MotionAnswer(
        frames=list(found.frames),
        births=list(found.births),
        trouble=shared.states.trouble if shared.states else "",
        missing=found.missing,
        size=found.size,
    )
