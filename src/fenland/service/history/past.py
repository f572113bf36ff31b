"""The past: a record as it was at a version or a time, also one that is gone; and what a record is, or was.

Who may read a record, as it is or as it was when it was deleted, may read its past, but for fields that they
may not read of it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.access.field_access import FieldAccess, Record
from fenland.core.access.policy import Caller
from fenland.core.history.entries import BEYOND_ALL, Entry
from fenland.core.problems import Malformed, NotFound
from fenland.core.reserved import RESERVED
from fenland.core.values.identity import time_of
from fenland.service.changes.finding import Address, find, lookup_field, lookup_value, not_there
from fenland.service.service import Resource
from fenland.service.work import View

#: Entries that are read at a time: few at first, since most of what is asked is near.
_FIRST, _AT_A_TIME = 8, 500


@dataclass(frozen=True, slots=True)
class When:
    """A moment in a record's past: one of its versions, or a time as RFC 3339 writes it in UTC."""

    version: int | None = None
    at: str | None = None

    def __bool__(self) -> bool:
        return self.version is not None or self.at is not None


#: No moment in particular.
NOW = When()


@dataclass(frozen=True, slots=True)
class Subject:
    """A record that is there, or was: as it is, or its last copy, with the version that it is at since."""

    resource: Resource
    record: Record
    access: FieldAccess
    there: bool

    @property
    def id(self) -> str:
        """The id of the record."""
        return str(self.record["id"])


def subject(view: View, caller: Caller, address: Address) -> Subject:
    """The record that is, or was, at an address. Raises `NotFound`."""
    try:
        resource, record = find(view, caller, address)
    except NotFound:
        resource = view.resource(address.collection)
        gone = _deleted(view, resource, address)
        found = None if gone is None else _last_seen(view, caller, resource, gone)
        if found is None:
            raise
        return found
    return Subject(resource, record, resource.policy.fields(view.sight(caller), record), there=True)


def subject_of(view: View, caller: Caller, resource: Resource, record_id: str) -> Subject | None:
    """The record with this id, as it is or was; None where there is none that the caller may read."""
    record = view.find(resource, "id", record_id)
    if record is None:
        gone = deletion_of(view, resource, record_id)
        return None if gone is None else _last_seen(view, caller, resource, gone)
    if not resource.policy.may("read", view.sight(caller), record):
        return None
    return Subject(resource, record, resource.policy.fields(view.sight(caller), record), there=True)


def _last_seen(view: View, caller: Caller, resource: Resource, deletion: Entry) -> Subject | None:
    record = last_copy(view, resource, deletion)
    if not resource.policy.may("read", view.sight(caller), record):
        return None
    return Subject(resource, record, resource.policy.fields(view.sight(caller), record), there=False)


def last_copy(view: View, resource: Resource, deletion: Entry) -> Record:
    """The record that an entry deleted, as it was; of the version that the newest entry made."""
    record: Record = dict.fromkeys((*RESERVED, *resource.collection.fields))
    record |= deletion.last_copy() | {"id": deletion.record_id} | deletion.kept()
    history = view.history
    newest, _ = history.of_record(view.reading, deletion.record_id, below=BEYOND_ALL, limit=1)
    first, _ = history.of_record(view.reading, deletion.record_id, below=2, limit=1)
    # Where the first entry is in an archive, the id still says when that was, and the oldest that is here
    # is the nearest to whoever it was.
    begun = first[0] if first else list(newest_first(view, deletion.record_id))[-1]
    return record | {
        "version": newest[0].version,
        "created_at": begun.time if first else time_of(deletion.record_id),
        "created_by": begun.on_behalf,
    }


def _deleted(view: View, resource: Resource, address: Address) -> Entry | None:
    """The deletion of the last record at this address, when none is there now."""
    field = lookup_field(resource, address)
    history = view.history
    if field == "id":
        return deletion_of(view, resource, address.value.lower())
    if field != resource.collection.key:
        raise not_there(address)
    key = lookup_value(resource, field, address.value)
    if key is None:
        return None
    found = [history.last_deleted(view.reading, name, key) for name in names_of(view, resource)]
    there = sorted((one for one in found if one is not None), key=lambda one: one.sequence or 0)
    if not there or view.find(resource, "id", there[-1].record_id) is not None:
        # Brought back since, under another key.
        return None
    return today(view, resource, there[-1])


