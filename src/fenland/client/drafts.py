"""Drafts: a record's fields as somebody works on them, and what of it has to be sent."""

from __future__ import annotations

import copy
from collections.abc import Iterator, Mapping, MutableMapping
from typing import Any

from fenland.client.records import Record


class Draft(MutableMapping[str, Any]):
    """A record's fields to work on: set them, change what is inside them, delete them to clear them.

    `record` is what the work began from; `saved`, once it was saved, what became of it.
    """

    def __init__(self, collection: str, key: Any, record: Record, by: str | None = None) -> None:
        self.collection = collection
        self.key = key
        #: The unique field that `key` is the value of, when it is not the key.
        self.by = by
        self.record = record
        self.saved: Record | None = None
        self._fields = copy.deepcopy(dict(record))

    def __getitem__(self, name: str) -> Any:
        return self._fields[name]

    def __setitem__(self, name: str, value: Any) -> None:
        self._fields[name] = value

    def __delitem__(self, name: str) -> None:
        if name not in self._fields:
            raise KeyError(name)
        self._fields[name] = None

    def __iter__(self) -> Iterator[str]:
        return iter(self._fields)

    def __len__(self) -> int:
        return len(self._fields)

    def changes(self) -> dict[str, Any]:
        """What differs from the record, as a merge patch (RFC 7396): nothing else is to be sent."""
        return {
            name: _patch(self.record.get(name), value)
            for name, value in self._fields.items()
            if value is not None and (name not in self.record or not same(self.record[name], value))
        }

    def cleared(self) -> tuple[str, ...]:
        """The fields that were emptied: told apart, since a field may take null for "leave it"."""
        return tuple(
            name
            for name, value in self._fields.items()
            if value is None and self.record.get(name) is not None
        )


def _patch(was: Any, now: Any) -> Any:
    """The merge patch that makes `now` of `was`."""
    if not isinstance(was, Mapping) or not isinstance(now, Mapping):
        return now
    gone = dict.fromkeys(was.keys() - now.keys())
    changed = {
        name: _patch(was.get(name), value)
        for name, value in now.items()
        if name not in was or not same(was[name], value)
    }
    return gone | changed


def same(one: Any, other: Any) -> bool:
    """Whether two values are equal as JSON: to Python True equals 1, to a record it does not."""
    if isinstance(one, bool) or isinstance(other, bool):
        return one is other
    if isinstance(one, Mapping) and isinstance(other, Mapping):
        return one.keys() == other.keys() and all(same(value, other[name]) for name, value in one.items())
    if isinstance(one, (list, tuple)) and isinstance(other, (list, tuple)):
        return len(one) == len(other) and all(map(same, one, other))
    return bool(one == other)
