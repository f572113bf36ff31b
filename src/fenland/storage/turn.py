"""The turn: one thread of this process works at a time; the others wait for it.

Python runs one thread at a time, and the database driver lets go of the interpreter at every row.
With many threads ready to run, each of those moments loses the interpreter to another thread for up
to its switch interval; a list of fifty rows then takes three times as long. So a request takes the
turn before it works, and stands aside, its turn given on, while it waits for a commit.

Who never takes the turn (a command, a test) never waits for it either.
"""

from __future__ import annotations

import threading


class Turn:
    """The one turn of a process, handed from thread to thread."""

    def __init__(self) -> None:
        self._free = threading.Lock()
        self._mine = threading.local()

    def take(self) -> None:
        """Waits for the turn and holds it until `give`."""
        self._free.acquire()
        self._mine.held = True

    def give(self) -> None:
        """Gives the turn on."""
        self._mine.held = False
        self._free.release()

    def aside(self) -> _Aside:
        """Gives the turn on, if this thread has it, while the body waits; then takes it again."""
        return _Aside(self._free if getattr(self._mine, "held", False) else None)


class _Aside:
    """The body of a with statement, without the turn."""

    __slots__ = ("_turn",)

    def __init__(self, turn: threading.Lock | None) -> None:
        self._turn = turn

    def __enter__(self) -> None:
        if self._turn is not None:
            self._turn.release()

    def __exit__(self, *_: object) -> None:
        if self._turn is not None:
            self._turn.acquire()
