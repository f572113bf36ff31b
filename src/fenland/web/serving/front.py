"""The front: an event loop between the sockets and the app (docs/decisions/005-front.md says why).

    loop      takes requests in, with a deadline for each body, and hands answers out: whoever is slow
              to send or to read costs it nothing but memory
    threads   run the app, one at a time (`storage/shared/turn.py`); a long statement, a commit and a lock
              that another program holds are waited for aside
    inline    what is sure to be short is answered on the loop itself when nobody works: it saves the way
              to a thread and back. Short changes that arrived together are made one after the other in
              one transaction, and answered once it is on disk, as long as the disk is quick
    waiting   what is to be answered once the history has grown is kept by the loop (`waiting.py`), and
              then answered like any other; meanwhile no thread knows of it

It speaks granian's RSGI to the server and WSGI (PEP 3333) to the app, and knows neither records nor
rules: `short` says which requests are sure to be short.
"""

from __future__ import annotations

import asyncio
import io
import os
import queue
import signal
import threading
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

import structlog
from granian.rsgi import ProtocolClosed, ProtocolError  # type: ignore[attr-defined]

from fenland.core.problems import BodyTimeout, Internal, Malformed, Refusal, Unavailable
from fenland.storage.door import MOST_TOGETHER, Growth, Together, Turn, WouldWait
from fenland.web.http.body import BODY, STREAMED
from fenland.web.http.environ import ACCOUNT, GONE, LATER, WAITED, about
from fenland.web.http.errors import bare_problem
from fenland.web.http.waiting import Wait
from fenland.web.serving.connections import hang_up
from fenland.web.serving.incoming import UNREAD, Environ, Incoming
from fenland.web.serving.short import Short
from fenland.web.serving.waiting import Waiting

App = Callable[[Environ, Callable[..., Any]], Iterable[bytes]]
Answered = tuple[int, list[tuple[str, str]], Any]

#: Requests that may wait for a thread; more are told to come again.
_LONGEST_QUEUE = 2048
#: Seconds between looks at whether the parent process is still there.
_WATCH_PAUSE = 0.5
#: A commit that took longer, in seconds, waited for the disk; for so long the loop saves no change then.
_SLOW_COMMIT, _SLOW_DISK_PAUSE = 0.01, 1.0
_BODILESS = frozenset({"GET", "HEAD", "OPTIONS"})

#: What a client has done that is there no more.
_HUNG_UP = (ProtocolClosed, ProtocolError)

#: Where what an answer is sent by is held on to.
HELD = "fenland.held"
log = structlog.get_logger()


@dataclass(frozen=True, slots=True)
class Served:
    """What the front needs of the app it stands before."""

    app: App
    turn: Turn
    #: Opens a transaction for changes that are made together; raises where it would have to wait.
    together: Callable[[], Together]
    #: Whether a request, by its environ, is sure to be short, and what it then is.
    short: Callable[[Environ], Short | None]
    #: Whether a path is answered without the turn, whoever works.
    at_once: Callable[[str], bool]
    close: Callable[[], None]
    threads: int
    #: By a request's environ, how many bytes of its body are read.
    body_limit: Callable[[Environ], int]
    body_timeout: float
    #: Stripped from paths that begin with it, where a proxy leaves it in.
    prefix: str = ""
    #: How far the history has come, for requests that wait for more.
    growth: Growth = field(default_factory=Growth)
    #: Whether this process is about to end.
    stopping: Callable[[], bool] = lambda: False
    #: Called when requests can be taken.
    began: Callable[[], None] = lambda: None
    #: The process that ends with all its workers; 0 for whoever is the parent now.
    parent: int = 0


@dataclass(eq=False, slots=True)
class _Job:
    """A request to be answered; `sent` is done once it was, and says whether all of it was."""

    environ: Environ
    protocol: Any
    sent: asyncio.Future[bool]


class _Gone:
    """Tells, once it was asked before, whether the client of a request has gone; asked by who works long."""

    __slots__ = ("_found", "_loop", "_protocol")

    def __init__(self, loop: asyncio.AbstractEventLoop, protocol: Any) -> None:
        self._loop, self._protocol = loop, protocol
        self._found: Any = None

    def __call__(self) -> bool:
        if self._found is None:
            self._found = asyncio.run_coroutine_threadsafe(
                _awaited(self._protocol.client_disconnect()), self._loop
            )
        return bool(self._found.done())

    def end(self) -> None:
        """Once it was answered."""
        if self._found is not None:
            self._found.cancel()


