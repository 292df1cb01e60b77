"""The application factory."""

from __future__ import annotations

from pathlib import Path

from flask import Flask, Response, send_from_directory

from ..core.library import beginnings
from ..store import Store
from . import security
from .api import BLUEPRINTS
from .errors import register_errors
from .openapi import document
from .workshop import Workshop

STATIC = Path(__file__).parent / "static"
LARGEST_REQUEST = 520 * 1024 * 1024


def create_app(store: Store, *, token: str | None = None, hosts: tuple[str, ...] = ()) -> Flask:
    """The application over an open, migrated store.

    Parameters
    ----------
    token
        Wanted from every client where the server can be reached beyond loopback.
    hosts
        Host names that are accepted besides the loopback ones.
    """
    app = Flask("gaudyseed", static_folder=None)
    app.config.update(MAX_CONTENT_LENGTH=LARGEST_REQUEST, MAX_FORM_PARTS=16)
    app.json.sort_keys = False  # type: ignore[attr-defined]
    store.begin_library(beginnings())
    app.extensions["workshop"] = Workshop(store)
    register_errors(app)
    security.protect(app, token, hosts)
    for blueprint in BLUEPRINTS:
        app.register_blueprint(blueprint, url_prefix="/api")

    @app.get("/api/openapi.json")
    def openapi() -> dict[str, object]:
        return document()

    @app.get("/")
    @app.get("/<path:name>")
    def page(name: str = "index.html") -> Response:
        response = send_from_directory(STATIC, name)
        hashed = name.startswith("assets/")
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable" if hashed else "no-cache"
        return response

    return app
