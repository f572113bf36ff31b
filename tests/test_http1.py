"""HTTP/1.1 on a connection: what comes in whichever pieces, what is refused, and how answers end."""

from __future__ import annotations

import asyncio
import re
import socket
from collections.abc import AsyncIterator, Awaitable
from contextlib import AsyncExitStack, asynccontextmanager, suppress
from types import SimpleNamespace
from typing import Any

import pytest
import uvloop
from hypothesis import given, settings
from hypothesis import strategies as st

from fenland.web.serving.http1 import Deadlines, Exchange
from fenland.web.serving.incoming import UNREAD, Incoming
from fenland.web.serving.listening import Listening

Reader, Writer = asyncio.StreamReader, asyncio.StreamWriter

USUAL = Deadlines(20, 20)
#: Bytes of a body that are wanted at most.
MOST = 100


class Echo:
    """Answers each request with its method, target and body; some later, some in pieces, some never."""

    def __init__(self) -> None:
        self.taken: list[str] = []
        self.broke: list[str] = []
        self.held: list[Exchange] = []

    def begun(self, exchange: Exchange) -> int:
        return 10**6 if exchange.url == b"/large" else MOST

    def take(self, exchange: Exchange) -> None:
        self.taken.append(exchange.url.decode())
        if exchange.url == b"/hold":
            self.held.append(exchange)
        elif exchange.url == b"/later":
            asyncio.get_running_loop().call_later(0.01, self.answer, exchange)
        elif exchange.url in (b"/stream", b"/cut"):
            self.task = asyncio.ensure_future(self._stream(exchange))
        else:
            self.answer(exchange)

    def answer(self, exchange: Exchange) -> None:
        text = f"{exchange.method} {exchange.url.decode()} ".encode() + exchange.body
        if exchange.url == b"/much":
            text *= 10_000
        headers = [("Content-Type", "text/plain")]
        exchange.send(204 if exchange.url == b"/none" else 200, headers, text)

    async def _stream(self, exchange: Exchange) -> None:
        exchange.open_stream(200, [])
        for number in range(3):
            await exchange.write(b"%d" % number)
        if exchange.url == b"/cut":
            exchange.abort()
        else:
            exchange.close_stream()

    def broken(self, exchange: Exchange, by: str) -> None:
        self.broke.append(by)
        if by == "slow":
            exchange.send(408, [], b"slow")

    def unreadable(self, exchange: Exchange, detail: str) -> None:
        exchange.send(400 if detail else 431, [], detail.encode())


@asynccontextmanager
async def listening(most: int = 100, deadlines: Deadlines = USUAL) -> AsyncIterator[tuple[Echo, int, Any]]:
    with socket.create_server(("127.0.0.1", 0)) as server:
        server.setblocking(False)
        echo = Echo()
        found = Listening(server, echo, deadlines, most)
        found.begin(asyncio.get_running_loop())
        yield echo, server.getsockname()[1], found
        for exchange in echo.held:
            echo.answer(exchange)
        await asyncio.wait_for(found.stop(), 10)


@asynccontextmanager
async def opened(port: int) -> AsyncIterator[tuple[Reader, Writer]]:
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    try:
        yield reader, writer
    finally:
        writer.close()
        with suppress(ConnectionError):
            await writer.wait_closed()


def on_loop(work: Awaitable[Any]) -> Any:
    with asyncio.Runner(loop_factory=uvloop.new_event_loop) as runner:
        return runner.run(asyncio.wait_for(work, 60))


async def answer(reader: Reader, method: str = "GET") -> tuple[int, dict[str, str], bytes]:
    """One answer, read as its headers say."""
    head = (await reader.readuntil(b"\r\n\r\n")).decode("latin-1")
    first, *lines = head.strip().split("\r\n")
    status = int(re.fullmatch(r"HTTP/1\.1 (\d{3}) .+", first)[1])  # type: ignore[index]
    if status == 100:
        return status, {}, b""
    headers = dict(line.split(": ", 1) for line in lines)
    assert len(headers) == len(lines)
    assert headers["Date"].endswith("GMT")
    if method == "HEAD" or status == 204:
        return status, headers, b""
    if headers.get("Transfer-Encoding") != "chunked":
        size = headers.get("Content-Length")
        return status, headers, await (reader.read() if size is None else reader.readexactly(int(size)))
    body = b""
    while size := int(await reader.readline(), 16):
        body += await reader.readexactly(size)
        assert await reader.readline() == b"\r\n"
    assert await reader.readline() == b"\r\n"
    return status, headers, body


