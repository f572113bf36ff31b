"""The turn: one thread of this process works at a time; the others wait for it.

Python runs one thread at a time, and the database driver lets go of the interpreter at every row.
With many threads ready to run, each of those moments loses the interpreter to another thread for up
to its switch interval; a list of fifty rows then takes three times as long. So a request takes the
turn before it works, and stands aside, its turn given on, while it waits for a commit or for a
statement that takes long.

Who never takes the turn (a command, a test) never waits for it either.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

#: How long one thread may work, in seconds, before it lets others in between.
_SPELL = 0.005
#: How long one that works very long lets them in each time: as long as it worked, within these seconds.
_REST, _LONGEST_REST = 0.003, 0.02
#: Who asks for a rest no sooner than this after the last time has begun with something else.
_ELSE = 0.05
#: Long enough for a thread that waits to take the turn.
_BREATH = 0.0002


class WouldWait(BaseException):
    """Work that must not wait would have to: it is begun anew by somebody who may.

    Not an `Exception`, so that nobody on the way takes it for a refusal.
    """


class WouldHoldUp(WouldWait):
    """What was read is so much that it would hold up those whose thread must not be held up."""


#: Whether this thread is in a hurry, whichever turn it has.
_HERE = threading.local()


def in_a_hurry() -> bool:
    """Whether this thread may wait for nobody: see `Turn.hurried`."""
    return getattr(_HERE, "hurried", False)


class Turn:
    """The one turn of a process, handed from thread to thread."""

    def __init__(self) -> None:
        self._free = threading.Lock()
        self._mine = threading.local()
        self._since = 0.0

    def take(self) -> None:
        """Waits for the turn and holds it until `give`."""
        self._free.acquire()
        self._mine.held = True
        self._since = time.monotonic()

    def take_if_free(self) -> bool:
        """Takes the turn unless somebody has it; whether it did."""
        if not self._free.acquire(blocking=False):
            return False
        self._mine.held = True
        self._since = time.monotonic()
        return True

    @property
    def hurried(self) -> bool:
        """Whether this thread may wait for nobody: then `WouldWait` is raised before anything is done."""
        return getattr(self._mine, "hurried", False)

    @hurried.setter
    def hurried(self, value: bool) -> None:
        self._mine.hurried = _HERE.hurried = value

    def give(self) -> None:
        """Gives the turn on."""
        self._mine.held = False
        self._free.release()

    @property
    def held(self) -> bool:
        """Whether this thread has the turn."""
        return getattr(self._mine, "held", False)

    def breathe(self) -> None:
        """Lets others in between, when this thread has worked for a while; to be called now and then."""
        if time.monotonic() - self._since > _SPELL and self.held:
            self._free.release()
            time.sleep(_BREATH)
            self._free.acquire()
            self._since = time.monotonic()

    def rest(self) -> None:
        """Lets others work for as long as this thread just did; to be called within long work, and often.

        Raises `WouldWait` in a thread that may wait for nobody.
        """
        if self.hurried:
            raise WouldWait
        mine, now = self._mine, time.monotonic()
        if now - getattr(mine, "asked", 0.0) > _ELSE:
            # Not so long ago, this thread did something else.
            mine.rested = now
        mine.asked = now
        worked = now - mine.rested
        if worked > _REST:
            with self.aside():
                time.sleep(min(worked, _LONGEST_REST))
            mine.rested = mine.asked = time.monotonic()

    @contextmanager
    def taken(self) -> Iterator[None]:
        """Holds the turn for the body."""
        self.take()
        try:
            yield
        finally:
            self.give()

    def aside(self) -> _Aside:
        """Gives the turn on, if this thread has it, while the body waits; then takes it again.

        Raises `WouldWait`, before the body, in a thread that may wait for nobody.
        """
        return _Aside(self if self.held else None)


class _Aside:
    """The body of a with statement, without the turn."""

    __slots__ = ("_turn",)

    def __init__(self, turn: Turn | None) -> None:
        self._turn = turn

    def __enter__(self) -> None:
        if self._turn is not None:
            if self._turn.hurried:
                raise WouldWait
            self._turn.give()

    def __exit__(self, *_: object) -> None:
        if self._turn is not None:
            self._turn.take()
