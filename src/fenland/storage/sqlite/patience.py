"""Long reads: a statement that takes long neither holds the turn nor fills the process with its like.

SQLite calls a connection's `Watch` every so many steps of a statement, so a short one pays nothing. At the
first call the statement counts as long: its thread gives the turn away and waits for the one slot that
long reads share. Each account may have only so many of them, running or waiting; and none may take for ever.
"""

from __future__ import annotations

import sys
import threading
import time
from collections import Counter

from fenland.core.expressions.budget import Budget, current
from fenland.core.problems import Unavailable
from fenland.storage.shared.turn import Turn, WouldWait

#: Steps of SQLite's machine between two calls: some milliseconds.
STEPS = 100_000
#: Seconds after which Python lets another thread run. While a long read runs, others lose the interpreter to
#: it at each statement of theirs, and would wait that long every time.
_SHORT, _USUAL = 0.0005, sys.getswitchinterval()


class LongReads:
    """What the long reads of a process share."""

    def __init__(self, turn: Turn, *, per_account: int, seconds: float) -> None:
        self.turn = turn
        self.seconds = seconds
        self._per_account = per_account
        self._guard = threading.Lock()
        self._accounts: Counter[str | None] = Counter()
        self._slot = threading.Semaphore(1)

    def enter(self, account: str | None, until: float) -> str | None:
        """Waits for the slot; gives the reason when there is none to be had."""
        with self._guard:
            if account is not None and self._accounts[account] >= self._per_account:
                return (
                    f"You have {self._per_account} long searches running already. "
                    "Wait for them, or ask for something an index finds."
                )
            self._accounts[account] += 1
        if not self._slot.acquire(timeout=max(0.0, until - time.monotonic())):
            self._leave(account)
            return self.too_long()
        sys.setswitchinterval(_SHORT)
        return None

    def exit(self, account: str | None) -> None:
        """Gives the slot on."""
        sys.setswitchinterval(_USUAL)
        self._slot.release()
        self._leave(account)

    def _leave(self, account: str | None) -> None:
        with self._guard:
            self._accounts[account] -= 1
            if not self._accounts[account]:
                del self._accounts[account]

    def too_long(self) -> str:
        """What whoever asked is told."""
        return (
            f"This takes longer than {self.seconds:g} seconds, so it was given up. "
            "Search for less, or sort by a field that is indexed."
        )


class Watch:
    """Watches the statements of one reading connection: SQLite's progress handler."""

    def __init__(self, shared: LongReads) -> None:
        self._shared = shared
        self.refusal: str | None = None
        self._account: str | None = None
        self._long = self._aside = False
        self._until = 0.0
        self._budget: Budget | None = None

    def begin(self, account: str | None) -> None:
        """Before the statements of one use case, and what it works out besides."""
        self._account, self.refusal = account, None
        self._budget = budget = current()
        if budget is not None:
            budget.pulse = self._pulse

    def _pulse(self) -> None:
        """Called by expressions that take long: they are a long read like any other."""
        if self._shared.turn.hurried:
            raise WouldWait
        if self():
            raise Unavailable(self.refusal or "")
        # Outside of the turn; yet Python runs one thread at a time.
        self._shared.turn.rest()

    def __call__(self) -> int:
        """Called by SQLite within a statement; anything but 0 ends it."""
        if not self._long:
            self._until = time.monotonic() + self._shared.seconds
            self._aside = self._shared.turn.held
            if self._aside:
                self._shared.turn.give()
            self.refusal = self._shared.enter(self._account, self._until)
            self._long = self.refusal is None
            if not self._long:
                self._back()
        elif time.monotonic() > self._until:
            self.refusal = self._shared.too_long()
        elif self._budget is not None and self._budget.gone is not None and self._budget.gone():
            self.refusal = "Whoever asked has gone."
        return int(self.refusal is not None)

    def end(self) -> None:
        """After the statements: the slot is given on, and the turn taken again."""
        if self._budget is not None:
            self._budget.pulse = None
        if self._long:
            self._long = False
            self._shared.exit(self._account)
            self._back()

    def _back(self) -> None:
        if self._aside:
            self._aside = False
            self._shared.turn.take()
