"""The application factory."""

from __future__ import annotations

from pathlib import Path

from flask import Flask, Response, send_from_directory

from ..core.library import beginnings
from ..core.scene.timecache import LIMIT
from ..store import Store
from .api import BLUEPRINTS
from .errors import register_errors
from .openapi import document
from .security import Guard, protect
from .services import Services

STATIC = Path(__file__).parent / "static"
LARGEST_REQUEST = 520 * 1024 * 1024


def create_app(store: Store, guard: Guard | None = None, disk: int = LIMIT) -> Flask:
    """The application over an open, migrated store; ``guard`` says who may come in (None: this machine's browser).

    ``disk`` is how many bytes of frames are kept beside the data file.
    """
    app = Flask("gaudyseed", static_folder=None)
    app.config.update(MAX_CONTENT_LENGTH=LARGEST_REQUEST, MAX_FORM_PARTS=16)
    app.json.sort_keys = False  # type: ignore[attr-defined]
    store.begin_library(beginnings())
    app.extensions["services"] = Services(store, disk)
    register_errors(app)
    protect(app, guard or Guard(None))
    for blueprint in BLUEPRINTS:
        app.register_blueprint(blueprint, url_prefix="/api")

    @app.get("/api/openapi.json")
    def openapi() -> dict[str, object]:
        return document()

    @app.get("/")
    @app.get("/scene/<scene>")
    @app.get("/scene/<scene>/<room>")
    def scene_page(**_where: str) -> Response:
        # The page reads its address itself.
        return page("index.html")

    @app.get("/<path:name>")
    def page(name: str) -> Response:
        response = send_from_directory(STATIC, name)
        hashed = name.startswith("assets/")
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable" if hashed else "no-cache"
        return response

    return app
