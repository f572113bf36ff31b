"""Replaying: the records that a history tells of, made from nothing but its entries, in their order."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fenland.core.comparing import compare
from fenland.core.definitions import Definitions
from fenland.core.history import DEFINITIONS, ROLES, Entry
from fenland.core.moving import Mover
from fenland.core.reading import definitions_from
from fenland.core.reserved import made

Record = dict[str, Any]


class Replay:
    """Takes in entries one by one; `records` are then those of each collection, by id."""

    def __init__(self) -> None:
        self._data: dict[str, Any] = {"collections": {}, "roles": []}
        self.definitions = Definitions({}, data=self._data)
        self.records: dict[str, dict[str, Record]] = {}

    def take(self, entry: Entry) -> None:
        """Does what an entry says. Raises `ValueError` for one that cannot follow those before it."""
        if entry.collection == DEFINITIONS:
            self._migrate(entry.changes)
            return
        records = self.records.get(entry.collection)
        if records is None:
            raise ValueError(f"There is no collection {entry.collection!r} at this time.")
        before = records.get(entry.record_id)
        if (before is None) != (entry.action == "create"):
            raise ValueError(f"The record {entry.record_id} cannot be {entry.action}d at this time.")
        if before is None:
            collection = self.definitions.collections[entry.collection]
            before = dict.fromkeys(collection.fields) | made(entry.record_id, entry.time, entry.on_behalf)
        elif entry.version != before["version"] + 1:
            raise ValueError(f"Version {entry.version} does not follow version {before['version']}.")
        if entry.action == "delete":
            del records[entry.record_id]
            return
        after = {name: value for name, (_, value) in entry.changes.items()}
        records[entry.record_id] = before | self._typed(entry.collection, after) | entry.kept()

    def _typed(self, collection: str, values: Record) -> Record:
        """Values as records have them: a history does not tell doubles from decimals."""
        fields = self.definitions.collections[collection].fields
        return {
            name: float(value)
            if value is not None and fields[name].type == "number" and fields[name].scale is None
            else value
            for name, value in values.items()
        }

    def _migrate(self, changes: Mapping[str, tuple[Any, Any]]) -> None:
        collections, roles = dict(self._data["collections"]), self._data["roles"]
        for name, (_, after) in changes.items():
            if name == ROLES:
                roles = after
            elif after is None:
                del collections[name]
            else:
                collections[name] = after
        self._data = {"collections": collections, "roles": roles}
        newer = definitions_from(collections, roles)
        comparison = compare(self.definitions, newer)
        older, self.records = self.records, {name: {} for name in newer.collections}
        for one in comparison.kept:
            mover = Mover(one)
            self.records[one.new.name] = {
                record_id: mover.record(record) for record_id, record in older[one.old.name].items()
            }
        self.definitions = newer
