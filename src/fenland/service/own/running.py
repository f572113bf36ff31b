"""Running functions of the project's own: beside the thread that asks, and never for longer than they may.

A function runs in a helper thread; whoever asks waits for it, carries out what it looks up (a connection to
the database belongs to its thread), and goes on without it once its time is over. The time counts among the
steps of the request, so that others are let in and it ends when the client is gone. Python cannot end a
thread: one that is given up is told to stop, and until it does it is counted: there may be few of them.
"""

from __future__ import annotations

import ctypes
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from itertools import islice
from queue import Empty, SimpleQueue
from typing import Any

import structlog

from fenland.core.consequences.calling import LOOK, MOST_GIVEN
from fenland.core.expressions.budget import spend
from fenland.core.problems import Refusal, RuleFailed, Unavailable
from fenland.storage.door import WouldWait, in_a_hurry

log = structlog.get_logger()

#: Seconds until it is asked again whether to go on waiting, and steps that a millisecond counts as.
_GLANCE, _STEPS = 0.01, 200
#: How often one function may have been given up without having stopped yet, in one process.
_MOST_STUCK = 16


class _Stop(BaseException):
    """Ends a function that nobody waits for any more."""


class _Job:
    """A function being run: what it was given, and what it has to say."""

    def __init__(
        self, function: Callable[..., Any], given: tuple[Any, ...], named: Mapping[str, Any]
    ) -> None:
        self._function, self._given, self._named = function, given, dict(named)
        self._look = self._named.get(LOOK)
        if LOOK in self._named:
            self._named[LOOK] = _Far(self)
        #: What comes from the function, and what it is answered.
        self.told: SimpleQueue[tuple[str, Any]] = SimpleQueue()
        self.answers: SimpleQueue[tuple[bool, Any]] = SimpleQueue()
        self.given_up = False

    def run(self) -> None:
        """To be called in the helper thread."""
        try:
            found = self._function(*self._given, **self._named)
            if isinstance(found, Iterator):
                # Here, where it is limited. No more is of use: whoever takes it refuses that many.
                found = list(islice(found, MOST_GIVEN + 1))
            self.told.put(("done", found))
        except _Stop:
            return
        except BaseException as error:
            self.told.put(("failed", error))

    def ask(self, method: str, given: tuple[Any, ...], named: Mapping[str, Any]) -> Any:
        """What the function looks up, as the waiting thread finds it. To be called in the helper thread."""
        if self.given_up:
            raise _Stop
        self.told.put((method, (given, named)))
        there, answer = self.answers.get()
        if not there:
            raise answer
        return answer

    def answer(self, method: str, asked: tuple[tuple[Any, ...], Mapping[str, Any]]) -> None:
        """Carries out what the function asked. To be called in the waiting thread; raises a `Refusal`."""
        given, named = asked
        try:
            self.answers.put((True, getattr(self._look, method)(*given, **named)))
        except (LookupError, ValueError, TypeError) as error:
            # It is the function's own mistake, which is shown where it stands.
            self.answers.put((False, error))


class _Far:
    """A `Look` for the helper thread: the waiting one does the looking."""

    def __init__(self, job: _Job) -> None:
        self._job = job

    def one(self, *given: Any, **named: Any) -> Any:
        """See `Look`."""
        return self._job.ask("one", given, named)

    def find(self, *given: Any, **named: Any) -> Any:
        """See `Look`."""
        return self._job.ask("find", given, named)


class _Helper(threading.Thread):
    """A thread that runs one function after another."""

    def __init__(self) -> None:
        super().__init__(name="fenland-own", daemon=True)
        self.jobs: SimpleQueue[_Job | None] = SimpleQueue()

    def run(self) -> None:
        """Runs what comes, until one of them is given up."""
        with suppress(_Stop):
            while True:
                job = self.jobs.get()
                if job is None:
                    return
                job.run()
                if job.given_up:
                    return

    def stop(self) -> None:
        """Raises `_Stop` in the thread, as soon as it runs Python again; one that has ended its job ends."""
        self.jobs.put(None)
        if self.ident is not None:
            ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(self.ident), ctypes.py_object(_Stop))


class _Helpers:
    """The helper threads of this process: idle ones, and those that have not stopped yet."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._idle: list[_Helper] = []
        #: By the name of the function that does not come back.
        self._stuck: dict[str, list[_Helper]] = {}

    def take(self, name: str) -> _Helper:
        """One that is free for a function. Raises `Unavailable` where that hangs too often."""
        with self._lock:
            stuck = self._stuck[name] = [one for one in self._stuck.get(name, ()) if one.is_alive()]
            if len(stuck) >= _MOST_STUCK:
                detail = f"The function {name} of rules.py is not run: it hangs, {len(stuck)} times by now."
                raise Unavailable(f"{detail} Nothing was saved.")
            while self._idle:
                # After a fork the threads of the parent are not there.
                if (helper := self._idle.pop()).is_alive():
                    return helper
        helper = _Helper()
        helper.start()
        return helper

    def give(self, helper: _Helper) -> None:
        """Takes it back."""
        with self._lock:
            self._idle.append(helper)

    def give_up(self, helper: _Helper, name: str) -> None:
        """Takes note of one whose function does not come back, and tells it to stop."""
        helper.stop()
        with self._lock:
            self._stuck.setdefault(name, []).append(helper)


_HELPERS = _Helpers()


class Limited:
    """A function of `rules.py`, to be called as it is; for so many seconds at most."""

    def __init__(self, function: Callable[..., Any], name: str, seconds: float) -> None:
        self._function, self._name, self._seconds = function, name, seconds

    def __call__(self, *given: Any, **named: Any) -> Any:
        """What it gives. Raises `RuleFailed` for an error of its own, and `Unavailable` when time is over.

        In a thread that may wait for nobody, as that of the event loop, it raises `WouldWait`.
        """
        if in_a_hurry():
            raise WouldWait
        job, helper = _Job(self._function, given, named), _HELPERS.take(self._name)
        helper.jobs.put(job)
        try:
            said, found = self._waited(job)
        except BaseException:
            job.given_up = True
            job.answers.put((False, _Stop()))
            _HELPERS.give_up(helper, self._name)
            raise
        _HELPERS.give(helper)
        if said == "done":
            return found
        if isinstance(found, Refusal):
            raise found
        log.error("a function of rules.py failed", function=self._name, exc_info=found)
        raise RuleFailed(f"The function {self._name} of rules.py failed. Nothing was saved.") from None

    def tell(self, why: str) -> None:
        """Logs why what it gave cannot be used."""
        log.error("a function of rules.py gave what cannot be used", function=self._name, why=why)

    def _waited(self, job: _Job) -> tuple[str, Any]:
        """How it ended, and with what."""
        begun = glanced = time.monotonic()
        while True:
            try:
                said, found = job.told.get(timeout=_GLANCE)
            except Empty:
                said, found = "", None
            now = time.monotonic()
            if said in ("done", "failed"):
                return said, found
            if now - begun > self._seconds:
                log.error("a function of rules.py took too long", function=self._name, seconds=self._seconds)
                detail = f"The function {self._name} of rules.py took longer than {self._seconds:g} s"
                raise Unavailable(f"{detail} (the setting rule_seconds). Nothing was saved.")
            if said:
                job.answer(said, found)
            spend(int((now - glanced) * 1000) * _STEPS)
            glanced = now
