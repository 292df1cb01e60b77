"""Operations with checked bodies, and the OpenAPI 3.1 document made from them.

Bodies are checked by the core's own document parser, so that a wrong look gets
the same sentence from the server as from the command line.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, wraps
from typing import Any

from flask import Blueprint, jsonify, request
from pydantic import BaseModel, Field
from pydantic.json_schema import models_json_schema

from .. import __version__
from ..core.documents.document import parse, parse_json
from ..core.errors import BadInput, Fix


@dataclass(frozen=True)
class _Operation:
    path: str
    method: str
    name: str
    summary: str
    body: type[BaseModel] | None
    result: type[BaseModel] | str
    documents: tuple[type[BaseModel], ...]
    headers: tuple[type[BaseModel], ...]


_operations: list[_Operation] = []

#: Result of an operation that answers with bytes.
BINARY = "application/octet-stream"


class Error(BaseModel):
    """What every refused request gets."""

    code: str
    sentence: str
    place: str
    fix: Fix | None
    kinds: dict[str, str] = Field({}, description="Of a look that cannot run: what the steps before give, by place.")


def operation(
    blueprint: Blueprint,
    rule: str,
    *,
    method: str,
    body: type[BaseModel] | None = None,
    result: type[BaseModel] | str,
    documents: tuple[type[BaseModel], ...] = (),
    headers: tuple[type[BaseModel], ...] = (),
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Register a view. With ``body`` it gets the checked document as ``body``.

    ``documents`` are those that may be answered in place of bytes, ``headers`` those of the messages in the bytes.
    """

    def register(view: Callable[..., Any]) -> Callable[..., Any]:
        said = (view.__doc__ or "").split("\n")[0]
        _operations.append(
            _Operation(f"/api{rule}", method.lower(), view.__name__, said, body, result, documents, headers)
        )

        @wraps(view)
        def run(**path: str) -> Any:
            arguments: dict[str, Any] = dict(path)
            if body is not None:
                if request.mimetype != "application/json":
                    raise BadInput("Send JSON, with the content type application/json.", code="not_json")
                arguments["body"] = parse(body, parse_json(request.get_data(cache=False), ""))
            given = view(**arguments)
            return jsonify(given.model_dump(mode="json")) if isinstance(given, BaseModel) else given

        blueprint.add_url_rule(rule, view.__name__, run, methods=[method.upper()])
        return run

    return register


@cache
def document() -> dict[str, Any]:
    """The OpenAPI document of all registered operations."""
    models: list[type[BaseModel]] = [Error]
    for op in _operations:
        models += [
            m for m in (op.body, op.result, *op.documents, *op.headers) if isinstance(m, type) and m not in models
        ]
    _, schemas = models_json_schema([(m, "serialization") for m in models], ref_template="#/components/schemas/{model}")
    paths: dict[str, dict[str, Any]] = {}
    for op in sorted(_operations, key=lambda o: (o.path, o.method)):
        paths.setdefault(_template(op.path), {})[op.method] = _described(op)
    return {
        "openapi": "3.1.0",
        "info": {"title": "Gaudy Seed", "version": __version__},
        "paths": paths,
        "components": {"schemas": schemas.get("$defs", {})},
    }


def _template(path: str) -> str:
    return path.replace("<", "{").replace(">", "}")


def _content(model: type[BaseModel] | str, headers: tuple[type[BaseModel], ...] = ()) -> dict[str, Any]:
    if isinstance(model, str):
        listed = [f"#/components/schemas/{header.__name__}" for header in headers]
        # OpenAPI has no word for what lies in bytes; words of one's own begin with x-.
        return {model: {"schema": {"type": "string", "format": "binary"}} | ({"x-headers": listed} if listed else {})}
    return {"application/json": {"schema": {"$ref": f"#/components/schemas/{model.__name__}"}}}


def _either(documents: tuple[type[BaseModel], ...]) -> dict[str, Any]:
    """The content of an answer that is one of several documents; none for none."""
    listed = [{"$ref": f"#/components/schemas/{model.__name__}"} for model in documents]
    return {"application/json": {"schema": {"oneOf": listed}}} if listed else {}


def _described(op: _Operation) -> dict[str, Any]:
    names = [part[1:-1] for part in op.path.split("/") if part.startswith("<")]
    found: dict[str, Any] = {
        "operationId": op.name,
        "summary": op.summary,
        "parameters": [{"name": n, "in": "path", "required": True, "schema": {"type": "string"}} for n in names],
        "responses": {
            "200": {"description": "Done", "content": _content(op.result, op.headers) | _either(op.documents)},
            "4XX": {"description": "Refused", "content": _content(Error)},
        },
    }
    if op.body:
        found["requestBody"] = {"required": True, "content": _content(op.body)}
    return found
