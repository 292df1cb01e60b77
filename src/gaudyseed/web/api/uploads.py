"""Files that are sent once, to be looked at and imported."""

from __future__ import annotations

from flask import Blueprint, request
from pydantic import BaseModel, Field

from ..openapi import operation
from ..services import services

blueprint = Blueprint("uploads", __name__)


class UploadAnswer(BaseModel):
    """Under what word an uploaded file is asked for."""

    upload: str = Field(description="What it is called in requests.")
    name: str
    size: int


@operation(blueprint, "/uploads", method="post", result=UploadAnswer)
def upload() -> UploadAnswer:
    """Keep a file (the request's body, with its name in ``?name=``) until it is thrown away or room is wanted."""
    kept = services().uploads.add(request.stream, request.args.get("name", ""))
    return UploadAnswer(upload=kept.id, name=kept.name, size=kept.size)


@operation(blueprint, "/uploads/<upload>/discard", method="post", result=UploadAnswer)
def discard_upload(upload: str) -> UploadAnswer:
    """Throw a file away."""
    services().uploads.discard(upload[:64])
    return UploadAnswer(upload=upload, name="", size=0)
