"""Putting: a whole record at the value of a unique field, created or replaced as it is there or not."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.changes.patches import Replacement
from fenland.core.definitions.model import Blank
from fenland.core.problems import Invalid, NotFound, Problem, VersionMismatch, pointer_to
from fenland.core.values.plain import same
from fenland.service.changes.finding import (
    UNCONDITIONAL,
    Address,
    Base,
    Preconditions,
    find,
    lookup_field,
    lookup_value,
    not_there,
)
from fenland.service.changes.saved import Saved
from fenland.service.records.create import CreateRequest, create_within, read_new
from fenland.service.records.once import SAVED, Keeping, Once, once
from fenland.service.records.update import UpdateRequest, update_within
from fenland.service.service import Service
from fenland.service.work import Work, written


@dataclass(frozen=True, slots=True)
class PutRequest:
    """A whole record as sent, for the address of a unique field; `Address.field` is given."""

    address: Address
    fields: Mapping[str, Any]
    preconditions: Preconditions = UNCONDITIONAL
    base: Base | None = None
    blank: Blank | None = None
    lenient: bool = False
    reason: str | None = None
    once: Once | None = None
    #: Raises why the fields could not be read, once it is known that they may be written.
    check: Callable[[], None] = lambda: None


@dataclass(frozen=True, slots=True)
class Put:
    """What was saved, and whether it was created."""

    saved: Saved
    created: bool


def put(service: Service, caller: Caller, request: PutRequest) -> Put:
    """Creates or replaces a record. Raises the refusals of both."""
    service.resource(request.address.collection)

    def work(unit: Work) -> Put:
        return put_within(unit, caller, request)

    return written(service, once(caller, request.once, work, _KEEPING))


def put_within(work: Work, caller: Caller, request: PutRequest) -> Put:
    """The same, within a unit of work that somebody else has opened."""
    address = request.address
    resource = work.resource(address.collection)
    field = lookup_field(resource, address)
    value = lookup_value(resource, field, address.value)
    if value is None or field == "id":
        # No record can be made to have it.
        raise not_there(address)

    def check() -> None:
        request.check()
        _refuse_another(request.fields, field, value)

    fields = {**request.fields, field: value}
    try:
        find(work, caller, address)
    except NotFound:
        if request.preconditions.match is not None:
            # There is none that it could match (RFC 9110 section 13.1.1).
            raise VersionMismatch(
                "The record you saw is not there any more. Read anew, then decide."
            ) from None
        asked = CreateRequest(
            address.collection,
            fields,
            request.blank,
            lenient=request.lenient,
            reason=request.reason,
            check=check,
        )
        return Put(create_within(work, caller, read_new(work.service, caller, asked)), created=True)

    update = UpdateRequest(
        address,
        Replacement(fields),
        request.preconditions,
        request.base,
        request.blank,
        lenient=request.lenient,
        reason=request.reason,
        check=check,
    )
    return Put(update_within(work, caller, update), created=False)


def _refuse_another(sent: Mapping[str, Any], field: str, value: Any) -> None:
    """Raises `Invalid` where what was sent says another value than the address."""
    if field in sent and not same(sent[field], value):
        detail = f"The address says {value!r}. Send the same, or leave it out."
        raise Invalid([Problem(pointer_to(field), "address", detail, {"address": value})])


def _keep(put: Put) -> dict[str, Any]:
    return {**SAVED.keep(put.saved), "created": put.created}


def _give(work: Work, caller: Caller, kept: dict[str, Any]) -> Put:
    return Put(SAVED.give(work, caller, kept), kept["created"])


_KEEPING = Keeping(_keep, _give)
