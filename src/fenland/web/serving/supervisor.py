"""The parent process: keeps the workers running, and says of each when it begins and ends.

It is granian's own server with two things done otherwise. A worker that dies is replaced however often,
after a pause that grows while they die young; granian would give up. And all workers take connections
from one socket, which ends those that no longer take what is sent to them.
"""

from __future__ import annotations

import socket
import time
from collections.abc import Callable
from typing import Any

import structlog
from granian.server import mp

#: Seconds before a dead worker is replaced: the first pause, and the longest.
_FIRST_PAUSE, _LONGEST_PAUSE = 0.5, 30.0
#: A worker that lived so long died of something else than the one before it.
_OLD_AGE = 60.0
#: Seconds between looks for the first worker to begin.
_LOOK_PAUSE = 0.02
#: Connections that wait to be taken.
_BACKLOG = 2048

log = structlog.get_logger()


def listen(host: str, port: int, send_timeout: float) -> socket.socket:
    """A socket that listens. Raises `OSError` when the address cannot be used.

    `send_timeout`: seconds after which a client that takes nothing of its answer loses its connection.
    """
    listening = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET)
    try:
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        # Connections inherit it (RFC 5482). Where a system has no such option, they last until they end.
        if (option := getattr(socket, "TCP_USER_TIMEOUT", None)) is not None:
            listening.setsockopt(socket.IPPROTO_TCP, option, int(send_timeout * 1000))
        listening.bind((host, port))
        listening.listen(_BACKLOG)
    except OSError:
        listening.close()
        raise
    listening.setblocking(False)
    listening.set_inheritable(True)
    return listening


class Supervisor(mp.MPServer):
    """Starts, watches and stops the workers."""

    def __init__(
        self,
        *args: Any,
        listening: socket.socket,
        started: Callable[[], bool],
        stopping: Callable[[], None],
        ready: Callable[[], None],
        **options: Any,
    ) -> None:
        """`listening` is the socket that the workers take connections from; see `listen`.

        `started` tells whether any worker ever came so far as to take some; `ready` is called when one did,
        and `stopping` before they are told to stop.
        """
        super().__init__(*args, **options)
        self._listening = listening
        self._started, self._stopping = started, stopping
        self._ready = ready

    def _init_shared_socket(self) -> None:
        # Written for sockets that granian makes itself, and typed so.
        server: Any = self
        server._sso, server._ssp = self._listening, None
        server._sfd = self._listening.fileno()
        server._shd = vars(mp)["SocketHolder"](server._sfd, False, _BACKLOG)

    def _serve_loop(self, spawn_target: Callable[..., None], target_loader: Callable[..., Any]) -> None:
        pause, last, said = _FIRST_PAUSE, time.monotonic(), False
        while True:
            interrupted = self.main_loop_interrupt.wait(None if said else _LOOK_PAUSE)
            if not said and self._started():
                said = True
                self._ready()
            if not interrupted:
                continue
            if self.interrupt_signal:
                self._stopping()
                # Those that were told to stop are no failures.
                self.interrupt_children.clear()
                return
            self.main_loop_interrupt.clear()
            dead, self.interrupt_children[:] = list(self.interrupt_children), []
            pause = _FIRST_PAUSE if time.monotonic() - last > _OLD_AGE else min(pause * 2, _LONGEST_PAUSE)
            for index in dead:
                code = self.wrks[index].inner.exitcode
                log.error("worker ended", process=self.wrks[index]._id(), code=code, replaced_in=pause)
            if not self._started():
                # What stops the first one stops all: it is for whoever started the service to see.
                return
            if self.main_loop_interrupt.wait(pause) and self.interrupt_signal:
                self._stopping()
                return
            last = time.monotonic()
            self._respawn_workers(dead, spawn_target, target_loader)
