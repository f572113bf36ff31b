"""All that an edit form needs, in one answer from one moment of the database."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access import Actor
from fenland.core.conditions import NEVER
from fenland.core.definitions import Field
from fenland.core.schemas import collection_schema, may_set
from fenland.core.values import MISSING
from fenland.service.finding import Address, Record, find, permit, visible
from fenland.service.labels import label_of
from fenland.service.saving import Saved
from fenland.service.service import Call, Resource, Service
from fenland.storage.records import Order, Page
from fenland.storage.sqlite import Connection

#: Choices listed for a reference at most; the rest is found by searching the collection.
MOST_CHOICES = 500


@dataclass(frozen=True, slots=True)
class Form:
    """Values to show, the schema for this caller, choices by field, and the fields they may set."""

    values: Record
    schema: Mapping[str, Any]
    choices: Mapping[str, Mapping[str, Any]]
    writable: list[str]
    deletable: bool
    saved: Saved | None = None


def edit_form(service: Service, call: Call, address: Address) -> Form:
    """The form to change the record at an address; nothing is writable to who may only read it."""
    actor = service.authenticate(call)
    resource = service.resource(address.collection)
    with service.database.snapshot() as connection:
        record = find(connection, resource, actor, address)
        policy = resource.policy
        transfer = policy.may("transfer", actor, record)
        may_update = policy.may("update", actor, record)
        writable = _writable(resource, creating=False, transfer=transfer) if may_update else []
        return Form(
            values=visible(record, resource),
            schema=collection_schema(resource.collection, policy, actor),
            choices=_choices(service, connection, resource, actor, record, writable),
            writable=writable,
            deletable=policy.may("delete", actor, record),
            saved=Saved(record, changed=False),
        )


def create_form(service: Service, call: Call, collection: str) -> Form:
    """The form to create a record: defaults for values. Raises `NotPermitted` to who may not."""
    actor = service.authenticate(call)
    resource = service.resource(collection)
    permit("create", resource, actor, {})
    fields = resource.collection.fields
    values = {
        name: None if item.default is MISSING else item.default
        for name, item in fields.items()
        if not item.write_only
    }
    if resource.collection.owner is not None:
        values[resource.collection.owner] = actor.name
    transfer = resource.policy.may("transfer", actor, values)
    writable = _writable(resource, creating=True, transfer=transfer)
    with service.database.snapshot() as connection:
        return Form(
            values=values,
            schema=collection_schema(resource.collection, resource.policy, actor, creating=True),
            choices=_choices(service, connection, resource, actor, values, writable),
            writable=writable,
            deletable=False,
        )


def _writable(resource: Resource, *, creating: bool, transfer: bool) -> list[str]:
    collection = resource.collection
    return [
        name
        for name, item in collection.fields.items()
        if may_set(item, collection, creating=creating, transfer=transfer)
    ]


def _choices(
    service: Service,
    connection: Connection,
    resource: Resource,
    actor: Actor,
    values: Record,
    writable: list[str],
) -> dict[str, dict[str, Any]]:
    found = {}
    for name, item in resource.collection.fields.items():
        if item.enum is not None:
            options = [{"value": value, "label": _word(value)} for value in item.enum]
            found[name] = {"options": options, "more": False}
        elif item.references is not None:
            everything = name in writable
            found[name] = _referable(service, connection, item, actor, values.get(name), everything)
        elif name == resource.collection.owner and name in writable:
            accounts = service.database.accounts.all(connection)
            options = [{"value": one.name, "label": one.title or one.name} for one in accounts]
            found[name] = {"options": options, "more": False}
    return found


def _word(value: Any) -> str:
    return str(value).replace("_", " ") if isinstance(value, str) else str(value)


def _referable(
    service: Service,
    connection: Connection,
    item: Field,
    actor: Actor,
    current: Any,
    everything: bool,
) -> dict[str, Any]:
    """The records a reference may hold, the current one among them, so that a form can preselect it."""
    target = service.resources[str(item.references)]
    key = target.collection.key
    condition = target.policy.condition("read", actor) if everything else NEVER
    page = Page(condition, actor, order=(Order(key), Order("id")), limit=MOST_CHOICES)
    shown, more = target.records.page(connection, page)
    if current is not None and all(record[key] != current for record in shown):
        one = target.records.find(connection, key, current)
        if one is not None and target.policy.may("read", actor, one):
            shown = [one, *shown]
    options = [{"value": one[key], "label": label_of(one, target.collection)} for one in shown]
    return {"options": options, "more": more}
