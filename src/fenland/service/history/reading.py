"""Reading one record as it was."""

from __future__ import annotations

from fenland.core.access.policy import Caller
from fenland.core.problems import Malformed
from fenland.service.changes.finding import Address
from fenland.service.history.past import When, as_it_was, subject
from fenland.service.records.including import Wanted, narrowed
from fenland.service.records.read import Found
from fenland.service.service import Service
from fenland.service.work import snapshot


def read_past(service: Service, caller: Caller, address: Address, wanted: Wanted, when: When) -> Found:
    """A record as it was, also one that is gone. Raises `Malformed` for references to include."""
    if wanted.include:
        raise Malformed("include shows what a record refers to as it is now. Leave it out here.")
    with snapshot(service, caller) as view:
        found = subject(view, caller, address)
        record = as_it_was(view, found, when)
    shown = narrowed(found.resource, [found.access.shown(record)], wanted)[0]
    return Found(shown, found.resource.etag(record, found.access))
