"""The WSGI server, hardened: who may not come in is told before the body is received, and nobody holds all places."""

from __future__ import annotations

import json
import time
from collections import deque
from typing import Any

from flask import Flask
from waitress.adjustments import Adjustments
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import TcpWSGIServer
from waitress.task import ThreadedTaskDispatcher
from waitress.utilities import Error

from ..core.formats.apart import no_room
from ..core.formats.reader_limits import NO_ROOM
from .app import LARGEST_REQUEST
from .security import Guard, offered_token

#: Connections held at most; above, the oldest one that has not said what it wants gives way.
MOST_CONNECTIONS = 400
#: Seconds in which a connection must have sent the head of a request, and after which an idle one is closed.
HEAD_SECONDS, IDLE_SECONDS = 10, 60
#: Bytes of a body that only a file may exceed: documents are smaller.
LARGEST_DOCUMENT_BODY = 16 * 1024 * 1024
_FILES = ("/api/imports", "/api/uploads", "/api/assets", "/api/palettes/picture", "/api/palettes/file")


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

    def received(self, data: bytes) -> int:
        """Take bytes of the client; where these have no room on the disk the request is complete with a sentence."""
        try:
            taken: int = super().received(data)
        except OSError as error:
            if error.errno not in NO_ROOM:
                raise
            told = no_room()
            self.error, self.completed = _Refused(507, told.code, told.sentence), True
            return len(data)
        return taken

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


class _Lasting(deque[_Channel]):
    """What waits for a thread: requests that may last, and before them all others.

    Of those that may last only so many are given out at a time, so that a thread is left for what takes milliseconds.
    """

    def __init__(self, most: int) -> None:
        super().__init__()
        self._most, self._quick, self.running = most, deque[_Channel](), 0

    def append(self, channel: _Channel) -> None:
        """Let one wait."""
        if lasting(channel):
            super().append(channel)
        else:
            self._quick.append(channel)

    def popleft(self) -> _Channel:
        """The next one."""
        if self._quick:
            return self._quick.popleft()
        self.running += 1
        return super().popleft()

    def __len__(self) -> int:
        """How many may be given out."""
        return len(self._quick) + min(super().__len__(), max(0, self._most - self.running))


def lasting(channel: HTTPChannel) -> bool:
    """Whether the request of a connection may take seconds: those that compute are posted, and none is a scene's."""
    request = channel.requests[0] if channel.requests else None
    path = str(getattr(request, "path", "") or "")
    return getattr(request, "command", "") == "POST" and path.startswith("/api/") and not path.startswith("/api/scenes")


class _Dispatcher(ThreadedTaskDispatcher):
    """Threads that take what is quick first."""

    def __init__(self, threads: int) -> None:
        super().__init__()
        self.queue: _Lasting = _Lasting(max(2, threads // 2))
        self.set_thread_count(threads)

    def handler_thread(self, thread_no: int) -> None:
        """Waitress's own, and one more may begin once one that lasted has ended."""
        while True:
            with self.lock:
                while not self.queue and not self.stop_count:
                    self.active_count -= 1
                    self.queue_cv.wait()
                    self.active_count += 1
                if self.stop_count:
                    self.active_count -= 1
                    self.stop_count -= 1
                    self.threads.discard(thread_no)
                    self.thread_exit_cv.notify()
                    return
                before = self.queue.running
                task = self.queue.popleft()
                lasts = self.queue.running > before
            try:
                task.service()
            except BaseException:
                self.logger.exception("Exception when servicing %r", task)
            if lasts:
                with self.lock:
                    self.queue.running -= 1
                    self.queue_cv.notify()


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
    return Server(app, adj=adj, sockinfo=adj.listen[0], dispatcher=_Dispatcher(adj.threads))
