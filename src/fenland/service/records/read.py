"""Reading one record: as it is stored now, or some of it, with what it refers to."""

from __future__ import annotations

from dataclasses import dataclass

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.service.changes.finding import Address, find
from fenland.service.records.including import Included, Wanted, included, narrowed
from fenland.service.service import Service
from fenland.service.work import View

_ALL = Wanted()


@dataclass(frozen=True, slots=True)
class Found:
    """A record as its reader may see it, and the entity tag of what is shown."""

    record: Record
    etag: str
    included: Included | None = None


def read(service: Service, caller: Caller, address: Address, wanted: Wanted = _ALL) -> Found:
    """The record at an address, as it is stored now."""
    with (service.database.snapshot if wanted.include else service.database.reading)() as reading:
        view = View(service, reading)
        resource, record = find(view, caller, address)
        access = resource.policy.fields(view.sight(caller), record)
        shown = access.shown(record)
        if wanted is _ALL:
            return Found(shown, resource.etag(record, access))
        with_it = included(view, caller, resource, [shown], wanted) if wanted.include else None
    # What is shown beside it, and what of that.
    others = [
        f"{one['id']}.{one['version']}.{service.resources[name].moved} {' '.join(one)}"
        for name, by_key in (with_it or {}).items()
        for one in by_key.values()
    ]
    tag = resource.etag(record, access, others if with_it is None else [*others, "with"])
    return Found(narrowed(resource, [shown], wanted)[0], tag, with_it)