def head(method: str = "GET", target: str = "/a", *lines: str) -> bytes:
    return "\r\n".join([f"{method} {target} HTTP/1.1", "Host: x", *lines, "", ""]).encode("latin-1")


CHUNKED = head("POST", "/c", "Transfer-Encoding: chunked")
#: Requests that follow each other on one connection, and what each is answered with.
WHOLE: list[tuple[bytes, str, int, bytes]] = [
    (head(), "GET", 200, b"GET /a "),
    (head("HEAD", "/h"), "HEAD", 200, b""),
    (head("PATCH", "/b", "Content-Length: 3") + b"abc", "PATCH", 200, b"PATCH /b abc"),
    (head("POST", "/none", "Content-Length: 1") + b"x", "POST", 204, b""),
    (CHUNKED + b"2\r\nab\r\n3;x=y\r\ncde\r\n0\r\nTrailer: no\r\n\r\n", "POST", 200, b"POST /c abcde"),
    (head("GET", "/later"), "GET", 200, b"GET /later "),
    (head("GET", "/stream"), "GET", 200, b"012"),
    (head("DELETE", "/d?e=%20&f"), "DELETE", 200, b"DELETE /d?e=%20&f "),
    (head("GET", "http://x/whole"), "GET", 200, b"GET http://x/whole "),
    (head("GET", "http://[::1"), "GET", 200, b"GET http://[::1 "),
    (head("OPTIONS", "*"), "OPTIONS", 200, b"OPTIONS * "),
]  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.lists(st.sampled_from(WHOLE), min_size=1, max_size=12), st.data())
def test_requests_in_whichever_pieces_are_answered_in_their_order(sent: list[Any], data: Any) -> None:
    stream = b"".join(one[0] for one in sent)
    cuts = sorted(data.draw(st.lists(st.integers(0, len(stream)), max_size=8)))

    async def work() -> None:
        async with listening() as (_, port, _found), opened(port) as (reader, writer):
            for start, end in zip([0, *cuts], [*cuts, len(stream)], strict=True):
                writer.write(stream[start:end])
                await asyncio.sleep(0.001 if len(cuts) < 4 else 0)
            for _, method, status, body in sent:
                found = await answer(reader, method)
                assert (found[0], found[2]) == (status, body)
                assert "Connection" not in found[1]

    on_loop(work())


#: What is sent, and the statuses that come before the connection ends.
ENDS: dict[str, tuple[bytes, list[int]]] = {
    "no request": (b"hello\r\n\r\n", [400]),
    "no request behind one": (head() + b"\0\0", [200, 400]),
    "two lengths": (head("POST", "/a", "Content-Length: 1", "Content-Length: 2") + b"ab", [400]),
    "a length and pieces": (head("POST", "/a", "Content-Length: 1", "Transfer-Encoding: chunked") + b"0\r\n\r\n", [400]),
    "no length": (head("POST", "/a", "Content-Length: -1"), [400]),
    "pieces of another coding": (head("POST", "/a", "Transfer-Encoding: x"), [400]),
    "bare line ends": (b"GET /a HTTP/1.1\nHost: x\n\n", [400]),
    "a space before the colon": (head("GET", "/a", "If-Match : x"), [400]),
    "a folded header": (head("GET", "/a", "If-Match: x", " y"), [400]),
    "a long head": (head("GET", "/a", *[f"X-{n}: {'x' * 1000}" for n in range(80)]), [431]),
    "one long header": (head("GET", "/a", "X: " + "x" * 200_000), [431]),
    "a long target": (head("GET", "/" + "a" * 200_000), [431]),
    "a long body": (head("POST", "/a", "Content-Length: 5000") + b"x" * 5000, [200]),
    "a long body in pieces": (CHUNKED + b"60\r\n" + b"x" * 96 + b"\r\n60\r\n" + b"x" * 96 + b"\r\n0\r\n\r\n", [200]),
    "asked to close": (head("GET", "/a", "Connection: close") + head(), [200]),
    "of HTTP/1.0": (b"GET /a HTTP/1.0\r\n\r\n", [200]),
    "in pieces to HTTP/1.0": (b"GET /stream HTTP/1.0\r\n\r\n", [200]),
    "another protocol": (head("GET", "/a", "Connection: Upgrade", "Upgrade: h2c") + b"PRI", [200]),
    "another protocol with a body": (head("PATCH", "/b", "Connection: Upgrade", "Upgrade: h2c", "Content-Length: 1") + b"x", [200]),
    "a tunnel": (b"CONNECT a:1 HTTP/1.1\r\nHost: a\r\n\r\n", [200]),
}  # fmt: skip


