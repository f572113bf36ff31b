"""HTTP/1.1 on one connection (RFC 9112): requests in, answers out. It knows no app, and no threads.

httptools parses what comes; what it says becomes an `Exchange`, a request with what answers it, which is
handed to whoever takes exchanges. One is answered at a time on a connection: others that were sent behind it
wait, and meanwhile nothing more is read. All of this runs on the loop (docs/decisions/001-server.md).
"""

from __future__ import annotations

import asyncio
import math
import time
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from email.utils import formatdate
from functools import lru_cache
from http import HTTPStatus
from typing import Any, Protocol

import httptools

#: Bytes that are parsed at a time: what a client sends behind an unanswered request is bounded by this.
_PIECE = 8_192
#: Bytes of a request's head, more of which are refused.
_LONGEST_HEAD = 65_536
#: Bytes of an answer that are put into one piece with its head.
_TOGETHER = 16_384
#: Seconds in which a client whose body was too long may take the answer, before the connection ends.
_LINGER = 3.0

Headers = Iterable[tuple[str, str]]


class Taking(Protocol):
    """Whoever takes exchanges."""

    def begun(self, exchange: Exchange) -> int:
        """Called when the head of a request is here: how many bytes of its body are wanted at most."""

    def take(self, exchange: Exchange) -> None:
        """Called when all of it is here, or as much of the body as is wanted, and a byte more."""

    def broken(self, exchange: Exchange, by: str) -> None:
        """Called when a body will not come: it was `slow`, or the client is `gone`."""

    def unreadable(self, exchange: Exchange, detail: str) -> None:
        """Called for what is no request, or has too long a head: `detail` says why."""


@dataclass(frozen=True, slots=True)
class Deadlines:
    """Seconds for the head of a request, or between requests; and for a body."""

    head: float
    body: float


class Exchange:
    """A request, and what answers it: `send`, or `open_stream`, `write` and `close_stream`.

    Used on the loop alone, but for `gone`.
    """

    __slots__ = (
        "_connection",
        "_stream_chunked",
        "body",
        "environ",
        "headers",
        "keep",
        "left",
        "method",
        "old",
        "sent",
        "url",
    )

    def __init__(self, connection: Connection) -> None:
        self._connection = connection
        self.method, self.url, self.headers = "", b"", list[tuple[bytes, bytes]]()
        self.body = b""
        #: What whoever takes it makes of it.
        self.environ: dict[str, Any] = {}
        #: Whether the connection lasts, and whether it is of HTTP/1.0.
        self.keep, self.old = True, False
        #: Whether its answer has begun.
        self.sent = False
        #: Called once, when the client is gone before it was answered.
        self.left: Callable[[], None] | None = None

    @property
    def peer(self) -> str:
        """The address of the client."""
        return self._connection.peer

    def gone(self) -> bool:
        """Whether nobody is there to be answered; may be asked by any thread."""
        return self._connection.gone

    def send(self, status: int, headers: Headers, content: bytes) -> None:
        """Answers it."""
        if self.gone() or self.sent:
            return
        bare = self.method == "HEAD" or status in (204, 304)
        head = self._head(status, headers, None if bare else len(content))
        self._connection.write(head, b"" if bare else content)
        self._connection.answered(self)

    def open_stream(self, status: int, headers: Headers) -> None:
        """Begins an answer whose length is not known yet. Not for a HEAD."""
        self._stream_chunked = not self.old
        if self.old:
            self.keep = False
            head = self._head(status, headers, None)
        else:
            head = self._head(status, [*headers, ("Transfer-Encoding", "chunked")], None)
        self._connection.write(head, b"")

    async def write(self, piece: bytes) -> None:
        """Sends a piece of it, once the client has taken what was sent before. Raises `ConnectionError`."""
        if piece:
            framed = b"%x\r\n%b\r\n" % (len(piece), piece) if self._stream_chunked else piece
            self._connection.write(framed, b"")
        await self._connection.taken()

    def push(self, piece: bytes) -> int:
        """Sends a piece of it at once; how many bytes wait for the client to take them."""
        framed = b"%x\r\n%b\r\n" % (len(piece), piece) if self._stream_chunked else piece
        self._connection.write(framed, b"")
        return self._connection.unsent

    def close_stream(self) -> None:
        """Ends the answer properly."""
        if not self.gone():
            if self._stream_chunked:
                self._connection.write(b"0\r\n\r\n", b"")
            self._connection.answered(self)

    def abort(self) -> None:
        """Ends the connection at once, so that nobody takes what was sent for the whole."""
        self._connection.abort()

    def _head(self, status: int, headers: Headers, length: int | None) -> bytes:
        self.sent = True
        lines = [_status_line(status), _date(int(time.time()))]
        for name, value in headers:
            if name == "Content-Length":
                length = None
            lines.append(f"{name}: {value}\r\n")
        if length is not None:
            lines.append(f"Content-Length: {length}\r\n")
        if self._connection.ends_with(self):
            lines.append("Connection: close\r\n")
        lines.append("\r\n")
        text = "".join(lines)
        if not text.count("\n") == text.count("\r") == len(lines) or "\0" in text:
            # Somebody's value would begin a header, or an answer, of its own.
            raise ValueError("A header of an answer holds a line break.")
        return text.encode("latin-1")


