"""Errors as JSON: a code, a sentence, and the place in the document."""

from __future__ import annotations

from dataclasses import asdict

from flask import Flask, Response, current_app, jsonify
from werkzeug.exceptions import HTTPException

from ..core.errors import BadInput, Fix, Overtaken
from ..core.formats.apart import no_room
from ..core.formats.reader_limits import NO_ROOM
from ..store import Conflict, Missing, Trouble

UNFORESEEN = "Something unforeseen happened in the server; nothing was changed by it."
_SENTENCES = {
    404: "There is nothing at this address.",
    405: "This address does not take that method.",
    413: "The request is too large; at most 512 MB are taken.",
    415: "This kind of content is not taken here.",
}


def answer(status: int, code: str, sentence: str, place: str = "", fix: Fix | None = None) -> Response:
    """One error."""
    response = jsonify({"code": code, "sentence": sentence, "place": place, "fix": asdict(fix) if fix else None})
    response.status_code = status
    return response


def register_errors(app: Flask) -> None:
    """Turn what the core, the store and the framework raise into answers."""

    @app.errorhandler(BadInput)
    def bad_input(error: BadInput) -> Response:
        status = 507 if error.code == "no_room_left" else 422
        return answer(status, error.code, error.sentence, error.place, error.fix)

    @app.errorhandler(Overtaken)
    def overtaken(error: Overtaken) -> Response:
        return answer(409, "overtaken", "A newer request has overtaken this one.")

    @app.errorhandler(Conflict)
    def conflict(error: Conflict) -> Response:
        return answer(409, "conflict", str(error))

    @app.errorhandler(Missing)
    def missing(error: Missing) -> Response:
        return answer(404, "missing", str(error))

    @app.errorhandler(Trouble)
    def trouble(error: Trouble) -> Response:
        return answer(503 if error.code == "busy" else 507, f"data_{error.code}", error.sentence)

    @app.errorhandler(OSError)
    def full(error: OSError) -> Response:
        if error.errno not in NO_ROOM:
            return unforeseen(error)
        told = no_room()
        return answer(507, told.code, told.sentence, told.place)

    @app.errorhandler(MemoryError)
    def memory(error: MemoryError) -> Response:
        return answer(
            422, "out_of_memory", "There is too little memory for this. Use fewer elements or a smaller file."
        )

    @app.errorhandler(Exception)
    def unforeseen(error: Exception) -> Response:
        current_app.logger.error("unforeseen", exc_info=error)
        return answer(500, "unforeseen", UNFORESEEN)

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> Response:
        status = error.code or 400
        sentence = _SENTENCES.get(status, error.description or "The request cannot be taken.")
        return answer(status, f"http_{status}", sentence)