@pytest.mark.parametrize("what", ENDS)
def test_what_ends_a_connection_is_answered_first(what: str) -> None:
    sent, statuses = ENDS[what]

    async def work() -> None:
        async with listening() as (_, port, _found), opened(port) as (reader, writer):
            writer.write(sent)
            for place, status in enumerate(statuses):
                found = await answer(reader)
                assert found[0] == status
                assert ("Connection" in found[1]) == (place == len(statuses) - 1)
            assert await reader.read() == b""

    on_loop(work())


def test_a_body_that_is_too_long_is_handed_on_with_one_byte_more_than_wanted() -> None:
    async def work() -> None:
        async with listening() as (_, port, _found), opened(port) as (reader, writer):
            # The client goes on sending while it is answered, and still reads the answer.
            writer.write(head("POST", "/a", "Content-Length: 9000000") + b"x" * 3_000_000)
            assert (await answer(reader))[2] == b"POST /a " + b"x" * (MOST + 1)
            writer.write(b"x" * 1000)
            await writer.drain()

    on_loop(work())


def test_who_asks_whether_to_go_on_is_told() -> None:
    async def work() -> None:
        async with listening() as (_, port, _found), opened(port) as (reader, writer):
            writer.write(head("POST", "/a", "Expect: 100-Continue", "Content-Length: 2"))
            assert (await answer(reader))[0] == 100
            writer.write(b"ok" + head())
            assert [(await answer(reader))[2] for _ in range(2)] == [b"POST /a ok", b"GET /a "]

    on_loop(work())


def test_who_asks_it_behind_another_request_is_told_after_that_was_answered() -> None:
    async def work() -> None:
        async with listening() as (echo, port, _found), opened(port) as (reader, writer):
            # The second waits by itself, then behind a third that was read already.
            for between in (b"", head()):
                asking = head("POST", "/a", "Expect: 100-continue", "Content-Length: 2")
                writer.write(head("GET", "/hold") + between + asking)
                await asyncio.sleep(0.1)
                echo.answer(echo.held.pop())
                found = [await answer(reader) for _ in range(3 if between else 2)]
                assert [one[0] for one in found] == [200] * (len(found) - 1) + [100]
                writer.write(b"ok")
                assert (await answer(reader))[2] == b"POST /a ok"

    on_loop(work())


def test_an_answer_that_is_cut_short_does_not_look_whole() -> None:
    async def work() -> None:
        async with listening() as (_, port, _found), opened(port) as (reader, _writer):
            _writer.write(head("GET", "/cut"))
            with pytest.raises((asyncio.IncompleteReadError, ConnectionResetError, ValueError)):
                await answer(reader)

    on_loop(work())


def test_what_waits_behind_an_unanswered_request_is_bounded() -> None:
    async def work() -> None:
        async with listening() as (echo, port, _found), opened(port) as (reader, writer):
            writer.write(head("GET", "/hold") + head() * 20_000)
            await asyncio.sleep(0.2)
            assert echo.taken == ["/hold"]
            behind = len(_found._connections.copy().pop()._behind)
            assert 0 < behind < 500
            echo.answer(echo.held.pop())
            for _ in range(20_001):
                assert (await answer(reader))[0] == 200

    on_loop(work())


