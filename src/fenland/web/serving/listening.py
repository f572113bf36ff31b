"""Taking connections from the socket that all workers share, as many at a time as are allowed."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Callable
from typing import Any

import structlog

from fenland.web.serving.http1 import Connection, Deadlines, Taking

#: Seconds between looks at connections from which something should have come.
_LOOK_PAUSE = 0.5
#: Seconds for which none are taken, when this process may open no more files.
_PAUSE = 0.5

log = structlog.get_logger()


class Listening:
    """The connections of one process. On the loop alone."""

    def __init__(self, listening: socket.socket, taking: Taking, deadlines: Deadlines, most: int) -> None:
        """`most` is how many connections are held at a time; others wait to be taken."""
        self._socket, self._taking, self._deadlines, self._most = listening, taking, deadlines, most
        self._connections: set[Connection] = set()
        self._opening = 0
        self._reads = False
        self._stopped: asyncio.Future[None] | None = None

    def begin(self, loop: asyncio.AbstractEventLoop) -> None:
        """Begins to take connections."""
        self._loop = loop
        self._listen()
        loop.call_later(_LOOK_PAUSE, self._look)

    async def stop(self) -> None:
        """Takes none any more, and waits until those that are there have been answered."""
        self._deafen()
        self._stopped = self._loop.create_future()
        for one in list(self._connections):
            one.stop()
        self._tell_stopped()
        await self._stopped

    def _look(self) -> None:
        now = self._loop.time()
        for one in [one for one in self._connections if one.until < now]:
            one.look(now)
        self._loop.call_later(_LOOK_PAUSE, self._look)

    def _listen(self) -> None:
        if not self._reads and self._stopped is None:
            self._reads = True
            self._loop.add_reader(self._socket.fileno(), self._accept)

    def _deafen(self) -> None:
        if self._reads:
            self._reads = False
            self._loop.remove_reader(self._socket.fileno())

    def _accept(self) -> None:
        """Takes one: so that, of several processes, none takes all that come at once."""
        try:
            accepted, _ = self._socket.accept()
        except (BlockingIOError, ConnectionAbortedError):
            # Another process was quicker, or the client has gone already.
            return
        except OSError as error:
            log.error("connections cannot be taken", why=error.strerror)
            self._deafen()
            self._loop.call_later(_PAUSE, self._listen)
            return
        accepted.setblocking(False)
        self._opening += 1
        opened = self._loop.create_task(self._open(accepted))
        opened.add_done_callback(self._opened)
        if len(self._connections) + self._opening >= self._most:
            self._deafen()

    async def _open(self, accepted: socket.socket) -> Any:
        made: Callable[[], Connection] = lambda: Connection(self._taking, self._deadlines, self._ended)  # noqa: E731
        _, connection = await self._loop.connect_accepted_socket(made, accepted)
        self._connections.add(connection)
        if connection.gone:
            self._ended(connection)
        elif self._stopped is not None:
            connection.stop()

    def _opened(self, task: asyncio.Task[Any]) -> None:
        self._opening -= 1
        if (error := task.exception()) is not None:
            log.info("a connection could not be opened", why=str(error))
        self._tell_stopped()

    def _ended(self, connection: Connection) -> None:
        self._connections.discard(connection)
        if len(self._connections) + self._opening < self._most:
            self._listen()
        self._tell_stopped()

    def _tell_stopped(self) -> None:
        stopped = self._stopped
        if stopped is not None and not stopped.done() and not self._connections and not self._opening:
            stopped.set_result(None)
