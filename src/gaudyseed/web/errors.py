"""Errors as JSON: a code, a sentence, and the place in the document."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from flask import Flask, Response, current_app, jsonify
from werkzeug.exceptions import HTTPException

from ..core.errors import BadInput, Fix
from ..core.formats.apart import no_room
from ..core.formats.reader_limits import NO_ROOM
from ..core.runtime.task import Stopped
from ..store import Conflict, Missing, Trouble

UNFORESEEN = "Something unforeseen happened in the server; nothing was changed by it."
_SENTENCES = {
    404: "There is nothing at this address.",
    405: "This address does not take that method.",
    413: "The request is too large; at most 512 MB are taken.",
    415: "This kind of content is not taken here.",
}


@dataclass(frozen=True)
class ReportedError:
    """An error as it is answered."""

    status: int
    code: str
    sentence: str
    place: str = ""
    fix: Fix | None = None
    kinds: Mapping[str, str] = field(default_factory=dict)

    @property
    def document(self) -> dict[str, Any]:
        """The error as plain JSON, without the status."""
        fix = asdict(self.fix) if self.fix else None
        return {
            "code": self.code, "sentence": self.sentence, "place": self.place, "fix": fix, "kinds": dict(self.kinds)
        }  # fmt: skip


def reported(error: Exception) -> ReportedError:
    """What is said of an error; of one that nobody foresaw no more than that."""
    if isinstance(error, BadInput):
        status = 507 if error.code == "no_room_left" else 422
        return ReportedError(status, error.code, error.sentence, error.place, error.fix, error.kinds)
    if isinstance(error, Stopped):
        return ReportedError(409, "overtaken", "A newer request has overtaken this one.")
    if isinstance(error, Conflict):
        return ReportedError(409, "conflict", str(error))
    if isinstance(error, Missing):
        return ReportedError(404, "missing", str(error))
    if isinstance(error, Trouble):
        return ReportedError(503 if error.code == "busy" else 507, f"data_{error.code}", error.sentence)
    if isinstance(error, MemoryError):
        sentence = "There is too little memory for this. Use fewer elements or a smaller file."
        return ReportedError(422, "out_of_memory", sentence)
    if isinstance(error, OSError) and error.errno in NO_ROOM:
        room = no_room()
        return ReportedError(507, room.code, room.sentence, room.place)
    return ReportedError(500, "unforeseen", UNFORESEEN)


def answer(told: ReportedError) -> Response:
    """The response that tells an error."""
    response = jsonify(told.document)
    response.status_code = told.status
    return response


def register_errors(app: Flask) -> None:
    """Turn what the core, the store and the framework raise into answers."""

    @app.errorhandler(Exception)
    def raised(error: Exception) -> Response:
        told = reported(error)
        if told.status == 500:
            current_app.logger.error("unforeseen", exc_info=error)
        return answer(told)

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> Response:
        status = error.code or 400
        sentence = _SENTENCES.get(status, error.description or "The request cannot be taken.")
        return answer(ReportedError(status, f"http_{status}", sentence))
