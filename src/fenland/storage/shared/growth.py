"""Growth: how far the history of a database has come, for those who wait for more of it."""

from __future__ import annotations

from collections.abc import Callable


class Growth:
    """The sequence of the last entry that was committed, by whichever process; 0 before the first.

    Here it is what this process has seen; an engine whose processes share memory says more.
    """

    def __init__(self) -> None:
        self._end = 0
        self._listening: list[Callable[[], None]] = []

    @property
    def end(self) -> int:
        """A moment behind what can be read; ahead of it only while a database is being opened."""
        return self._end

    @end.setter
    def end(self, sequence: int) -> None:
        self._end = sequence

    def listen(self, called: Callable[[], None]) -> None:
        """Has something called after each commit of this process that added entries. It must not raise."""
        self._listening.append(called)

    def note(self, sequence: int) -> None:
        """To be called after a commit, by whoever may write: the history ends here now."""
        if sequence != self.end:
            self.end = sequence
            for called in self._listening:
                called()
