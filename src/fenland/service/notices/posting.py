"""Posting: one request to another system, which may be anywhere and may answer anything.

Its address is looked up once and judged, and the connection is made to just that address: what a name means a
moment later does not count. Redirects are not followed, and neither the time nor what is read of the answer
is without end.
"""

from __future__ import annotations

import asyncio
import socket
import ssl
import time
from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

import httpcore
import httpx

import fenland
from fenland.service.outward import Outward

#: Bytes of an answer that are read and kept; connections held open, and for how many seconds.
_MOST_READ, _CONNECTIONS, _KEPT_OPEN = 1_000, 256, 20.0
#: The longest pause that a receiver may ask for, in seconds.
_LONGEST_PAUSE = 6 * 3600


class Answer(NamedTuple):
    """What came of it: a status and the first of the answer, or why there is none. `pause` is what it asks
    for.
    """

    milliseconds: int
    status: int | None = None
    why: str = ""
    text: str = ""
    pause: float = 0.0

    @property
    def taken(self) -> bool:
        """Whether the receiver has taken it."""
        return self.status is not None and 200 <= self.status < 300


class _NotAllowed(Exception):
    """The address is of a network that nothing may be sent to."""


class _Guarded(httpcore.AsyncNetworkBackend):
    """Connects to addresses that were looked up here and may be sent to, and to no others."""

    def __init__(self, outward: Outward) -> None:
        self._outward, self._below = outward, httpcore.AnyIOBackend()

    async def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore.AsyncNetworkStream:
        loop = asyncio.get_running_loop()
        found = await loop.getaddrinfo(host, port, type=socket.SOCK_STREAM)
        addresses = list(dict.fromkeys(str(one[4][0]) for one in found))
        allowed = [one for one in addresses if self._outward.allows(one)]
        if not allowed:
            raise _NotAllowed
        failed: Exception | None = None
        for address in allowed:
            try:
                return await self._below.connect_tcp(address, port, timeout, local_address, socket_options)
            except (httpcore.ConnectError, httpcore.ConnectTimeout) as error:
                failed = error
        raise failed or httpcore.ConnectError("no address")

    async def sleep(self, seconds: float) -> None:
        await asyncio.sleep(seconds)


class Poster:
    """Sends notices. Used within one event loop."""

    def __init__(self, outward: Outward) -> None:
        self._timeout = outward.timeout
        self._pool = httpcore.AsyncConnectionPool(
            ssl_context=httpx.create_ssl_context(),
            max_connections=_CONNECTIONS,
            keepalive_expiry=_KEPT_OPEN,
            network_backend=_Guarded(outward),
        )

    async def close(self) -> None:
        """Closes all connections."""
        await self._pool.aclose()

    async def post(self, url: str, headers: Mapping[str, str], body: bytes) -> Answer:
        """Sends a body, and gives what came of it, whatever that is."""
        begun = time.monotonic()

        def answer(**parts: Any) -> Answer:
            return Answer(int((time.monotonic() - begun) * 1000), **parts)

        about = {"user-agent": f"Fenland/{fenland.__version__}", "accept-encoding": "identity"}
        try:
            async with asyncio.timeout(self._timeout):
                return answer(**await self._sent(url, {**about, **headers}, body))
        except TimeoutError:
            return answer(why=f"It did not answer within {self._timeout:g} seconds.")
        except (_NotAllowed, socket.gaierror, UnicodeError):
            # Told apart, names that are known here alone could be found out.
            return answer(
                why="Its name leads to no public address (nor to one of the setting notice_networks)."
            )
        except ssl.SSLError as error:
            return answer(why=f"Its certificate does not hold: {error.reason or error}.")
        except (OSError, httpcore.NetworkError, httpcore.ProtocolError, httpcore.TimeoutException) as error:
            return answer(why=f"It could not be sent: {_line(str(error)) or type(error).__name__}.")

    async def _sent(self, url: str, headers: Mapping[str, str], body: bytes) -> dict[str, Any]:
        pairs = [(name.encode(), value.encode()) for name, value in headers.items()]
        async with self._pool.stream("POST", url, headers=pairs, content=body) as response:
            read = b""
            async for piece in response.aiter_stream():
                read += piece
                if len(read) >= _MOST_READ:
                    # The connection is closed with what is left of it.
                    break
        pause = next((value for name, value in response.headers if name.lower() == b"retry-after"), b"")
        seconds = min(int(pause), _LONGEST_PAUSE) if pause.isdigit() and len(pause) < 10 else 0
        why = "It sends elsewhere, which is not followed." if 300 <= response.status < 400 else ""
        text = read[:_MOST_READ].decode("utf-8", "replace")
        return {"status": response.status, "why": why, "text": _line(text), "pause": float(seconds)}


def _line(text: str) -> str:
    """A text of somebody else's, with nothing in it that is not to be shown."""
    return "".join(one if one.isprintable() or one == "\n" else "\N{REPLACEMENT CHARACTER}" for one in text)
