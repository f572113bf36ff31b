"""Reading one record."""

from __future__ import annotations

from fenland.service.finding import Address, find
from fenland.service.saving import Saved
from fenland.service.service import Call, Service


def read(service: Service, call: Call, address: Address) -> Saved:
    """The record at an address, as it is stored now."""
    actor = service.authenticate(call)
    resource = service.resource(address.collection)
    with service.database.reading() as connection:
        record = find(connection, resource, actor, address)
    return Saved(record, changed=False)