class _Reading:
    """A body that is being read: who sends it, and until when it must be here."""

    __slots__ = ("given_up", "protocol", "until")

    def __init__(self, protocol: Any, until: float) -> None:
        self.protocol = protocol
        self.until = until
        self.given_up = False


class Front:
    """One worker process: an RSGI application."""

    def __init__(self, served: Served) -> None:
        self._served = served
        self._incoming = Incoming(served.prefix)
        self._jobs: queue.SimpleQueue[_Job | None] = queue.SimpleQueue()
        # As it says itself: it may have ended before this was asked, and somebody else be the parent now.
        self._parent = served.parent or os.getppid()
        #: Short changes that have arrived since the loop last looked.
        self._changes: list[_Job] = []
        self._reading: set[_Reading] = set()
        self._no_change_until = 0.0

    # --- life ---------------------------------------------------------------------------------

    def __rsgi_init__(self, loop: asyncio.AbstractEventLoop) -> None:
        """Begins: called by the server before the first request."""
        self._loop = loop
        self._waiting = Waiting[_Job](loop, self._served.growth, self._served.stopping, self._wake)
        self._threads = [
            threading.Thread(target=self._work, name=f"request-{number}", daemon=True)
            for number in range(self._served.threads)
        ]
        for thread in self._threads:
            thread.start()
        loop.call_later(_WATCH_PAUSE, self._watch)
        log.info("worker started", process=os.getpid())
        self._served.began()

    def __rsgi_del__(self, loop: asyncio.AbstractEventLoop) -> None:
        """Ends: called by the server after the last answer."""
        for _ in self._threads:
            self._jobs.put(None)
        for thread in self._threads:
            thread.join(1)
        self._served.close()
        log.info("worker stopped", process=os.getpid())

    def _watch(self) -> None:
        """Looks after what nothing else would: bodies that do not come, and a parent that is gone."""
        if os.getppid() != self._parent:
            os.kill(os.getpid(), signal.SIGKILL)
        self._sweep()
        self._loop.call_later(_WATCH_PAUSE, self._watch)

    # --- one request --------------------------------------------------------------------------

    async def __rsgi__(self, scope: Any, protocol: Any) -> None:
        """Answers one request."""
        if scope.proto != "http":
            protocol.close(400)
            return
        environ = self._incoming.environ(scope)
        body = b""
        if scope.method not in _BODILESS or "HTTP_TRANSFER_ENCODING" in environ:
            found = await self._body(environ, protocol)
            if found is None:
                return  # `_sweep` has answered, or nobody is there to be answered
            body = found
        environ[BODY] = body
        environ["wsgi.input"] = io.BytesIO(body)
        environ["CONTENT_LENGTH"] = str(len(body)) if body else ""
        if (unread := environ.get(UNREAD)) is not None:
            detail = f"The header {unread} holds characters that cannot be read. Send it in ASCII."
            self._send(protocol, bare_problem(Malformed(detail), self._served.prefix), environ)
            return
        environ[GONE] = _Gone(self._loop, protocol)
        kind = self._served.short(environ)
        found_here = self._read_here(environ, kind)
        if found_here is not None:
            self._send(protocol, found_here, environ)
            return
        job = _Job(environ, protocol, self._loop.create_future())
        if kind is not Short.CHANGE:
            self._hand(job)
        else:
            self._changes.append(job)
            if len(self._changes) == 1:
                # Once all that is ready has been taken in.
                self._loop.call_soon(self._change_here)
        if not await job.sent:
            # The server would end the answer properly once nothing holds it any more, and what was cut short
            # would look whole. So the connection is ended first, and that is waited for.
            await protocol.client_disconnect()
            job.environ.pop(HELD, None)

    def _hand(self, job: _Job) -> None:
        """Leaves a request to the threads."""
        if self._jobs.qsize() > _LONGEST_QUEUE:
            detail = "Too many requests wait already. Send it again in a moment."
            self._send(job.protocol, bare_problem(Unavailable(detail), self._served.prefix), job.environ)
            job.sent.set_result(True)
        else:
            self._jobs.put(job)

    def _send(self, protocol: Any, answer: Answered, environ: Environ) -> None:
        status, headers, content = answer
        if len(environ[BODY]) > self._served.body_limit(environ):
            # The rest of it is not read, so nothing more can follow on this connection.
            headers = [*headers, ("Connection", "close")]
        if content:
            protocol.response_bytes(status, headers, content)
        else:
            protocol.response_empty(status, headers)

    async def _body(self, environ: Environ, protocol: Any) -> bytes | None:
        """The body, up to one byte over the limit, which is enough to refuse it; None if it does not come."""
        most = self._served.body_limit(environ)
        length = environ.get("CONTENT_LENGTH", "")
        environ.pop("HTTP_TRANSFER_ENCODING", None)
        # A timer for each would cost more than the reading: `_sweep` looks at all of them now and then.
        reading = _Reading(protocol, self._loop.time() + self._served.body_timeout)
        self._reading.add(reading)
        try:
            if length.isdigit() and int(length) <= most:
                found: bytes = await protocol()
            else:
                pieces, size = [], 0
                async for piece in protocol:
                    pieces.append(piece)
                    size += len(piece)
                    if size > most:
                        break
                found = b"".join(pieces)[: most + 1]
        except _HUNG_UP:
            # Who hangs up while sending has asked for nothing yet.
            if not reading.given_up:
                log.info("gone before the request was whole", **about(environ))
            return None
        finally:
            self._reading.discard(reading)
        return None if reading.given_up else found

    def _sweep(self) -> None:
        """Answers those whose bodies come too slowly; their connections end with that."""
        now = self._loop.time()
        for reading in [one for one in self._reading if now > one.until]:
            self._reading.discard(reading)
            reading.given_up = True
            detail = f"The body did not arrive within {self._served.body_timeout:g} seconds. Send it again."
            status, headers, content = bare_problem(BodyTimeout(detail), self._served.prefix)
            reading.protocol.response_bytes(status, [*headers, ("Connection", "close")], content)

    def _read_here(self, environ: Environ, kind: Short | None) -> Answered | None:
        """The answer, made here and now, where that holds nobody up and changes nothing."""
        served = self._served
        if served.at_once(environ["PATH_INFO"]):
            return self._call(environ)
        if kind is not Short.READ or not served.turn.take_if_free():
            return None
        served.turn.hurried = True
        try:
            return self._call(environ)
        except WouldWait:
            return None
        finally:
            served.turn.hurried = False
            served.turn.give()

    def _change_here(self) -> None:
        """Makes the changes that arrived: here if nobody works and the disk is quick, else threads do."""
        jobs, self._changes = self._changes[:MOST_TOGETHER], self._changes[MOST_TOGETHER:]
        if self._changes:
            self._loop.call_soon(self._change_here)
        answers: list[Answered] | None = None
        turn = self._served.turn
        if self._loop.time() >= self._no_change_until and turn.take_if_free():
            turn.hurried = True
            try:
                answers = self._changed_together(jobs)
            finally:
                turn.hurried = False
                turn.give()
        for place, job in enumerate(jobs):
            if answers is None:
                job.environ["wsgi.input"].seek(0)
                self._hand(job)
            else:
                self._send(job.protocol, answers[place], job.environ)
                job.sent.set_result(True)

    def _changed_together(self, jobs: list[_Job]) -> list[Answered] | None:
        """The answers, once all they tell is on disk; None when nothing is, and each is to be tried anew."""
        try:
            shared = self._served.together()
        except BaseException:
            # Whatever it is, a thread can wait for it, or meets it anew and tells it.
            return None
        answers: list[Answered] = []
        try:
            for job in jobs:
                answers.append(self._call(job.environ))
                if shared.lost:
                    break
        except WouldWait:
            shared.lost = True
        begun = self._loop.time()
        try:
            kept = shared.commit()
        except Unavailable as unknown:
            return [bare_problem(unknown, self._served.prefix)] * len(jobs)
        if self._loop.time() - begun > _SLOW_COMMIT:
            self._no_change_until = self._loop.time() + _SLOW_DISK_PAUSE
        return answers if kept else None

    def _work(self) -> None:
        """A thread: answers what waits, in its turn."""
        turn = self._served.turn
        while (job := self._jobs.get()) is not None:
            turn.take()
            try:
                found = self._call(job.environ)
            finally:
                turn.give()
            if (wait := job.environ.pop(LATER, None)) is not None:
                self._loop.call_soon_threadsafe(self._wait, job, wait)
                continue
            # From here, not from the loop, which has then only to take note of it.
            whole = True
            if isinstance(found[2], bytes):
                self._send(job.protocol, found, job.environ)
            else:
                whole = self._stream(job, found)
            try:
                self._loop.call_soon_threadsafe(_settle, job.sent, whole)
            except RuntimeError:
                return  # the loop is closed: nobody waits for it any more
            finally:
                job.environ[GONE].end()

    def _wait(self, job: _Job, wait: Wait) -> None:
        """Keeps a request until it may be answered, or its client has gone."""
        if not self._waiting.add(job, wait, job.environ.get(ACCOUNT) or ""):
            self._wake(job, time.monotonic())
            return
        gone = self._loop.create_task(_awaited(job.protocol.client_disconnect()))

        def end(_: object) -> None:
            if self._waiting.drop(job):
                job.sent.set_result(True)

        gone.add_done_callback(end)
        job.sent.add_done_callback(lambda _: gone.cancel())

    def _wake(self, job: _Job, until: float) -> None:
        """Has a request that waited answered anew."""
        job.environ[WAITED] = until
        self._hand(job)

    def _stream(self, job: _Job, answer: Answered) -> bool:
        """Sends an answer piece by piece, each made in turn, sent while others work; whether all was sent."""
        status, headers, pieces = answer
        try:
            piece = self._piece(pieces)
        except BaseException as error:
            # Nothing was sent yet: the client can be told.
            refusal = error if isinstance(error, Refusal) else Internal("The service failed at this request.")
            self._send(job.protocol, bare_problem(refusal, self._served.prefix), job.environ)
            return True
        try:
            transport = job.environ[HELD] = job.protocol.response_stream(status, headers)
            while piece is not None:
                # The loop sends; who takes nothing of it loses the connection (see `listen`).
                asyncio.run_coroutine_threadsafe(_awaited(transport.send_bytes(piece)), self._loop).result()
                piece = self._piece(pieces)
        except BaseException as error:
            if isinstance(error, _HUNG_UP):
                log.info("gone before the answer was whole", **about(job.environ))
            else:
                log.exception("answer cut short", **about(job.environ))
            hang_up(job.environ["REMOTE_ADDR"])
            return False
        finally:
            pieces.close()
        # With the last hold on it the answer ends properly.
        job.environ.pop(HELD, None)
        return True

    def _piece(self, pieces: Any) -> bytes | None:
        turn = self._served.turn
        turn.take()
        try:
            return next(pieces, None)
        finally:
            turn.give()

    def _call(self, environ: Environ) -> Answered:
        """The app's answer, whole; or its pieces, where they are made one by one."""
        begun: list[Any] = []

        def start(status: str, headers: list[tuple[str, str]], _error: Any = None) -> None:
            begun[:] = (int(status[:3]), headers)

        try:
            pieces = self._served.app(environ, start)
            if environ.pop(STREAMED, False):
                if self._served.turn.hurried:
                    # It is sent from a thread, which waits for its client.
                    raise WouldWait
                return begun[0], begun[1], pieces
            content = b"".join(pieces)
            if (close := getattr(pieces, "close", None)) is not None:
                close()
        except WouldWait:
            raise
        except BaseException:
            # Not even a thread that is told to end may leave its client without an answer.
            log.exception("unexpected error", **about(environ))
            detail = "The service failed at this request."
            return bare_problem(Internal(detail), self._served.prefix)
        return begun[0], begun[1], content


async def _awaited(work: Any) -> None:
    await work


def _settle(sent: asyncio.Future[bool], whole: bool) -> None:
    if not sent.done():
        sent.set_result(whole)
