"""Replaying: the records that a history tells of, made from nothing but its entries, in their order."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fenland.core.consequences.held import Held
from fenland.core.consequences.network import Network
from fenland.core.definitions.asking import all_at_hand
from fenland.core.definitions.model import Definitions
from fenland.core.definitions.reading import definitions_from
from fenland.core.evolving.comparing import Comparison, compare
from fenland.core.evolving.moving import Mover
from fenland.core.history.entries import BRINGS, DEFINITIONS, OWN, ROLES, Entry
from fenland.core.reserved import made

Record = dict[str, Any]


class Unknown:
    """What is in a history no more, or never was: there may be anything in its place."""

    def __init__(self, hash_: str, salt: bytes | None) -> None:
        """What it was committed to; with the salt, whether a value is the one can still be told."""
        self.hash, self.salt = hash_, salt


#: What a record held before the first entry that is at hand.
BEFORE = Unknown("", None)


class Replay:
    """Takes in entries one by one; `records` are then those of each collection, by id.

    One that is `partial` begins in the middle: of a record, what no entry at hand tells is `Unknown`.
    """

    def __init__(self, *, partial: bool = False) -> None:
        self.partial = partial
        #: Whether anything is unknown for want of the functions that it was derived by.
        self.forgot = False
        #: What the last change of definitions came to.
        self.comparison = Comparison()
        self._data: dict[str, Any] = {"collections": {}, "roles": []}
        self.definitions = Definitions({}, data=self._data)
        self.records: dict[str, dict[str, Record]] = {}
        #: By record, what is kept of deleted ones: their version, and who made them when.
        self._gone: dict[str, Record] = {}

    @property
    def data(self) -> dict[str, Any]:
        """The definitions, as plain data."""
        return self._data

    def begin(self, data: Mapping[str, Any]) -> None:
        """Takes definitions as those of the first entry: an old database told of them only later."""
        self._define(data)

    def take(self, entry: Entry) -> None:
        """Does what an entry says. Raises `ValueError` for one that cannot follow those before it."""
        if entry.collection == DEFINITIONS:
            self._migrate(entry.changes)
            return
        if entry.collection in OWN:
            return
        records = self.records.get(entry.collection)
        if records is None and entry.action == "erase":
            # Of a collection that was removed the history alone held anything.
            return
        if records is None:
            raise ValueError(f"There is no collection {entry.collection!r} at this time.")
        before = records.get(entry.record_id)
        if self.partial and before is None and entry.record_id not in self._gone and entry.version > 1:
            before = self._assumed(entry, records)
        if (before is None) != (entry.action in BRINGS) and entry.action != "erase":
            raise ValueError(f"The record {entry.record_id} cannot be {entry.action}d at this time.")
        if before is None:
            before = self._begun(entry)
        elif entry.version != before["version"] + 1:
            raise ValueError(f"Version {entry.version} does not follow version {before['version']}.")
        if entry.action == "delete":
            self._gone[entry.record_id] = records.pop(entry.record_id) | {"version": entry.version}
            return
        if entry.record_id not in records and entry.action == "erase":
            self._gone[entry.record_id] = before | {"version": entry.version}
            return
        records[entry.record_id] = before | self._after(entry) | entry.kept()

    def _assumed(self, entry: Entry, records: dict[str, Record]) -> Record | None:
        """The record as it must have been, of which nothing is known."""
        nothing = dict.fromkeys(self.definitions.collections[entry.collection].fields, BEFORE)
        record: Record = {**nothing, "id": entry.record_id, "version": entry.version - 1}
        record |= {"created_at": BEFORE, "created_by": BEFORE}
        if entry.action in BRINGS:
            self._gone[entry.record_id] = record
            return None
        records[entry.record_id] = record
        return record

    def _begun(self, entry: Entry) -> Record:
        """The record that an entry begins from, where none is there."""
        nothing = dict.fromkeys(self.definitions.collections[entry.collection].fields)
        gone = self._gone.get(entry.record_id)
        if entry.action == "create":
            if gone is not None or entry.version != 1:
                raise ValueError(f"The record {entry.record_id} cannot begin at version {entry.version}.")
            return nothing | made(entry.record_id, entry.time, entry.on_behalf)
        if gone is None or entry.version != gone["version"] + 1:
            raise ValueError(f"The record {entry.record_id} was not deleted before version {entry.version}.")
        kept = {name: gone[name] for name in ("id", "created_at", "created_by")}
        return nothing | kept

    def _after(self, entry: Entry) -> Record:
        """Values as records have them: a history does not tell doubles from decimals."""
        fields, found = self.definitions.collections[entry.collection].fields, Record()
        for name, (_, value) in entry.changes.items():
            if name not in fields and entry.action == "erase":
                # Of a field that was no more by then, the history alone held anything.
                continue
            seal = entry.seals.get(name, (None, None))[1]
            if seal is not None and (seal.salt is None or not seal.kept):
                found[name] = Unknown(seal.hash, seal.salt)
            elif value is not None and fields[name].type == "number" and fields[name].scale is None:
                found[name] = float(value)
            else:
                found[name] = value
        return found

    def _migrate(self, changes: Mapping[str, tuple[Any, Any]]) -> None:
        collections, roles = dict(self._data["collections"]), self._data["roles"]
        for name, (_, after) in changes.items():
            if name == ROLES:
                roles = after
            elif after is None:
                del collections[name]
            else:
                collections[name] = after
        self._define({"collections": collections, "roles": roles})

    def _define(self, data: Mapping[str, Any]) -> None:
        self._data = dict(data)
        newer = definitions_from(data["collections"], data["roles"], kept=True)
        comparison = self.comparison = compare(self.definitions, newer)
        older, self.records = self.records, {name: {} for name in newer.collections}
        for one in comparison.kept:
            mover = Mover(one)
            self.records[one.new.name] = {
                record_id: mover.record(record) for record_id, record in older[one.old.name].items()
            }
        self.definitions = newer
        if not all_at_hand(newer.collections):
            self._forget_derived(comparison)
        elif comparison.rederives:
            self._derive()

    def _forget_derived(self, comparison: Comparison) -> None:
        """Takes what was derived anew for unknown: functions of then had a say in it."""
        self.forgot = True
        for one in comparison.kept:
            names = [move.field.name for move in one.moves if move.derives or move.later]
            unknown = dict.fromkeys(names, BEFORE)
            for record in self.records[one.new.name].values():
                record |= unknown

    def _derive(self) -> None:
        network = Network(self.definitions)
        if not self.partial:
            Held(network, self.records).derive()
            return
        # Not everything that it is derived from is known.
        for node in network.nodes:
            for record in self.records[node.collection.name].values():
                record[node.field.name] = BEFORE
