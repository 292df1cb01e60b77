"""Who may talk to the server: this machine's own browser, or holders of the token."""

from __future__ import annotations

import hmac
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from http.cookies import CookieError, SimpleCookie
from urllib.parse import parse_qs, urlsplit

from flask import Flask, Response, redirect, request
from werkzeug.wrappers import Response as AnyResponse

from .errors import ReportedError, answer

LOOPBACK = ("localhost", "127.0.0.1", "::1")
_COOKIE = "gaudyseed_token"
_HEADERS = {
    "Content-Security-Policy": "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; "
    "object-src 'none'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


@dataclass(frozen=True)
class Refusal:
    """Why a request is not taken."""

    status: int
    code: str
    sentence: str


class Throttle:
    """Slows guesses: after a few wrong ones each further one doubles the wait of its address, up to a minute."""

    FREE, LONGEST, MOST = 5, 60.0, 1000

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._wrong: OrderedDict[str, tuple[int, float]] = OrderedDict()
        self._lock = threading.Lock()

    def wait(self, address: str) -> float:
        """Seconds until the next guess of an address is looked at; 0 for now."""
        with self._lock:
            times, until = self._wrong.get(address, (0, 0.0))
            return max(0.0, until - self._clock()) if times >= self.FREE else 0.0

    def note(self, address: str, right: bool) -> None:
        """Take note of a guess."""
        with self._lock:
            times, _ = self._wrong.pop(address, (0, 0.0))
            if right:
                return
            longer = min(self.LONGEST, 2.0 ** (times + 1 - self.FREE))
            self._wrong[address] = (times + 1, self._clock() + longer)
            while len(self._wrong) > self.MOST:
                self._wrong.popitem(last=False)


class Guard:
    """Decides from the head of a request alone whether it may come in.

    Refuses foreign host names (DNS rebinding) and foreign origins; with a token, whoever does not have it.
    """

    def __init__(self, token: str | None, hosts: tuple[str, ...] = ()) -> None:
        self.token = token or None
        self._accepted = {*LOOPBACK, *hosts}
        self._throttle = Throttle()

    def refusal(self, host: str, origin: str, offered: str, address: str) -> Refusal | None:
        """Why a request is refused, None for one that may come in; ``offered`` is the token it carries."""
        if self.token is None and _host_of(host) not in self._accepted:
            return Refusal(403, "foreign_host", f"This server does not answer to the name {host[:100]!r}.")
        if origin and _netloc_of(origin) != host:
            return Refusal(403, "foreign_origin", "This request comes from another site.")
        if self.token is None:
            return None
        wait = self._throttle.wait(address) if offered else 0
        if wait:
            return Refusal(429, "too_many_guesses", f"Too many wrong tokens. Wait {wait:.0f} seconds, then try again.")
        right = hmac.compare_digest(offered.encode(errors="replace"), self.token.encode(errors="replace"))
        if offered:
            self._throttle.note(address, right)
        if right:
            return None
        return Refusal(401, "token_wanted", "Open the address with ?token= that the server printed at its start.")


def _host_of(value: str) -> str:
    try:
        return (urlsplit(f"//{value}").hostname or "") if value else ""
    except ValueError:
        return ""


def _netloc_of(origin: str) -> str | None:
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None


def offered_token(query: str, authorization: str, cookies: str) -> str:
    """The token that a request's head carries: in its address, as a bearer or in a cookie; empty for none."""
    try:
        given = parse_qs(query, max_num_fields=32).get("token", [""])[0]
        jar: SimpleCookie = SimpleCookie(cookies)
    except (ValueError, CookieError):
        given, jar = "", SimpleCookie()
    bearer = authorization.removeprefix("Bearer ") if authorization.startswith("Bearer ") else ""
    kept = jar[_COOKIE].value if _COOKIE in jar else ""
    return given or _text(bearer) or _text(kept)


def _text(header: str) -> str:
    """A header's text as UTF-8, where it is that; servers hand on each byte as a character (PEP 3333)."""
    try:
        return header.encode("latin-1").decode()
    except UnicodeError:
        return header


def protect(app: Flask, guard: Guard) -> None:
    """Ask the guard before each request; answer with headers that keep the page to itself."""

    @app.before_request
    def ask() -> AnyResponse | None:
        head = request.headers
        offered = offered_token(
            request.query_string.decode("latin-1"), head.get("Authorization", ""), head.get("Cookie", "")
        )
        refused = guard.refusal(request.host, head.get("Origin", ""), offered, request.remote_addr or "")
        if refused is not None:
            return answer(ReportedError(refused.status, refused.code, refused.sentence))
        if guard.token is not None and "token" in request.args:
            response = redirect(request.path)
            response.set_cookie(_COOKIE, guard.token, httponly=True, samesite="Strict")
            return response
        return None

    @app.after_request
    def headers(response: Response) -> Response:
        for name, value in _HEADERS.items():
            response.headers.setdefault(name, value)
        return response
