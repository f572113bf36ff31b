"""Choices of a field, searched and paged: values and labels, by the access rules of what it refers to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fenland.core.access.field_access import FieldAccess
from fenland.core.access.policy import Caller
from fenland.core.names import did_you_mean
from fenland.core.problems import Malformed, NotFound
from fenland.service.records.labels import label_of
from fenland.service.records.listing import USUAL_PAGE, ListRequest, list_records
from fenland.service.service import Resource, Service

Choice = dict[str, Any]


@dataclass(frozen=True, slots=True)
class ChoicesRequest:
    """A page of choices as asked."""

    collection: str
    field: str
    q: str = ""
    limit: int = USUAL_PAGE
    cursor: str | None = None


@dataclass(frozen=True, slots=True)
class ChoicePage:
    """Choices, and the cursor of the next page."""

    items: list[Choice]
    next: str | None = None


def list_choices(service: Service, caller: Caller, request: ChoicesRequest) -> ChoicePage:
    """One page of what a field may hold. Raises `NotFound` for a field without choices, and `Malformed`."""
    resource = service.resource(request.collection)
    access = resource.policy.fields(service.sight(caller))
    known = chosen_fields(resource, access)
    if request.field not in known:
        hint = did_you_mean(request.field, known)
        raise NotFound(f"{request.field!r} has no choices in {request.collection}. {hint}")
    item = resource.collection.fields[request.field]
    if item.references is not None:
        return _referable(service, caller, request, item.references)
    if item.enum is not None:
        return _matching(request, [{"value": one, "label": str(one)} for one in item.enum])
    with service.database.reading() as reading:
        accounts = service.database.accounts.all(reading)
    return _matching(
        request, [{"value": one.name, "label": one.title} for one in accounts if not one.disabled]
    )


def chosen_fields(resource: Resource, access: FieldAccess) -> list[str]:
    """The fields whose values are chosen among others, as far as the caller may know."""
    return [name for name in resource.collection.fields if _has_choices(resource, access, name)]


def _has_choices(resource: Resource, access: FieldAccess, name: str) -> bool:
    item = resource.collection.fields[name]
    # Accounts are named to those who may give the record to another.
    owner = name == resource.collection.owner and access.sets(name)
    return name not in access.hidden and (item.references is not None or item.enum is not None or owner)


def _referable(service: Service, caller: Caller, request: ChoicesRequest, target: str) -> ChoicePage:
    collection = service.resource(target).collection
    listed = list_records(
        service,
        caller,
        ListRequest(target, q=request.q, sort=collection.key, limit=request.limit, cursor=request.cursor),
    )
    items = [{"value": one[collection.key], "label": label_of(one, collection)} for one in listed.items]
    return ChoicePage(items, listed.next)


def _matching(request: ChoicesRequest, choices: list[Choice]) -> ChoicePage:
    if request.cursor is not None:
        raise Malformed("All choices of this field come in one page. Leave cursor out.")
    words = request.q.casefold().split()
    return ChoicePage([one for one in choices if all(word in one["label"].casefold() for word in words)])