def test_who_does_not_read_stops_only_their_own_answers() -> None:
    async def work() -> None:
        async with listening() as (echo, port, _found):
            deaf = socket.create_connection(("127.0.0.1", port))
            deaf.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
            deaf.sendall(head("GET", "/much") * 300)
            async with opened(port) as (reader, writer):
                writer.write(head() * 50)
                for _ in range(50):
                    assert (await answer(reader))[0] == 200
                assert 1 <= echo.taken.count("/much") < 100
                deaf.close()

    on_loop(work())


@pytest.mark.parametrize(
    ("sent", "comes"),
    [(b"", b""), (b"GET /a HT", b""), (head("POST", "/a", "Content-Length: 9") + b"a", b"408")],
)
def test_what_does_not_come_in_time_ends_the_connection(sent: bytes, comes: bytes) -> None:
    async def work() -> None:
        deadlines = Deadlines(0.3, 0.3)
        async with listening(deadlines=deadlines) as (_, port, _found), opened(port) as (reader, writer):
            writer.write(sent)
            assert comes in await reader.read()

    on_loop(work())


def test_a_stop_answers_what_has_begun_and_nothing_else() -> None:
    begun = [b"", b"GET", head("GET", "/hold"), head("POST", "/late", "Content-Length: 1")]

    async def work() -> None:
        async with listening() as (echo, port, found), AsyncExitStack() as stack:
            clients = [await stack.enter_async_context(opened(port)) for _ in begun]
            for (_, writer), sent in zip(clients, begun, strict=True):
                writer.write(sent)
            await asyncio.sleep(0.2)
            stopped = asyncio.ensure_future(found.stop())
            assert [await reader.read() for reader, _ in clients[:2]] == [b"", b""]
            clients[3][1].write(b"x")
            assert (await answer(clients[3][0]))[1]["Connection"] == "close"
            assert not stopped.done()
            echo.answer(echo.held.pop())
            assert (await answer(clients[2][0]))[1]["Connection"] == "close"
            await stopped

    on_loop(work())


def test_only_so_many_connections_are_held_and_others_wait_for_them() -> None:
    async def work() -> None:
        async with listening(most=3) as (_, port, found), AsyncExitStack() as stack:
            clients = [await stack.enter_async_context(opened(port)) for _ in range(6)]
            for _, writer in clients:
                writer.write(head())
            for reader, writer in clients:
                assert len(found._connections) <= 3
                assert (await answer(reader))[0] == 200
                writer.close()

    on_loop(work())


#: Targets, and what of them becomes the path and the query of an environment.
TARGETS = {
    b"/a%20b/%C3%A9?q=%20&r": ("/a b/\xc3\xa9", "q=%20&r"),
    b"/": ("/", ""), b"*": ("/", ""), b"http://x": ("/", ""), b"http://x/y?z": ("/y", "z"), b"http://[::1": ("/", ""),
    b"/under/v1": ("/v1", ""), b"/under": ("/", ""), b"/underneath": ("/underneath", ""), b"x:1": ("/", ""),
}  # fmt: skip


@pytest.mark.parametrize("target", TARGETS)
def test_a_target_becomes_a_path_and_a_query(target: bytes) -> None:
    exchange = Exchange(SimpleNamespace(peer="::1"))  # type: ignore[arg-type]
    exchange.url = target
    exchange.headers = [
        (b"A", b"1"),
        (b"a", b"2"),
        (b"If_Match", b"x"),
        (b"If-Match", b"\xe9"),
        (b"X-Odd", b"\xe9"),
    ]
    environ = Incoming("/under").environ(exchange)
    assert (environ["PATH_INFO"], environ["QUERY_STRING"]) == TARGETS[target]
    # Repeated headers are one list; names that could pass for others, and what cannot be read, are left out.
    assert {name: value for name, value in environ.items() if name.startswith("HTTP_")} == {"HTTP_A": "1,2"}
    assert environ[UNREAD] == "If-Match"


@pytest.mark.parametrize("value", ["a\r\nSet-Cookie: b", "a\nb", "a\rb", "a\0b"])
def test_no_value_becomes_a_header_of_its_own(value: str) -> None:
    class Connection:
        def ends_with(self, _: object) -> bool:
            return False

    exchange = Exchange(Connection())  # type: ignore[arg-type]
    with pytest.raises(ValueError, match="line break"):
        exchange._head(200, [("Location", value)], 0)
