"""Lists as they were at a time: every record that was there then, as it was, in the order of creation."""

from __future__ import annotations

from fenland.core.access.conditions import ALWAYS
from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.problems import Malformed, NotFound
from fenland.service.history.past import When, as_it_was, names_of, subject_of
from fenland.service.records.including import narrowed
from fenland.service.records.labels import labels_of
from fenland.service.records.listing import LARGEST_PAGE, Listed, ListRequest
from fenland.service.service import Resource, Service
from fenland.service.work import View, snapshot
from fenland.storage.door import Order, Page

#: Records of one page that are looked at, of which few may have been there.
_MOST_LOOKED = 2_000


def list_past(service: Service, caller: Caller, request: ListRequest, at: str) -> Listed:
    """One page of the records that were there at a time and that the caller may read. Raises `Malformed`."""
    chosen = request.q or request.sort or request.filter.where or request.filter.equal
    if chosen or request.count or request.number is not None:
        raise Malformed(
            "A list as it was goes by creation: at takes limit, cursor, fields, labels, writable beside it."
        )
    if request.wanted.include:
        raise Malformed("include shows what records refer to as it is now. Leave it out here.")
    if not 1 <= request.limit <= LARGEST_PAGE:
        raise Malformed(f"limit is {request.limit}. It must be from 1 to {LARGEST_PAGE}.")
    resource = service.resource(request.collection)
    with snapshot(service, caller) as view:
        found, cursor = _page(view, caller, resource, request, at)
        labels = labels_of(view, caller, resource, found) if request.labels else None
    # Nothing of what was can be changed.
    writable = [list[str]() for _ in found] if request.writable else None
    return Listed(narrowed(resource, found, request.wanted), cursor, None, labels, writable=writable)


def _page(
    view: View, caller: Caller, resource: Resource, request: ListRequest, at: str
) -> tuple[list[Record], str | None]:
    found, after = list[Record](), request.cursor or ""
    for _ in range(_MOST_LOOKED // request.limit + 1):
        ids = _ids(view, resource, after, request.limit, at)
        for record_id in ids:
            after = record_id
            record = _as_it_was(view, caller, resource, record_id, at)
            if record is not None:
                found.append(record)
            if len(found) == request.limit:
                return found, after
        if len(ids) < request.limit:
            return found, None
    return found, after


def _ids(view: View, resource: Resource, after: str, limit: int, at: str) -> list[str]:
    """The next ids of records that are there, or were deleted after that time, in order."""
    order = (Order("id"),)
    page = Page(ALWAYS, order=order, after=(after,) if after else None, limit=limit)
    there, _ = resource.records.page(view.reading, page)
    history = view.history
    sequence = history.at(view.reading, at)
    gone = [
        one
        for name in names_of(view, resource)
        for one in history.deleted_since(view.reading, name, sequence, after=after, limit=limit)
    ]
    # Those made since come last, and are none of them.
    ids = [record["id"] for record in there if record["created_at"] <= at]
    return sorted({*ids, *gone})[:limit]


def _as_it_was(view: View, caller: Caller, resource: Resource, record_id: str, at: str) -> Record | None:
    found = subject_of(view, caller, resource, record_id)
    try:
        return None if found is None else found.access.shown(as_it_was(view, found, When(at=at)))
    except NotFound:
        return None
