"""Reading one record: as it is stored now, or some of it, with what it refers to."""

from __future__ import annotations

from dataclasses import dataclass

from fenland.core.access import Caller
from fenland.core.identity import etag_with
from fenland.core.problems import Malformed
from fenland.service.expanding import Expanded, Wanted, expanded, narrowed
from fenland.service.finding import Address, find
from fenland.service.past import When, as_it_was, subject
from fenland.service.service import Service
from fenland.service.work import View
from fenland.storage.door import Record

_ALL = Wanted()


def read_past(service: Service, caller: Caller, address: Address, wanted: Wanted, when: When) -> Found:
    """A record as it was, also one that is gone. Raises `Malformed` for references to expand."""
    if wanted.expand:
        raise Malformed("expand shows what a record refers to as it is now. Leave it out here.")
    with service.database.snapshot(caller.actor.name) as reading:
        view = View(service, reading)
        found = subject(view, caller, address)
        record = as_it_was(view, found, when)
    shown = narrowed(found.resource, [found.access.shown(record)], wanted)[0]
    return Found(shown, found.resource.etag(record))


@dataclass(frozen=True, slots=True)
class Found:
    """A record as its reader may see it, and the entity tag of what is shown."""

    record: Record
    etag: str
    expanded: Expanded | None = None


def read(service: Service, caller: Caller, address: Address, wanted: Wanted = _ALL) -> Found:
    """The record at an address, as it is stored now."""
    with (service.database.snapshot if wanted.expand else service.database.reading)() as reading:
        view = View(service, reading)
        resource, record = find(view, caller, address)
        shown = resource.policy.fields(view.sight(caller), record).shown(record)
        tag = resource.etag(record)
        if wanted is _ALL:
            return Found(shown, tag)
        with_it = expanded(view, caller, resource, [shown], wanted) if wanted.expand else None
    if with_it is not None:
        resources = service.resources
        tags = (resources[name].etag(one) for name, by_key in with_it.items() for one in by_key.values())
        tag = etag_with(tag, sorted(tags))
    return Found(narrowed(resource, [shown], wanted)[0], tag, with_it)
