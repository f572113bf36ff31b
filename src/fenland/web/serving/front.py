"""The front: an event loop between the sockets and the app (docs/decisions/005-front.md says why).

    loop      takes requests in, with a deadline for each body, and hands answers out: whoever is slow
              to send or to read costs it nothing but memory
    threads   run the app, one at a time (`storage/shared/turn.py`); a long statement, a commit and a lock
              that another program holds are waited for aside
    inline    what is taken for short is answered on the loop itself when nobody works: it saves the way
              to a thread and back. Short changes that arrived together are made one after the other in
              one transaction, and answered once it is on disk, as long as the disk is quick
    waiting   what is to be answered once the history has grown is kept by the loop (`waiting.py`), and
              then answered like any other; meanwhile no thread knows of it

It speaks WSGI (PEP 3333) to the app, and knows neither records nor rules: `short` says which requests are
taken for short.
"""

from __future__ import annotations

import asyncio
import io
import os
import queue
import signal
import threading
import time
from collections.abc import Callable, Coroutine, Iterable
from dataclasses import dataclass
from typing import Any

import structlog

from fenland.core.problems import BodyTimeout, Internal, Malformed, Refusal, Unavailable
from fenland.storage.door import MOST_TOGETHER, Together, Turn, WouldHoldUp, WouldWait
from fenland.web.http.body import BODY, STREAMED
from fenland.web.http.environ import ACCOUNT, GONE, LATER, STREAM, WAITED, about
from fenland.web.http.errors import bare_problem
from fenland.web.http.streaming import Stream
from fenland.web.http.waiting import Wait
from fenland.web.serving.http1 import Exchange
from fenland.web.serving.incoming import UNREAD, Environ, Incoming
from fenland.web.serving.listening import Listening
from fenland.web.serving.short import Short
from fenland.web.serving.streams import Bounds, Feed, Streams
from fenland.web.serving.waiting import Waiting

App = Callable[[Environ, Callable[..., Any]], Iterable[bytes]]
Answered = tuple[int, list[tuple[str, str]], Any]

#: Requests that may wait for a thread; more are told to come again.
_LONGEST_QUEUE = 2048
#: Seconds between looks at whether the parent process is still there.
_WATCH_PAUSE = 0.5
#: A commit that took longer, in seconds, waited for the disk; for so long the loop saves no change then.
_SLOW_COMMIT, _SLOW_DISK_PAUSE = 0.01, 1.0

log = structlog.get_logger()


@dataclass(frozen=True, slots=True)
class Served:
    """What the front needs of the app it stands before."""

    app: App
    turn: Turn
    #: Opens a transaction for changes that are made together; raises where it would have to wait.
    together: Callable[[], Together]
    #: Whether a request, by its environ, is taken for short, and what it then is; and what is told of those
    #: that were not.
    short: Callable[[Environ], Short | None]
    was_long: Callable[[Environ], None]
    #: Whether a path is answered without the turn, whoever works.
    at_once: Callable[[str], bool]
    close: Callable[[], None]
    #: What requests that wait for more of the history, and streams, go by; and how many streams may be open.
    feed: Feed
    streams: Bounds
    threads: int
    #: By a request's environ, how many bytes of its body are read.
    body_limit: Callable[[Environ], int]
    body_timeout: float
    #: Stripped from paths that begin with it, where a proxy leaves it in.
    prefix: str = ""
    #: The process that ends with all its workers; 0 for whoever is the parent now.
    parent: int = 0


