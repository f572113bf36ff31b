"""All that an edit form needs, in one answer from one moment of the database."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access.conditions import NEVER
from fenland.core.access.field_access import FieldAccess, Record
from fenland.core.access.policy import Caller
from fenland.core.access.schemas import collection_schema
from fenland.core.consequences.effects import Around
from fenland.core.definitions.model import Collection, Field
from fenland.core.values.plain import MISSING
from fenland.service.changes.beginning import start_of
from fenland.service.changes.finding import Address, find
from fenland.service.changes.saved import Saved
from fenland.service.history.erasing import erasable
from fenland.service.history.past import NOW, When, as_it_was, subject
from fenland.service.records.create import creating_access
from fenland.service.records.labels import label_of
from fenland.service.service import Service
from fenland.service.work import View, snapshot
from fenland.storage.door import Order, Page

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
    collection: Collection
    saved: Saved | None = None
    #: The fields whose values the caller may erase for good.
    erasable: tuple[str, ...] = ()


def edit_form(service: Service, caller: Caller, address: Address, when: When = NOW) -> Form:
    """The form to change the record at an address; nothing is writable to who may only read it.

    Nor is anything of a record as it was at a moment.
    """
    with snapshot(service) as view:
        if when:
            return _past_form(view, caller, address, when)
        resource, record = find(view, caller, address)
        policy, sight = resource.policy, view.sight(caller)
        access = policy.fields(sight, record)
        shown = access.shown(record)
        writable = access.settable if policy.may("update", sight, record) else []
        return Form(
            values=shown,
            schema=collection_schema(access),
            choices=_Choices(view, caller, access, writable).of(shown),
            writable=writable,
            deletable=policy.may("delete", sight, record),
            collection=resource.collection,
            saved=Saved(shown, changed=False, etag=resource.etag(record, access)),
            erasable=tuple(erasable(service, resource)) if policy.may("erase", sight, record) else (),
        )


def _past_form(view: View, caller: Caller, address: Address, when: When) -> Form:
    found = subject(view, caller, address)
    record = as_it_was(view, found, when)
    shown = found.access.shown(record)
    return Form(
        values=shown,
        schema=collection_schema(found.access),
        choices=_Choices(view, caller, found.access, []).of(shown),
        writable=[],
        deletable=False,
        collection=found.resource.collection,
        saved=Saved(shown, changed=False, etag=found.resource.etag(record, found.access)),
    )


def create_form(service: Service, caller: Caller, collection: str) -> Form:
    """The form to create a record: defaults for values. Raises `NotPermitted` to who may not."""
    resource = service.resource(collection)
    owned = {name: value for name, value in start_of(resource, caller).items() if value is not None}
    values = {
        **{
            name: None if item.default is MISSING else item.default
            for name, item in resource.collection.fields.items()
        },
        **owned,
    }
    with snapshot(service) as view:
        access = creating_access(view.sight(caller), resource)
        beginnings, names = resource.rules.beginnings, view.sight(caller).names
        # As far as they can be told of nothing yet.
        absent, quiet = beginnings.names - beginnings.picked, Around(lambda *_: None, lambda *_: None)
        values |= beginnings.values(names, values, absent, [], quiet)
        return Form(
            values=access.shown(values),
            schema=collection_schema(resource.policy.fields(view.sight(caller), creating=True)),
            choices=_Choices(view, caller, access, access.settable).of(values),
            writable=access.settable,
            deletable=False,
            collection=resource.collection,
        )


class _Choices:
    """What the fields of a form may hold, as far as the caller may know it."""

    def __init__(self, view: View, caller: Caller, access: FieldAccess, writable: list[str]) -> None:
        self._view = view
        self._caller = caller
        self._collection = access.collection
        self._hidden = access.hidden
        self._writable = writable

    def of(self, values: Record) -> dict[str, dict[str, Any]]:
        """By field: the options, and whether there are more."""
        found = {}
        for name, item in self._collection.fields.items():
            if name in self._hidden and name not in self._writable:
                # What somebody may neither read nor set is not there for them.
                continue
            if item.enum is not None:
                options = [{"value": value, "label": _word(value)} for value in item.enum]
                found[name] = {"options": options, "more": False}
            elif item.references is not None:
                found[name] = self._referable(item, values.get(name))
            elif name == self._collection.owner and name in self._writable:
                accounts = self._view.service.database.accounts.all(self._view.reading)
                options = [{"value": one.name, "label": one.title or one.name} for one in accounts]
                found[name] = {"options": options, "more": False}
        return found

    def _referable(self, item: Field, current: Any) -> dict[str, Any]:
        """The records a reference may hold, the current one among them, so that a form can preselect it."""
        target, sight = self._view.target(item.references), self._view.sight(self._caller)
        key = target.collection.key
        condition = target.policy.condition("read", sight) if item.name in self._writable else NEVER
        page = Page(condition, order=(Order(key), Order("id")), limit=MOST_CHOICES)
        shown, more = target.records.page(self._view.reading, page)
        if current is not None and all(record[key] != current for record in shown):
            one = self._view.find(target, key, current)
            if one is not None and target.policy.may("read", sight, one):
                shown = [one, *shown]
        seen = target.policy.shown_of(sight, target.policy.fields(sight), shown)
        options = [{"value": one[key], "label": label_of(one, target.collection)} for one in seen]
        return {"options": options, "more": more}


def _word(value: Any) -> str:
    return str(value).replace("_", " ") if isinstance(value, str) else str(value)
