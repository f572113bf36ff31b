"""The parent process: keeps the workers running, and says of each when it ends. And the socket they share."""

from __future__ import annotations

import gc
import multiprocessing
import os
import signal
import socket
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from multiprocessing.connection import wait
from multiprocessing.context import ForkProcess

import structlog

#: Seconds before a dead worker is replaced: the first pause, and the longest.
_FIRST_PAUSE, _LONGEST_PAUSE = 0.5, 30.0
#: A worker that lived so long died of something else than the one before it.
_OLD_AGE = 60.0
#: Connections that wait to be taken.
_BACKLOG = 2048

#: What a worker runs; it calls what it is handed once it takes connections.
Work = Callable[[Callable[[], None]], None]

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
    return listening


class Supervisor:
    """Starts, watches and stops the workers. A worker that dies is replaced, however often.

    The pause before that grows while they die young.
    """

    def __init__(self, work: Work, workers: int, stop_within: float, ready: Callable[[], None]) -> None:
        """`stop_within`: seconds that workers get to end. `ready` is called once the first has begun."""
        self._work, self._count, self._stop_within, self._ready = work, workers, stop_within, ready
        self._workers: dict[int, ForkProcess] = {}
        self._began, self._tell_began = os.pipe()
        self._told, self._tell = os.pipe()
        os.set_blocking(self._tell, False)
        self._pause, self._last = _FIRST_PAUSE, 0.0
        #: When dead workers are replaced.
        self._due: list[float] = []

    def serve(self) -> bool:
        """Runs them until this process is told to end; whether any ever began."""
        # What is there now is shared with the workers: to look through it for circles would have each of
        # them write to all of it, and so have memory of its own for it.
        gc.collect()
        gc.freeze()
        with self._heeding():
            for _ in range(self._count):
                self._start()
            try:
                return self._watch()
            finally:
                self._stop()

    @contextmanager
    def _heeding(self) -> Iterator[None]:
        """Takes note of signals to end."""
        numbers = (signal.SIGINT, signal.SIGTERM)
        before = [signal.signal(number, self._note) for number in numbers]
        try:
            yield
        finally:
            for number, one in zip(numbers, before, strict=True):
                signal.signal(number, one)
            for file in (self._began, self._tell_began, self._told, self._tell):
                os.close(file)

    def _note(self, *_: object) -> None:
        with suppress(BlockingIOError):
            os.write(self._tell, b"!")

    def _start(self) -> None:
        process = multiprocessing.get_context("fork").Process(target=self._run)
        process.start()
        self._workers[process.sentinel] = process

    def _run(self) -> None:
        # A terminal tells all of us; the parent tells its workers itself.
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        self._work(self._say_begun)

    def _say_begun(self) -> None:
        os.write(self._tell_began, b"!")

    def _watch(self) -> bool:
        begun = False
        while True:
            timeout = max(0.0, min(self._due) - time.monotonic()) if self._due else None
            found = wait([*self._workers, self._began, self._told], timeout)
            if self._began in found:
                os.read(self._began, 100)
                if not begun:
                    begun = True
                    self._ready()
            if self._told in found:
                return begun
            dead = [one for one in found if isinstance(one, int) and one in self._workers]
            for sentinel in dead:
                self._bury(self._workers.pop(sentinel))
            if dead and not begun:
                # What stops the first one stops all: it is for whoever started the service to see.
                return False
            now = time.monotonic()
            for due in [due for due in self._due if due <= now]:
                self._due.remove(due)
                self._start()

    def _bury(self, process: ForkProcess) -> None:
        process.join()
        now = time.monotonic()
        self._pause = _FIRST_PAUSE if now - self._last > _OLD_AGE else min(self._pause * 2, _LONGEST_PAUSE)
        self._last = now
        self._due.append(now + self._pause)
        log.error("worker ended", process=process.pid, code=process.exitcode, replaced_in=self._pause)

    def _stop(self) -> None:
        until = time.monotonic() + self._stop_within
        for process in self._workers.values():
            process.terminate()
        for process in self._workers.values():
            process.join(max(0.0, until - time.monotonic()))
            if process.exitcode is None:
                log.error("worker does not end, and is killed", process=process.pid)
                process.kill()
                process.join()