def deletion_of(view: View, resource: Resource, record_id: str) -> Entry | None:
    """The deletion of a record that is gone; None for one that is there, or never was in the collection."""
    for one in newest_first(view, record_id):
        if one.collection not in names_of(view, resource):
            return None
        if one.action != "erase":
            return today(view, resource, one) if one.action == "delete" else None
    return None


def newest_first(view: View, record_id: str, below: int = BEYOND_ALL) -> Iterator[Entry]:
    """The entries of a record, newest first."""
    history, more, count = view.history, True, _FIRST
    while more:
        entries, more = history.of_record(view.reading, record_id, below=below, limit=count)
        yield from entries
        count = min(count * 4, _AT_A_TIME)
        view.breathe()
        below = entries[-1].version if entries else 0


def names_of(view: View, resource: Resource) -> list[str]:
    """What the collection is and was called in entries."""
    lineage = view.service.lineage(resource)
    return [resource.collection.name] if lineage is None else lineage.names


def today(view: View, resource: Resource, entry: Entry) -> Entry:
    """The entry, by the fields of today."""
    lineage = view.service.lineage(resource)
    if lineage is None:
        return entry
    return replace(entry, changes=lineage.today(entry.sequence or 0, entry.changes))


# --- as it was ---------------------------------------------------------------------------------------


def as_it_was(view: View, found: Subject, when: When) -> Record:
    """The record as it was then, by the fields of today.

    Raises `NotFound` where it was not there then, and `Malformed` for a version that is yet to come.
    """
    version = when.version if when.at is None else _version_at(view, found, when.at)
    newest = found.record["version"]
    if version is None or not 1 <= version <= newest:
        raise Malformed(f"version is {version}, and the newest is {newest}. Name one of those.")
    if found.there and version == newest:
        return found.record
    record = dict(found.record) if found.there else dict.fromkeys(found.record)
    history, lineage = view.history, view.service.lineage(found.resource)
    # Names of before the last step may stand for others of today.
    above = 0 if lineage is None else lineage.since
    first: Record = {}
    for portion in history.first_changes(view.reading, found.id, version, above=above):
        for sequence, changes in portion:
            known = changes if lineage is None else lineage.today(sequence, changes)
            first = _before(known, found.resource) | first
        view.breathe()
    record |= first
    entries, _ = history.of_record(view.reading, found.id, below=version + 1, limit=1)
    if not entries or entries[0].version != version:
        raise NotFound(f"The entries of version {version} were moved to an archive.")
    entry = entries[0]
    if entry.action == "delete" or (entry.action == "erase" and not _is_there(view, found, version)):
        raise NotFound(f"The record was deleted by version {version}.")
    kept = {name: found.record[name] for name in ("id", "created_at", "created_by")}
    return record | kept | entry.kept()


def _before(changes: Mapping[str, tuple[Any, Any]], resource: Resource) -> Record:
    return {name: old for name, (old, _) in changes.items() if name in resource.collection.fields}


def _is_there(view: View, found: Subject, version: int) -> bool:
    """Whether the record was there after a version that erased."""
    for one in newest_first(view, found.id, below=version):
        if one.action != "erase":
            return one.action != "delete"
    return False


def _version_at(view: View, found: Subject, time: str) -> int:
    """The version that the record was at. Raises `NotFound` where it was not there yet."""
    history = view.history
    low, high = 0, int(found.record["version"])
    sequence = history.at(view.reading, time)
    while low < high:
        middle = (low + high + 1) // 2
        entries, _ = history.of_record(view.reading, found.id, below=middle + 1, limit=1)
        known = bool(entries) and entries[0].version == middle
        if known and (entries[0].sequence or 0) <= sequence:
            low = middle
        else:
            # Versions that no entry tells of are in an archive, and so before.
            low, high = (low, middle - 1) if known else (middle, high)
    if low == 0:
        raise NotFound(f"There was no such record yet at {time}.")
    return low
