"""Labels: what people read in place of a key or an account's name.

Nobody is told the name of a record that they may not read.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.definitions.model import Collection
from fenland.service.service import Resource
from fenland.service.work import View

#: By field, and by the text of what it holds.
Labels = dict[str, dict[str, str]]


def label_of(record: Record, collection: Collection) -> str:
    """What people call a record, as they may see it: its key, and what else names it, where shown."""
    key, name = record[collection.key], record.get(collection.naming)
    return str(key) if name in (None, "") or collection.naming == collection.key else f"{key} · {name}"


def labels_of(view: View, caller: Caller, resource: Resource, records: Iterable[Record]) -> Labels:
    """What the references and owners in these records, as shown, stand for, as far as the caller may know."""
    collection, records, found = resource.collection, list(records), Labels()
    hidden = resource.policy.fields(view.sight(caller)).hidden
    for name, item in collection.fields.items():
        if name in hidden or not (item.references or name == collection.owner):
            continue
        values = {record.get(name) for record in records} - {None}
        labels = {str(value): _label(view, caller, item.references, value) for value in values}
        found[name] = {value: label for value, label in labels.items() if label is not None}
    return found


def _label(view: View, caller: Caller, references: str | None, value: Any) -> str | None:
    if references is None:
        account = view.account(value)
        return account.title or account.name if account is not None else None
    target = view.target(references)
    record = view.find(target, target.collection.key, value)
    sight = view.sight(caller)
    if record is None or not target.policy.may("read", sight, record):
        return None
    return label_of(target.policy.fields(sight, record).shown(record), target.collection)
