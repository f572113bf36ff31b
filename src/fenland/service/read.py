"""Reading one record."""

from __future__ import annotations

from fenland.core.access import Caller
from fenland.service.finding import Address, find
from fenland.service.saved import Saved
from fenland.service.service import Service
from fenland.service.work import View


def read(service: Service, caller: Caller, address: Address) -> Saved:
    """The record at an address, as it is stored now."""
    with service.database.reading() as reading:
        view = View(service, reading)
        resource, record = find(view, caller, address)
        access = resource.policy.fields(view.sight(caller), record)
    return Saved(access.shown(record), changed=False)
