"""Lists: filtering, searching, sorting and keyset paging, which stays right while records change."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any
from unicodedata import normalize

from fenland.core.access.conditions import NEVER, Condition
from fenland.core.access.field_access import FieldAccess, Record
from fenland.core.access.knowing import Known
from fenland.core.access.policy import Caller, Sight
from fenland.core.definitions.validation import REFUSED
from fenland.core.definitions.views import MOST_ORDERS, sortable, steps_of
from fenland.core.limits import beyond
from fenland.core.names import did_you_mean
from fenland.core.problems import Malformed, NotPermitted
from fenland.core.values.plain import read_json, write_json
from fenland.service.records.filtering import Filter, filter_condition
from fenland.service.records.including import Included, Wanted, included, narrowed
from fenland.service.records.labels import Labels, labels_of
from fenland.service.service import Resource, Service
from fenland.service.work import View
from fenland.storage.door import Order, Page

LARGEST_PAGE = 200
USUAL_PAGE = 50

#: The last record that a page by number reaches: all before it are passed again for each page.
_FURTHEST = 10_000
#: Words that `q` looks for at most: each is a scan of its own.
_MOST_WORDS = 8
_LONGEST_SEARCH = 200


@dataclass(frozen=True, slots=True)
class ListRequest:
    """A page as asked: `sort` is like `-opened_on,code`; `cursor` comes from the page before."""

    collection: str
    filter: Filter = field(default_factory=Filter)
    q: str = ""
    sort: str = ""
    limit: int = USUAL_PAGE
    cursor: str | None = None
    #: In place of a cursor: which page, from 1, for clients that know numbers alone.
    number: int | None = None
    count: bool = False
    labels: bool = False
    writable: bool = False
    wanted: Wanted = field(default_factory=Wanted)


@dataclass(frozen=True, slots=True)
class Listed:
    """A page: its records and the cursor of the next one; and what else was asked for."""

    items: list[Record]
    next: str | None
    count: int | None = None
    labels: Labels | None = None
    included: Included | None = None
    #: For each item, the fields of it that the caller may change.
    writable: list[list[str]] | None = None


def list_records(service: Service, caller: Caller, request: ListRequest) -> Listed:
    """One page of the records that the caller may read, as they may see them."""
    resource, database, account = service.resource(request.collection), service.database, caller.actor.name
    several = request.count or request.labels or request.writable or bool(request.wanted.include)
    with (database.snapshot if several else database.reading)(account) as reading:
        view = View(service, reading)
        sight = view.sight(caller)
        access = resource.policy.fields(sight)
        page = _page(view, caller, access, request)
        found, more = resource.records.page(reading, page)
        count = resource.records.count(reading, page) if request.count else None
        if request.number is not None and more and len(found) < request.limit:
            # The next page by number would begin behind what this one leaves out.
            raise beyond(
                "answer_limit", service.limits.answer, "The records of this page are too large together."
            )
        shown = resource.policy.shown_of(sight, access, found)
        labels = labels_of(view, caller, resource, shown) if request.labels else None
        with_it = included(view, caller, resource, shown, request.wanted) if request.wanted.include else None
        writable = [writable_of(resource, sight, record) for record in found] if request.writable else None
    cursor = _write_cursor(request, page.order, shown[-1]) if more else None
    return Listed(narrowed(resource, shown, request.wanted), cursor, count, labels, with_it, writable)


def writable_of(resource: Resource, sight: Sight, record: Record) -> list[str]:
    """The fields of a record that a caller may change."""
    if not resource.policy.may("update", sight, record):
        return []
    return resource.policy.fields(sight, record).settable


def _page(view: View, caller: Caller, access: FieldAccess, request: ListRequest) -> Page:
    resource = view.resource(request.collection)
    known = Known(view.service.policies, view.sight(caller))
    if not 1 <= request.limit <= LARGEST_PAGE:
        raise Malformed(f"limit is {request.limit}. It must be from 1 to {LARGEST_PAGE}.")
    if len(request.q) > _LONGEST_SEARCH:
        raise Malformed(f"q is {len(request.q)} characters long. Use at most {_LONGEST_SEARCH}.")
    words = tuple(normalize("NFC", request.q).split())
    searched = _searched(resource, access, known) if words else ()
    if words and not searched:
        raise Malformed(f"{resource.collection.name} has no field with search: true, so q finds nothing.")
    if len(words) > _MOST_WORDS or "\0" in request.q:
        raise Malformed(f"q holds {len(words)} words. Search for at most {_MOST_WORDS} at a time.")
    order = _order(access, known, request.sort)
    after = None
    offset = _offset(request)
    if request.cursor is not None:
        after = _read_cursor(resource, request.cursor, request, order)
    return Page(
        condition=filter_condition(view, caller, resource, request.filter),
        words=words,
        searched=searched,
        order=order,
        after=after,
        limit=request.limit,
        offset=offset,
    )


def _offset(request: ListRequest) -> int:
    """How many records come before a page by its number. Raises `Malformed`."""
    if request.number is None:
        return 0
    if request.cursor is not None:
        raise Malformed("page and cursor name two pages. Send one of them.")
    last = max(1, _FURTHEST // request.limit)
    if not 1 <= request.number <= last:
        told = f"page is {request.number}. With limit {request.limit} it must be from 1 to {last}"
        raise Malformed(f"{told}; what lies further is reached by next, or by a filter.")
    return (request.number - 1) * request.limit


def _searched(resource: Resource, access: FieldAccess, known: Known) -> tuple[tuple[str, Condition], ...]:
    names = (name for name in resource.collection.searched if name not in access.hidden)
    return tuple((name, known.field(resource.collection.name, name)) for name in names)


_BY_ID = (Order("id"),)


def _order(access: FieldAccess, known: Known, sort: str) -> tuple[Order, ...]:
    """The steps of a sort, ending in one that no two records share."""
    if not sort:
        return _BY_ID
    steps = []
    known_steps = sortable(access.collection.fields)
    for name, descending in steps_of(sort):
        if name not in known_steps:
            raise Malformed(f"Records cannot be sorted by {name!r}. {did_you_mean(name, known_steps)}")
        where = known.field(access.collection.name, name)
        if where == NEVER:
            raise NotPermitted(f"{name!r} cannot be read, so it cannot be sorted by either.")
        steps.append(Order(name, descending, where))
    if len(steps) > MOST_ORDERS:
        raise Malformed(f"sort names {len(steps)} fields. Name at most {MOST_ORDERS}.")
    if not any(step.field == "id" for step in steps):
        steps.append(Order("id", descending=bool(steps) and steps[-1].descending))
    return tuple(steps)


def _write_cursor(request: ListRequest, order: tuple[Order, ...], last: Mapping[str, Any]) -> str:
    # What its reader may not see of the last record counts as nothing in the order, too.
    content = [request.sort, [last.get(step.field) for step in order]]
    return base64.urlsafe_b64encode(write_json(content)).decode().rstrip("=")


def _read_cursor(
    resource: Resource, cursor: str, request: ListRequest, order: tuple[Order, ...]
) -> tuple[Any, ...]:
    """The values a cursor was made of. Cursors come back from outside, so each is checked anew."""
    try:
        content = read_json(base64.b64decode(cursor + "=" * (-len(cursor) % 4), b"-_", validate=True))
        made_for, sent = content
        values = [resource.rules.typed(step.field, value) for step, value in zip(order, sent, strict=True)]
    except (binascii.Error, Malformed, ValueError, TypeError):
        made_for, values = None, [REFUSED]
    if made_for != request.sort or REFUSED in values:
        raise Malformed("This cursor was not given out for this list. Begin again without cursor.")
    return tuple(values)
