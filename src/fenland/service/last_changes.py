"""When each collection was changed last, as this process knows it: asked once, then kept up."""

from __future__ import annotations

from collections.abc import Collection
from threading import Lock

from fenland.storage.door import Candidates, Database, Reading

#: How often it is tried, where others bring it up to date at the same time.
_TRIES = 4


class LastChanges:
    """Used by all threads. None of them waits for another while it reads."""

    def __init__(self) -> None:
        #: Held for as long as it takes to look, or to note; never while the database is asked.
        self._lock = Lock()
        #: What this knows of stands up to here; None where nothing is known yet.
        self._seen: int | None = None
        self._known: dict[str, int] = {}

    def of(self, database: Database, names: Collection[str]) -> dict[str, int] | None:
        """The sequence of the last entry of each collection, 0 where there is none; None if too much comes.

        What is read after this was asked may be newer than it says, and never older.
        """
        for _ in range(_TRIES):
            # Asked before anything is read.
            end = _end(database)
            with self._lock:
                seen, missing = self._seen, [name for name in names if name not in self._known]
                if end == seen and not missing:
                    return {name: self._known[name] for name in names}
            with database.snapshot() as reading:
                changed = database.history.changed_since(reading, seen)[1] if seen is not None else {}
                found = {name: _newest(database, reading, name) for name in missing}
            with self._lock:
                if self._seen != seen:
                    # Another thread has noted what came, and not of those that were found meanwhile.
                    continue
                self._known |= {name: last for name, last in changed.items() if name in self._known} | found
                self._seen = end
        return None


def _end(database: Database) -> int:
    # Not what processes tell each other: one may be killed between its commit and telling.
    with database.reading() as reading:
        return database.history.last(reading).sequence


def _newest(database: Database, reading: Reading, name: str) -> int:
    """The last entry of a collection by its name of today: another name is a change of the definitions."""
    wanted = Candidates.having("collection", name, 0)
    for marks in database.history.marks(reading, wanted, below=2**62):
        for one in marks:
            if one.collection == name:
                return one.sequence
    return 0
