"""Who may talk to the server: this machine's own browser, or holders of the token."""

from __future__ import annotations

import hmac
from urllib.parse import urlsplit

from flask import Flask, Response, redirect, request
from werkzeug.wrappers import Response as AnyResponse

from .errors import answer

LOOPBACK = ("localhost", "127.0.0.1", "::1")
_COOKIE = "gaudyseed_token"
_HEADERS = {
    "Content-Security-Policy": "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; "
    "object-src 'none'; base-uri 'none'; frame-ancestors 'none'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


def _host_of(value: str) -> str:
    return (urlsplit(f"//{value}").hostname or "") if value else ""


def protect(app: Flask, token: str | None, hosts: tuple[str, ...]) -> None:
    """Refuse foreign host names (DNS rebinding), foreign origins, and, with a token, those without it."""
    accepted = {*LOOPBACK, *hosts}

    @app.before_request
    def guard() -> AnyResponse | None:
        if token is None and _host_of(request.host) not in accepted:
            return answer(403, "foreign_host", f"This server does not answer to the name {request.host!r}.")
        origin = request.headers.get("Origin")
        if origin and urlsplit(origin).netloc != request.host:
            return answer(403, "foreign_origin", "This request comes from another site.")
        if token is None:
            return None
        given = request.args.get("token", "")
        if given and hmac.compare_digest(given, token):
            response = redirect(request.path)
            response.set_cookie(_COOKIE, token, httponly=True, samesite="Strict")
            return response
        bearer = request.headers.get("Authorization", "").removeprefix("Bearer ")
        known = bearer or request.cookies.get(_COOKIE, "")
        if not hmac.compare_digest(known.encode(), token.encode()):
            return answer(401, "token_wanted", "Open the address with ?token= that the server printed at its start.")
        return None

    @app.after_request
    def headers(response: Response) -> Response:
        for name, value in _HEADERS.items():
            response.headers.setdefault(name, value)
        return response