@lru_cache(maxsize=64)
def _status_line(status: int) -> str:
    return f"HTTP/1.1 {status} {HTTPStatus(status).phrase}\r\n"


@lru_cache(maxsize=2)
def _date(second: int) -> str:
    """The time of an answer (RFC 9110 section 6.6.1)."""
    return f"Date: {formatdate(second, usegmt=True)}\r\n"


class Connection(asyncio.Protocol):
    """One connection. httptools tells what it finds by the methods whose names begin with `on_`."""

    def __init__(self, taking: Taking, deadlines: Deadlines, ended: Callable[[Connection], None]) -> None:
        """`ended` is called when it has ended, whoever did that."""
        self._taking, self._deadlines, self._ended = taking, deadlines, ended
        self.gone = False
        self.peer = ""
        #: Until when something must come.
        self.until = math.inf
        self._parser = httptools.HttpRequestParser(self)
        #: The request that is being read; in its body, how many bytes of that are wanted, and are here.
        self._reading: Exchange | None = None
        self._in_body = False
        self._most, self._size, self._pieces = 0, 0, list[bytes]()
        self._head_size, self._expected = 0, False
        #: The request that is being answered, those behind it, and what came and was not parsed yet.
        self._answering: Exchange | None = None
        self._behind: deque[Exchange] = deque()
        self._unparsed = b""
        #: Nothing more is read; all that is left is to be answered.
        self._deaf = self._stopping = self._paused = False
        self._full = False
        self._room: asyncio.Future[None] | None = None

    # --- the connection -----------------------------------------------------------------------------

    def connection_made(self, transport: Any) -> None:
        """See `asyncio.Protocol`."""
        self._transport: asyncio.Transport = transport
        self._loop = asyncio.get_running_loop()
        peer = transport.get_extra_info("peername")
        self.peer = str(peer[0]) if peer else ""
        self.until = self._loop.time() + self._deadlines.head

    def connection_lost(self, _error: Exception | None) -> None:
        """See `asyncio.Protocol`."""
        self.gone = True
        if self._room is not None and not self._room.done():
            self._room.set_exception(ConnectionResetError("The client has gone."))
        reading, answering = self._reading, self._answering
        self._reading = self._answering = None
        self._behind.clear()
        if reading is not None and self._in_body and not reading.sent:
            self._taking.broken(reading, "gone")
        if answering is not None and answering.left is not None:
            answering.left()
        self._ended(self)
        # It knows this, and this it: whoever looks for such circles seldom comes by.
        del self._parser

    def pause_writing(self) -> None:
        """See `asyncio.Protocol`: the client is slow to take what is sent."""
        self._full = True

    def resume_writing(self) -> None:
        """See `asyncio.Protocol`."""
        self._full = False
        if self._room is not None and not self._room.done():
            self._room.set_result(None)
        if self._answering is None:
            self._loop.call_soon(self._go_on)

    async def taken(self) -> None:
        """Waits until the client has taken most of what was sent. Raises `ConnectionError`."""
        if self.gone:
            raise ConnectionResetError("The client has gone.")
        if self._full:
            self._room = self._loop.create_future()
            await self._room

    def write(self, head: bytes, content: bytes) -> None:
        """Sends bytes."""
        if self.gone:
            return
        if len(content) <= _TOGETHER:
            self._transport.write(head + content)
        else:
            self._transport.write(head)
            self._transport.write(content)

    @property
    def unsent(self) -> int:
        """How many bytes wait for the client to take them."""
        return 0 if self.gone else self._transport.get_write_buffer_size()

    def abort(self) -> None:
        """Ends it at once."""
        self._transport.abort()

    def stop(self) -> None:
        """Ends it once what has begun is answered."""
        self._stopping = True
        if self._answering is None and not self._behind and not self._in_body:
            self._transport.close()

    def look(self, now: float) -> None:
        """To be called now and then: ends what takes too long to come."""
        if now <= self.until or self._answering is not None:
            return
        self.until = math.inf
        if self._deaf:
            self._transport.abort()
        elif self._in_body and self._reading is not None:
            exchange, self._reading, self._in_body = self._reading, None, False
            self._answering, self._deaf = exchange, True
            self._taking.broken(exchange, "slow")
        else:
            self._transport.close()

    def ends_with(self, exchange: Exchange) -> bool:
        """Whether the connection ends with this answer."""
        if self._behind:
            return False
        return not exchange.keep or self._deaf or (self._stopping and not self._in_body)

    # --- what comes ---------------------------------------------------------------------------------

    def data_received(self, data: bytes) -> None:
        """See `asyncio.Protocol`."""
        if self._deaf:
            return
        if self._unparsed:
            data, self._unparsed = self._unparsed + data, b""
        if len(data) <= _PIECE:
            self._parse(data)
            return
        place = 0
        while place < len(data) and not self._deaf:
            if self._behind:
                # Those that wait are enough.
                self._unparsed = data[place:]
                return
            self._parse(data[place : place + _PIECE])
            place += _PIECE

    def _parse(self, data: bytes) -> None:
        try:
            self._parser.feed_data(data)
        except httptools.HttpParserUpgrade:
            # Nobody need accept one (RFC 9110 section 7.8).
            self._deaf = True
        except httptools.HttpParserCallbackError as error:
            # A fault of ours, not of what was sent.
            raise error.__context__ or error from None
        except httptools.HttpParserError as error:
            self._refuse(f"What was sent is no request of HTTP/1.1: {error}.")
            return
        if self._reading is not None and not self._in_body:
            self._head_size += len(data)
            if self._head_size > _LONGEST_HEAD:
                self._refuse("")

    def _refuse(self, detail: str) -> None:
        """Refuses what is no request, or, without a detail, one whose head is too long."""
        self._deaf, self._reading, self._in_body = True, None, False
        if self._answering is not None or self._behind or self.gone:
            # What came before it is answered, and then the connection ends.
            return
        exchange = self._answering = Exchange(self)
        self._taking.unreadable(exchange, detail)

    # --- what the parser finds ----------------------------------------------------------------------

    def on_message_begin(self) -> None:
        """A request begins."""
        self._reading = Exchange(self)
        self._head_size, self._expected = 0, False

    def on_url(self, url: bytes) -> None:
        """A piece of its target."""
        if self._reading is not None:
            self._reading.url += url

    def on_header(self, name: bytes, value: bytes) -> None:
        """A header; what follows a body in pieces is none."""
        if self._reading is not None and not self._in_body:
            self._reading.headers.append((name, value))
            if len(name) == 6 and name.lower() == b"expect":
                self._expected = value.lower() == b"100-continue"

    def on_headers_complete(self) -> None:
        """Its head is here."""
        if (exchange := self._reading) is None or self._deaf:
            return
        parser = self._parser
        exchange.method = parser.get_method().decode("ascii")
        exchange.old = parser.get_http_version() != "1.1"
        # What follows a wish for another protocol may be in that.
        exchange.keep = not exchange.old and parser.should_keep_alive() and not parser.should_upgrade()
        self._in_body, self._size = True, 0
        self._most = self._taking.begun(exchange)
        self.until = self._loop.time() + self._deadlines.body
        self._expected = self._expected and not exchange.old
        if self._answering is None and not self._behind:
            self._ask_on()

    def _ask_on(self) -> None:
        """Tells who waits for it that the body may come (RFC 9110 section 10.1.1), once it is their turn."""
        if self._in_body and self._expected:
            self._expected = False
            self._transport.write(b"HTTP/1.1 100 Continue\r\n\r\n")

    def on_body(self, piece: bytes) -> None:
        """A piece of its body."""
        if self._deaf:
            return
        self._pieces.append(piece)
        self._size += len(piece)
        if self._size > self._most:
            self._deaf = True
            self._whole()

    def on_message_complete(self) -> None:
        """All of it is here."""
        if not self._deaf:
            self._whole()

    def _whole(self) -> None:
        if (exchange := self._reading) is None:
            return
        pieces = self._pieces
        exchange.body = pieces[0] if len(pieces) == 1 else b"".join(pieces)
        if self._deaf:
            exchange.body = exchange.body[: self._most + 1]
        if pieces:
            self._pieces = []
        self._reading, self._in_body = None, False
        self.until = math.inf
        if self._answering is not None or self._full:
            self._behind.append(exchange)
            self._paused = True
            self._transport.pause_reading()
        else:
            self._answering = exchange
            self._taking.take(exchange)

    # --- one answer after the other -----------------------------------------------------------------

    def answered(self, exchange: Exchange) -> None:
        """An answer was sent."""
        if exchange is not self._answering:
            return
        ends, self._answering = self.ends_with(exchange), None
        if ends:
            self._end()
        elif self._paused:
            self._loop.call_soon(self._go_on)
        elif self._in_body:
            self._ask_on()
        else:
            self.until = self._loop.time() + self._deadlines.head

    def _end(self) -> None:
        if self._deaf and not self._stopping:
            # Whoever is still sending would lose the answer with the connection if it ended now.
            self.until = self._loop.time() + _LINGER
            if self._transport.can_write_eof():
                self._transport.write_eof()
        else:
            self._deaf = True
            self._transport.close()

    def _go_on(self) -> None:
        """Answers the next request, or reads on."""
        if self.gone or self._full or self._answering is not None:
            return
        if self._behind:
            self._answering = self._behind.popleft()
            self._taking.take(self._answering)
            return
        if self._paused and not self._deaf:
            self._paused = False
            if self._in_body:
                self._ask_on()
            else:
                self.until = self._loop.time() + self._deadlines.head
            self._transport.resume_reading()
            if self._unparsed:
                self.data_received(b"")
