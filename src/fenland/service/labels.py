"""Labels: what people read in place of a key or an account's name.

Nobody is told the name of a record that they may not read.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from fenland.core.access import Actor
from fenland.core.definitions import Collection
from fenland.service.finding import Record
from fenland.service.service import Resource, Service
from fenland.storage.sqlite import Connection

#: By field, and by the text of what it holds.
Labels = dict[str, dict[str, str]]


def label_of(record: Record, collection: Collection) -> str:
    """What people call a record: its key, and what names it besides where that holds anything."""
    key, name = record[collection.key], record[collection.naming]
    return str(key) if name in (None, "") or collection.naming == collection.key else f"{key} · {name}"


def labels_of(
    service: Service, connection: Connection, resource: Resource, actor: Actor, records: Iterable[Record]
) -> Labels:
    """What the references and owners in these records stand for, as far as the actor may know."""
    collection, records = resource.collection, list(records)
    found: Labels = {}
    for name, item in collection.fields.items():
        if item.write_only or not (item.references or name == collection.owner):
            continue
        values = {record[name] for record in records} - {None}
        labels = {str(value): _label(service, connection, item.references, actor, value) for value in values}
        found[name] = {value: label for value, label in labels.items() if label is not None}
    return found


def _label(
    service: Service, connection: Connection, target: str | None, actor: Actor, value: Any
) -> str | None:
    if target is None:
        account = service.database.accounts.by_name(connection, value)
        return account.title or account.name if account is not None else None
    resource = service.resources[target]
    record = resource.records.find(connection, resource.collection.key, value)
    if record is None or not resource.policy.may("read", actor, record):
        return None
    return label_of(record, resource.collection)
