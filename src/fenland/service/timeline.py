"""A record's history, newest first, also after the record is gone."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fenland.core.access import Actor
from fenland.core.history import Entry, entry_json
from fenland.core.problems import NotFound
from fenland.service.finding import Address, find, lookup_field, lookup_value, not_there
from fenland.service.service import Call, Resource, Service
from fenland.storage.sqlite import Connection

_BEYOND_ALL = 2**63 - 1


@dataclass(frozen=True, slots=True)
class Timeline:
    """A page of entries as answers show them, and the version to ask below for the next page."""

    items: list[dict[str, Any]]
    next: int | None


def timeline(
    service: Service, call: Call, address: Address, *, below: int | None = None, limit: int = 50
) -> Timeline:
    """The entries of a record of versions under `below`. Who may read a record may read its history."""
    actor = service.authenticate(call)
    resource = service.resource(address.collection)
    with service.database.snapshot() as connection:
        record_id = _record_id(service, connection, resource, actor, address)
        shown, more = service.database.history.of_record(
            connection, record_id, below=_BEYOND_ALL if below is None else below, limit=limit
        )
        names = {entry.actor: _title(service, connection, entry.actor) for entry in shown}
    items = [entry_json(one, resource.collection, names[one.actor]) for one in shown]
    return Timeline(items, shown[-1].version if more else None)


def _title(service: Service, connection: Connection, name: str) -> str:
    account = service.database.accounts.by_name(connection, name)
    return account.title if account is not None and account.title else name


def _record_id(
    service: Service, connection: Connection, resource: Resource, actor: Actor, address: Address
) -> str:
    try:
        return str(find(connection, resource, actor, address)["id"])
    except NotFound:
        gone = _deleted(service, connection, resource, address)
        if gone is None or not resource.policy.may("read", actor, _last_copy(gone)):
            raise
        return gone.record_id


def _deleted(service: Service, connection: Connection, resource: Resource, address: Address) -> Entry | None:
    """The deletion of the last record at this address, when none is there now."""
    field = lookup_field(resource, address)
    history = service.database.history
    if field == "id":
        newest, _ = history.of_record(connection, address.value.lower(), below=_BEYOND_ALL, limit=1)
        mine = [one for one in newest if one.collection == resource.collection.name]
        return mine[0] if mine and mine[0].action == "delete" else None
    if field != resource.collection.key:
        raise not_there(address)
    key = lookup_value(resource, field, address.value)
    return None if key is None else history.last_deleted(connection, resource.collection.name, key)


def _last_copy(gone: Entry) -> dict[str, Any]:
    return {name: before for name, (before, _) in gone.changes.items()}
