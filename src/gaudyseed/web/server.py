"""The WSGI server, hardened: who may not come in is told before the body is received, and nobody holds all places."""

from __future__ import annotations

import json
import time
from typing import Any

from flask import Flask
from waitress.adjustments import Adjustments
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import TcpWSGIServer
from waitress.utilities import Error

from .app import LARGEST_REQUEST
from .security import Guard, offered_token

#: Connections held at most; above, the oldest one that has not said what it wants gives way.
MOST_CONNECTIONS = 400
#: Seconds in which a connection must have sent the head of a request, and after which an idle one is closed.
HEAD_SECONDS, IDLE_SECONDS = 10, 60
#: Bytes of a body that only a file may exceed: documents are smaller.
LARGEST_DOCUMENT_BODY = 16 * 1024 * 1024
_FILES = ("/api/imports", "/api/assets", "/api/palettes/picture", "/api/palettes/file")


class _Refused(Error):
    """An answer before the body is there."""

    def __init__(self, status: int, code: str, sentence: str) -> None:
        super().__init__(sentence)
        self.code, self.reason = status, "Refused"
        self._word = code

    def to_response(self, ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        """Status, headers and body, as ``web.errors`` answers."""
        body = json.dumps({"code": self._word, "sentence": self.body, "place": "", "fix": None}).encode()
        return f"{self.code} {self.reason}", [("Content-Type", "application/json")], body


class _Parser(HTTPRequestParser):
    """Asks the guard as soon as the head of a request with a body is there."""

    def __init__(self, adj: Any, address: str) -> None:
        super().__init__(adj)
        self._address = address

    def parse_header(self, header_plus: bytes) -> None:
        """Parse the head; a refused request is complete without its body."""
        super().parse_header(header_plus)
        if not (self.content_length or self.chunked):
            return
        refused = self._refusal()
        if refused is not None:
            self.error = refused
            self.completed = True

    def _refusal(self) -> _Refused | None:
        head = self.headers
        offered = offered_token(self.query or "", head.get("AUTHORIZATION", ""), head.get("COOKIE", ""))
        refused = self.adj.guard.refusal(head.get("HOST", ""), head.get("ORIGIN", ""), offered, self._address)
        if refused is not None:
            return _Refused(refused.status, refused.code, refused.sentence)
        most = LARGEST_REQUEST if (self.path or "").startswith(_FILES) else LARGEST_DOCUMENT_BODY
        if self.content_length > most:
            return _Refused(413, "http_413", f"The request is too large; at most {most >> 20} MB are taken here.")
        return None


class _Channel(HTTPChannel):
    """A connection that knows since when the head of a request is awaited."""

    def __init__(self, *arguments: Any, **more: Any) -> None:
        super().__init__(*arguments, **more)
        self.head_since: float | None = self.creation_time

    def parser_class(self, adj: Any) -> _Parser:
        """A parser that knows the address."""
        return _Parser(adj, str(self.addr[0]) if self.addr else "")

    def received(self, data: bytes) -> bool:
        """Take bytes of the client."""
        taken: bool = super().received(data)
        part = self.request is not None and not self.request.headers_finished
        self.head_since = (self.head_since or time.time()) if part else None
        return taken

    @property
    def idle(self) -> bool:
        """Whether it waits for a head, and no request is under way."""
        return not self.requests and (self.request is None or not self.request.headers_finished)


class Server(TcpWSGIServer):
    """One listening socket. ``run`` serves until it is stopped."""

    channel_class = _Channel

    def maintenance(self, now: float) -> None:
        """Close what is idle, and what has not sent a head in time, however slowly it goes on sending."""
        super().maintenance(now)
        for channel in list(self.active_channels.values()):
            if channel.head_since is not None and now - channel.head_since > HEAD_SECONDS:
                channel.will_close = True

    def handle_accept(self) -> None:
        """Take a connection; where all places are held, the one that has waited longest gives way."""
        waiting = [c for c in self.active_channels.values() if c.idle]
        if len(self.active_channels) >= MOST_CONNECTIONS and waiting:
            min(waiting, key=lambda c: c.last_activity).handle_close()
        super().handle_accept()


def make_server(app: Flask, guard: Guard, host: str, port: int) -> Server:
    """A server bound to that address; OSError where it is taken or is none of this machine's."""
    adj = Adjustments(
        host=host, port=port, threads=8, ident=None, channel_timeout=IDLE_SECONDS, cleanup_interval=2,
        connection_limit=2 * MOST_CONNECTIONS, asyncore_use_poll=True, channel_request_lookahead=1,
        max_request_body_size=LARGEST_REQUEST + 1, expose_tracebacks=False,
    )  # fmt: skip
    adj.guard = guard
    return Server(app, adj=adj, sockinfo=adj.listen[0])
