"""A record's history, newest first, also after the record is gone."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from fenland.core.access import Caller
from fenland.core.field_access import FieldAccess
from fenland.core.history import Entry
from fenland.core.problems import NotFound
from fenland.core.telling import Known, Telling, entry_json
from fenland.service.finding import Address, find, lookup_field, lookup_value, not_there
from fenland.service.service import Resource, Service
from fenland.service.work import View

_BEYOND_ALL = 2**63 - 1


@dataclass(frozen=True, slots=True)
class Timeline:
    """A page of entries as answers show them, and the version to ask below for the next page."""

    items: list[dict[str, Any]]
    next: int | None


def timeline(
    service: Service, caller: Caller, address: Address, *, below: int | None = None, limit: int = 50
) -> Timeline:
    """The entries of a record of versions under `below`. Who may read a record may read its history."""
    with service.database.snapshot() as reading:
        view = View(service, reading)
        resource, record_id, access = _record_id(view, caller, address)
        shown, more = service.database.history.of_record(
            reading, record_id, below=_BEYOND_ALL if below is None else below, limit=limit
        )
        people = {name for one in shown for name in (one.actor, one.behalf) if name is not None}
        names = {name: _title(view, name) for name in people}
    usual, lineage = Telling(access.collection.fields, access.hidden), service.lineage(resource)
    items = [
        entry_json(
            one, usual if lineage is None else lineage.telling(one.sequence or 0, access), Known(names)
        )
        for one in shown
    ]
    return Timeline(items, shown[-1].version if more else None)


def _title(view: View, name: str) -> str:
    account = view.account(name)
    return account.title if account is not None and account.title else name


def _record_id(view: View, caller: Caller, address: Address) -> tuple[Resource, str, FieldAccess]:
    """The id of the record that is, or was, at an address, and what the caller may see of it."""
    try:
        resource, record = find(view, caller, address)
    except NotFound:
        resource = view.resource(address.collection)
        gone = _deleted(view, resource, address)
        if gone is None:
            raise
        record = {**dict.fromkeys(resource.collection.fields), **gone.last_copy(), "id": gone.record_id}
        record |= gone.kept()
        if not resource.policy.may("read", view.sight(caller), record):
            raise
    return resource, str(record["id"]), resource.policy.fields(view.sight(caller), record)


def _deleted(view: View, resource: Resource, address: Address) -> Entry | None:
    """The deletion of the last record at this address, when none is there now."""
    field = lookup_field(resource, address)
    history = view.service.database.history
    if field == "id":
        newest, _ = history.of_record(view.reading, address.value.lower(), below=_BEYOND_ALL, limit=1)
        mine = [one for one in newest if one.collection in _names(view, resource)]
        return _today(view, resource, mine[0]) if mine and mine[0].action == "delete" else None
    if field != resource.collection.key:
        raise not_there(address)
    key = lookup_value(resource, field, address.value)
    if key is None:
        return None
    found = [history.last_deleted(view.reading, name, key) for name in _names(view, resource)]
    there = sorted((one for one in found if one is not None), key=lambda one: one.sequence or 0)
    return _today(view, resource, there[-1]) if there else None


def _names(view: View, resource: Resource) -> list[str]:
    """What the collection is called in entries."""
    lineage = view.service.lineage(resource)
    return [resource.collection.name] if lineage is None else lineage.names


def _today(view: View, resource: Resource, entry: Entry) -> Entry:
    """The entry, by the fields of today."""
    lineage = view.service.lineage(resource)
    return (
        entry
        if lineage is None
        else replace(entry, changes=lineage.today(entry.sequence or 0, entry.changes))
    )
