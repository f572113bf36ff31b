"""States: records as they stood right behind an entry of the history, for rules to be asked about.

Who follows closely asks about what has hardly changed since: a record is taken as it is, and what was changed
later is taken back from it, the newest first.
"""

from __future__ import annotations

from bisect import bisect_left
from typing import Any, NamedTuple

from fenland.core.access.field_access import Record
from fenland.core.history.entries import Entry
from fenland.service.history.past import last_copy, names_of, newest_first, today
from fenland.service.service import Resource
from fenland.service.work import View

#: Records whose later entries are remembered, and entries of one that are taken back at most.
_MOST_KEPT, MOST_BACK = 1_000, 2_000


class TooMuch(Exception):
    """What an entry means to a follower takes more to find out than to read their list again."""


class _Past(NamedTuple):
    """Entries of a record, newest first; what it was behind each, and last before the oldest of them."""

    entries: list[Entry]
    behind: list[Record | None]


class States:
    """What records were, whoever asks; `lowest` is the earliest entry that may be asked about.

    Raises `TooMuch` for one that has changed very often since.
    """

    def __init__(self, view: View, lowest: int) -> None:
        self._view, self._lowest = view, lowest
        self._later: dict[str, _Past] = {}

    def by_id(self, resource: Resource, record_id: str, sequence: int) -> Record | None:
        """The record of this id as it stood behind the entry; None where there was none."""
        past = self._past(resource, record_id)
        place = bisect_left(past.entries, -sequence, key=lambda one: -(one.sequence or 0))
        state = past.behind[place]
        if place < len(past.entries):
            return None if state is None else state | past.entries[place].kept()
        # All of its entries are later, but for those in archives: then it was there before them.
        return state if past.entries and self._view.history.first(self._view.reading) > 1 else None

    def by_key(self, resource: Resource, key: Any, sequence: int) -> Record | None:
        """The record of this key as it stood behind the entry; None where there was none."""
        view, collection = self._view, resource.collection
        found = view.find(resource, collection.key, key)
        state = None if found is None else self.by_id(resource, found["id"], sequence)
        if state is not None:
            return state
        # One that had the key before it, and is gone.
        for name in names_of(view, resource):
            gone = view.history.last_deleted(view.reading, name, key)
            if gone is not None:
                return self.by_id(resource, gone.record_id, sequence)
        return None

    def _past(self, resource: Resource, record_id: str) -> _Past:
        found = self._later.get(record_id)
        if found is None:
            if len(self._later) >= _MOST_KEPT:
                self._later.clear()
            entries = self._entries(resource, record_id)
            behind = [self._view.find(resource, "id", record_id)]
            for entry in entries:
                behind.append(self._before(resource, entry, behind[-1]))
            found = self._later[record_id] = _Past(entries, behind)
        return found

    def _entries(self, resource: Resource, record_id: str) -> list[Entry]:
        """The record's entries behind the lowest, newest first, and one that is not."""
        found = []
        for entry in newest_first(self._view, record_id):
            found.append(today(self._view, resource, entry))
            if (entry.sequence or 0) <= self._lowest:
                break
            if len(found) > MOST_BACK:
                raise TooMuch
        return found

    def _before(self, resource: Resource, entry: Entry, state: Record | None) -> Record | None:
        """The record as it stood before an entry, but for what the service keeps itself."""
        if entry.action in ("create", "restore"):
            return None
        if entry.action == "delete":
            return last_copy(self._view, resource, entry)
        if state is None:
            # What was erased of one that is gone.
            return None
        old = {name: pair[0] for name, pair in entry.changes.items() if name in resource.collection.fields}
        return state | old
