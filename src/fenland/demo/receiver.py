"""A stand-in for another system that notices are sent to, for the demo and for tests.

It keeps what comes, and can be told to refuse, to stall, or to answer what nobody should. It is for trying
things out alone.
"""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Callable, Mapping
from decimal import Decimal
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from itertools import count
from typing import Any, NamedTuple

#: Says who signed a body, as `fenland.client.verified` does: the id of the notice, or why not, by raising.
Judge = Callable[[Mapping[str, str], bytes], str]
#: Bytes of a body that are read, and of an answer that never ends.
_MOST_READ, _ENDLESS = 20_000_000, 50_000_000
ODD = ("redirect", "garbage", "endless", "hang up", "slow")


class Received(NamedTuple):
    """What came: its id, or why it is not believed; the event; and what it was answered."""

    id: str
    why: str
    event: Mapping[str, Any]
    answered: str


class Behaviour(NamedTuple):
    """How it answers: the first ones with 503, all after so many seconds, with a status, or oddly in turn."""

    fail: int = 0
    stall: float = 0.0
    status: int = 200
    odd: bool = False


_USUAL = Behaviour()


class ReceiverServer(ThreadingHTTPServer):
    """Takes notices on loopback; `judge` says whether one is to be believed."""

    daemon_threads = True

    def __init__(
        self,
        judge: Judge,
        port: int = 0,
        behaviour: Behaviour = _USUAL,
        heard: Callable[[Received], None] = lambda _received: None,
    ) -> None:
        super().__init__(("127.0.0.1", port), _Handler)
        self.address = f"http://127.0.0.1:{self.server_address[1]}"
        self.judge, self.behaviour, self.heard = judge, behaviour, heard
        #: What came, in the order in which it came.
        self.received: list[Received] = []
        self.lock = threading.Lock()
        self.numbers = count()

    def handle_error(self, *_about: Any) -> None:
        """Whoever hung up has hung up: what they sent is sent again."""

    def take(self, headers: Mapping[str, str], body: bytes, answered: str) -> Received:
        """Keeps what came."""
        try:
            found, why = self.judge(headers, body), ""
        except Exception as error:
            found, why = "", str(error)
        try:
            event = json.loads(body, parse_float=Decimal)
        except ValueError:
            event = {}
        received = Received(found, why, event, answered)
        with self.lock:
            self.received.append(received)
        self.heard(received)
        return received

    @property
    def taken(self) -> list[Received]:
        """Those that were believed, and answered as taken."""
        with self.lock:
            return [one for one in self.received if not one.why and one.answered == "200"]


class _Handler(BaseHTTPRequestHandler):
    server: ReceiverServer
    protocol_version = "HTTP/1.1"
    timeout = 60

    def do_POST(self) -> None:
        body = self.rfile.read(min(int(self.headers.get("Content-Length") or 0), _MOST_READ))
        behaviour, number = self.server.behaviour, next(self.server.numbers)
        time.sleep(behaviour.stall)
        if behaviour.odd and number % (len(ODD) + 1) < len(ODD):
            odd = ODD[number % (len(ODD) + 1)]
            self.server.take(dict(self.headers), body, odd)
            self._oddly(odd)
            return
        status = 503 if number < behaviour.fail else behaviour.status
        received = self.server.take(dict(self.headers), body, str(status))
        # Who is not believed is told so, as a receiver should.
        self._answer(401 if received.why else status, b"taken" if status < 300 else b"not now")

    def _answer(self, status: int, body: bytes, **headers: str) -> None:
        self.send_response(status)
        for name, value in {"Content-Type": "text/plain", **headers}.items():
            self.send_header(name, value)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def _oddly(self, odd: str) -> None:
        self.close_connection = True
        if odd == "redirect":
            self._answer(302, b"", Location="http://127.0.0.1:1/elsewhere")
        elif odd == "garbage":
            self.wfile.write(b"\x00\xffnot HTTP at all\r\n\r\n")
        elif odd == "endless":
            self.send_response(500)
            self.end_headers()
            try:
                for _ in range(_ENDLESS // 65_536):
                    self.wfile.write(b"x" * 65_536)
            except OSError:
                return
        elif odd == "slow":
            self.send_response(500)
            self.end_headers()
            try:
                for _ in range(600):
                    self.wfile.write(b".")
                    time.sleep(0.1)
            except OSError:
                return

    def log_message(self, *_said: Any) -> None:
        """Says nothing: who runs it is told by `heard`."""