class Front:
    """One worker process: it takes exchanges (`http1.py`) and has the app answer them."""

    def __init__(self, served: Served) -> None:
        self._served = served
        self._incoming = Incoming(served.prefix)
        self._jobs: queue.SimpleQueue[Exchange | None] = queue.SimpleQueue()
        # As it says itself: it may have ended before this was asked, and somebody else be the parent now.
        self._parent = served.parent or os.getppid()
        #: Short changes that have arrived since the loop last looked.
        self._changes: list[Exchange] = []
        self._no_change_until = 0.0
        self._stopping = False

    # --- life ---------------------------------------------------------------------------------

    async def serve(self, listening: Listening, began: Callable[[], None]) -> None:
        """Answers requests until this process is told to end; those that have begun are answered first."""
        loop, told = asyncio.get_running_loop(), asyncio.Event()
        self.begin(loop)
        loop.add_signal_handler(signal.SIGTERM, told.set)
        listening.begin(loop)
        began()
        await told.wait()
        self._stopping = True
        self._streams.stop()
        await listening.stop()
        self.end()

    def begin(self, loop: asyncio.AbstractEventLoop) -> None:
        """Begins: to be called before the first request."""
        self._loop = loop
        feed = self._served.feed
        self._waiting = Waiting[Exchange](loop, feed.growth, lambda: self._stopping, self._wake)
        self._streams = Streams(loop, feed, self._served.streams)
        self._threads = [
            threading.Thread(target=self._work, name=f"request-{number}", daemon=True)
            for number in range(self._served.threads)
        ]
        for thread in self._threads:
            thread.start()
        loop.call_later(_WATCH_PAUSE, self._watch)
        log.info("worker started", process=os.getpid())

    def end(self) -> None:
        """Ends: to be called after the last answer."""
        self.stop_threads()
        self._served.close()
        log.info("worker stopped", process=os.getpid())

    def stop_threads(self) -> None:
        """Ends the threads."""
        for _ in self._threads:
            self._jobs.put(None)
        for thread in self._threads:
            thread.join(1)

    def _watch(self) -> None:
        """Ends with a parent that is gone."""
        if os.getppid() != self._parent:
            os.kill(os.getpid(), signal.SIGKILL)
        self._loop.call_later(_WATCH_PAUSE, self._watch)

    # --- one request --------------------------------------------------------------------------

    def begun(self, exchange: Exchange) -> int:
        """See `Taking`."""
        exchange.environ = self._incoming.environ(exchange)
        return self._served.body_limit(exchange.environ)

    def take(self, exchange: Exchange) -> None:
        """See `Taking`: answers it now, or leaves it to a thread."""
        environ, body = exchange.environ, exchange.body
        environ[BODY] = body
        environ["wsgi.input"] = io.BytesIO(body)
        environ["CONTENT_LENGTH"] = str(len(body)) if body else ""
        if (unread := environ.get(UNREAD)) is not None:
            detail = f"The header {unread} holds characters that cannot be read. Send it in ASCII."
            self._refuse(exchange, Malformed(detail))
            return
        environ[GONE] = exchange.gone
        kind = self._served.short(environ)
        if (found := self._read_here(environ, kind)) is not None:
            self._send(exchange, found)
        elif kind is Short.CHANGE:
            self._changes.append(exchange)
            if len(self._changes) == 1:
                # Once all that is ready has been taken in.
                self._loop.call_soon(self._change_here)
        else:
            self._hand(exchange)

    def broken(self, exchange: Exchange, by: str) -> None:
        """See `Taking`."""
        if by == "gone":
            # Who hangs up while sending has asked for nothing yet.
            log.info("gone before the request was whole", **about(exchange.environ))
            return
        detail = f"The body did not arrive within {self._served.body_timeout:g} seconds. Send it again."
        self._refuse(exchange, BodyTimeout(detail))

    def unreadable(self, exchange: Exchange, detail: str) -> None:
        """See `Taking`."""
        if detail:
            self._refuse(exchange, Malformed(detail))
        else:
            exchange.send(431, [], b"")

    def _hand(self, exchange: Exchange) -> None:
        """Leaves a request to the threads."""
        if self._jobs.qsize() > _LONGEST_QUEUE:
            detail = "Too many requests wait already. Send it again in a moment."
            self._refuse(exchange, Unavailable(detail))
        else:
            self._jobs.put(exchange)

    def _refuse(self, exchange: Exchange, refusal: Refusal) -> None:
        self._send(exchange, bare_problem(refusal, self._served.prefix))

    def _send(self, exchange: Exchange, answer: Answered) -> None:
        status, headers, content = answer
        try:
            exchange.send(status, headers, content)
        except ValueError:
            log.exception("unexpected error", **about(exchange.environ))
            detail = "The service failed at this request."
            exchange.send(*bare_problem(Internal(detail), self._served.prefix))

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
        except WouldHoldUp:
            served.was_long(environ)
            return None
        except WouldWait:
            return None
        finally:
            served.turn.hurried = False
            served.turn.give()

    def _change_here(self) -> None:
        """Makes the changes that arrived: here if nobody works and the disk is quick, else threads do."""
        exchanges, self._changes = self._changes[:MOST_TOGETHER], self._changes[MOST_TOGETHER:]
        if self._changes:
            self._loop.call_soon(self._change_here)
        answers = self._changed_here([one.environ for one in exchanges])
        for place, one in enumerate(exchanges):
            if answers is None:
                self._hand(one)
            else:
                self._send(one, answers[place])

    def _changed_here(self, environs: list[Environ]) -> list[Answered] | None:
        """The answers to changes made here and now; None where somebody works, or would have to wait."""
        turn = self._served.turn
        if self._loop.time() < self._no_change_until or not turn.take_if_free():
            return None
        turn.hurried = True
        try:
            answers = self._changed_together(environs)
        finally:
            turn.hurried = False
            turn.give()
        if answers is None:
            for environ in environs:
                environ["wsgi.input"].seek(0)
        return answers

    def _changed_together(self, environs: list[Environ]) -> list[Answered] | None:
        """The answers, once all they tell is on disk; None when nothing is, and each is to be tried anew."""
        try:
            shared = self._served.together()
        except BaseException:
            # Whatever it is, a thread can wait for it, or meets it anew and tells it.
            return None
        answers: list[Answered] = []
        try:
            for environ in environs:
                answers.append(self._call(environ))
                if shared.lost:
                    break
        except WouldWait as late:
            shared.lost = True
            if isinstance(late, WouldHoldUp):
                self._served.was_long(environs[len(answers)])
        begun = self._loop.time()
        try:
            kept = shared.commit()
        except Unavailable as unknown:
            return [bare_problem(unknown, self._served.prefix)] * len(environs)
        if self._loop.time() - begun > _SLOW_COMMIT:
            self._no_change_until = self._loop.time() + _SLOW_DISK_PAUSE
        return answers if kept else None

    def _work(self) -> None:
        """A thread: answers what waits, in its turn."""
        turn = self._served.turn
        while (exchange := self._jobs.get()) is not None:
            turn.take()
            try:
                found = self._call(exchange.environ)
            finally:
                turn.give()
            wait, stream = exchange.environ.pop(LATER, None), exchange.environ.pop(STREAM, None)
            try:
                if stream is not None and exchange.method == "GET":
                    self._loop.call_soon_threadsafe(self._follow, exchange, found, stream)
                elif wait is not None:
                    self._loop.call_soon_threadsafe(self._wait, exchange, wait)
                elif isinstance(found[2], bytes):
                    self._loop.call_soon_threadsafe(self._send, exchange, found)
                else:
                    self._stream(exchange, found)
            except RuntimeError:
                return  # the loop is closed: nobody waits for it any more

    def _wait(self, exchange: Exchange, wait: Wait) -> None:
        """Keeps a request until it may be answered, or its client has gone."""
        if exchange.gone():
            return
        if self._waiting.add(exchange, wait, exchange.environ.get(ACCOUNT) or ""):
            exchange.left = lambda: self._left(exchange)
        else:
            self._wake(exchange, wait._replace(until=time.monotonic()))

    def _follow(self, exchange: Exchange, answer: Answered, stream: Stream) -> None:
        """Begins an answer that goes on."""
        status, headers, begun = answer
        account = exchange.environ.get(ACCOUNT) or ""
        if exchange.gone() or self._stopping:
            exchange.abort()
        elif (refusal := self._streams.refusal(account)) is not None:
            self._refuse(exchange, refusal)
        else:
            exchange.open_stream(status, [one for one in headers if one[0] != "Content-Length"])
            # There may be many for long, and nothing more is asked of what the request was.
            exchange.environ, exchange.headers = {}, []
            exchange.push(begun)
            self._streams.add(exchange, stream, account)

    def _left(self, exchange: Exchange) -> None:
        self._waiting.drop(exchange)

    def _wake(self, exchange: Exchange, wait: Wait) -> None:
        """Has a request that waited answered anew."""
        exchange.left = None
        exchange.environ[WAITED] = wait
        self._hand(exchange)

    def _on_loop(self, work: Coroutine[Any, Any, None]) -> None:
        asyncio.run_coroutine_threadsafe(work, self._loop).result()

    def _stream(self, exchange: Exchange, answer: Answered) -> None:
        """Sends an answer piece by piece, each made in turn, sent while others work."""
        status, headers, pieces = answer
        if exchange.method == "HEAD":
            pieces.close()
            self._loop.call_soon_threadsafe(exchange.send, status, headers, b"")
            return
        try:
            piece = self._piece(pieces)
        except BaseException as error:
            # Nothing was sent yet: the client can be told.
            refusal = error if isinstance(error, Refusal) else Internal("The service failed at this request.")
            self._loop.call_soon_threadsafe(self._refuse, exchange, refusal)
            return
        try:
            self._on_loop(_opened(exchange, status, headers))
            while piece is not None:
                # The loop sends; who takes nothing of it loses the connection (see `listen`).
                self._on_loop(exchange.write(piece))
                piece = self._piece(pieces)
        except BaseException as error:
            if isinstance(error, ConnectionError):
                log.info("gone before the answer was whole", **about(exchange.environ))
            else:
                log.exception("answer cut short", **about(exchange.environ))
            # Ended properly, what was cut short would look whole.
            self._loop.call_soon_threadsafe(exchange.abort)
        else:
            self._loop.call_soon_threadsafe(exchange.close_stream)
        finally:
            pieces.close()

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


async def _opened(exchange: Exchange, status: int, headers: list[tuple[str, str]]) -> None:
    exchange.open_stream(status, headers)
