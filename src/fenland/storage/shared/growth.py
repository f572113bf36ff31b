"""Growth: how far the history of a database has come, for those who wait for more of it."""

from __future__ import annotations

import threading
from collections.abc import Callable


class Growth:
    """The sequence of the last entry that was committed, by whichever process; 0 before the first.

    Here it is what this process has seen; an engine whose processes share memory says more.
    """

    def __init__(self) -> None:
        self._end = 0
        self._listening: list[Callable[[], None]] = []
        self._guard = threading.Lock()

    @property
    def end(self) -> int:
        """It may be a moment behind what can be read, and is never ahead of it."""
        return self._end

    @end.setter
    def end(self, sequence: int) -> None:
        self._end = sequence

    def listen(self, called: Callable[[], None]) -> None:
        """Has something called after each commit of this process that added entries. It must not raise."""
        with self._guard:
            self._listening.append(called)

    def note(self, sequence: int) -> None:
        """To be called after a commit, by whoever may write: the history ends here now."""
        if sequence != self.end:
            self.end = sequence
            for called in self._listening:
                called()
