"""How much work the expressions of one request may make, all rows and all evaluations together.

A macro within a macro, over the rows of a table, is a great deal of work in a short text. What evaluates
counts steps here (one is about one operator applied once); beyond the bound the request is refused. Every so
many steps whoever carries the request gets a say: to let others in between, and to give the work up.

This room reads no clock and knows no threads: who begins a request says how much it may take (`begin`), and
whoever evaluates within it finds its budget in the context (PEP 567). Where none was begun, none is kept.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from fenland.core.problems import Refusal, TooCostly

#: Steps between two pulses: a millisecond, or a few.
PULSE = 2_000


class Budget:
    """Of one request: the steps left, and what is called now and then. `pulse` may raise a `Refusal`."""

    __slots__ = ("_next", "gone", "left", "most", "pulse", "refusal")

    def __init__(self, most: int, gone: Callable[[], bool] | None = None) -> None:
        """`gone` tells whether nobody waits for the answer any more."""
        self.most = self.left = most
        self._next = most - PULSE
        self.pulse: Callable[[], None] | None = None
        self.gone = gone
        #: Why the work was ended, once it was: an engine in between may have made an error of its own of it.
        self.refusal: Refusal | None = None

    def spend(self, steps: int) -> None:
        """Takes note of work about to be done. Raises `TooCostly`, or what the pulse raises."""
        self.left -= steps
        if self.left < self._next:
            self._next = self.left - PULSE
            try:
                if self.left < 0:
                    raise TooCostly(
                        "The expression takes too much work: it goes over too many items, or records. "
                        f"Ask for less. The limit is {self.most} steps (the setting evaluation_limit).",
                        limit="evaluation_limit",
                        most=self.most,
                    )
                if self.pulse is not None:
                    self.pulse()
            except Refusal as refusal:
                self.refusal = refusal
                raise

    @contextmanager
    def within(self, most: int, pulse: Callable[[], None]) -> Iterator[None]:
        """For work that holds others up more than usual: no more steps than this, and another pulse."""
        before, held = self.left, self.pulse
        self.left, self.pulse = min(self.left, most), pulse
        self._next = self.left - PULSE
        begun = self.left
        try:
            yield
        finally:
            self.left, self.pulse = before - (begun - self.left), held
            self._next = self.left - PULSE

    def renew(self) -> None:
        """For a piece of an answer that is sent piece by piece: each may take as much."""
        self.left, self._next = self.most, self.most - PULSE


_CURRENT: ContextVar[Budget | None] = ContextVar("budget", default=None)


def begin(most: int, gone: Callable[[], bool] | None = None) -> Budget:
    """Gives the request that begins in this context its budget."""
    found = Budget(most, gone)
    _CURRENT.set(found)
    return found


def current() -> Budget | None:
    """The budget of the request that is carried out here, if one was begun."""
    return _CURRENT.get()


def renew() -> None:
    """See `Budget.renew`."""
    found = _CURRENT.get()
    if found is not None:
        found.renew()


def spend(steps: int) -> None:
    """See `Budget.spend`."""
    found = _CURRENT.get()
    if found is not None:
        found.spend(steps)
