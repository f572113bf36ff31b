"""Creating a record: defaults, the owner from the caller, the same rules as an update, one entry."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access import Caller
from fenland.core.changes import creation
from fenland.core.definitions import Blank
from fenland.core.field_access import FieldAccess
from fenland.core.limits import check_record
from fenland.core.problems import Invalid, Problem
from fenland.core.rules import Before, lenient
from fenland.service.applying import apply
from fenland.service.finding import permit
from fenland.service.once import SAVED, Once, once
from fenland.service.others import check_others
from fenland.service.saved import Saved
from fenland.service.service import Resource, Service
from fenland.service.work import Work, written


@dataclass(frozen=True, slots=True)
class CreateRequest:
    """A record to create. `read_fields` gives what was sent, or raises why it cannot."""

    collection: str
    read_fields: Callable[[FieldAccess], Mapping[str, Any]]
    blank: Blank | None = None
    lenient: bool = False
    reason: str | None = None
    once: Once | None = None


@dataclass(frozen=True, slots=True)
class NewRecord:
    """A record to create, as it was sent, whose creation is permitted."""

    resource: Resource
    access: FieldAccess
    sent: Mapping[str, Any]
    request: CreateRequest


def create(service: Service, caller: Caller, request: CreateRequest) -> Saved:
    """Creates a record and returns it as saved."""
    new = read_new(service, caller, request)

    def work(unit: Work) -> Saved:
        return create_within(unit, caller, new)

    return written(service, once(caller, request.once, work, SAVED))


def read_new(service: Service, caller: Caller, request: CreateRequest) -> NewRecord:
    """What a request to create holds. Raises its refusals so far: `NotFound`, `NotPermitted`, `Malformed`."""
    resource = service.resource(request.collection)
    permit("create", resource, caller, {})
    # A transfer is judged by the record as it would be without it: owned by whoever creates it.
    access = resource.policy.fields(caller.actor, start_of(resource, caller), creating=True)
    return NewRecord(resource, access, request.read_fields(access), request)


def start_of(resource: Resource, caller: Caller) -> dict[str, Any]:
    """A record of which nothing is known yet but whose it is."""
    owner = resource.collection.owner
    owned = {} if owner is None else {owner: caller.actor.name}
    return {**dict.fromkeys(resource.collection.fields), **owned}


def create_within(work: Work, caller: Caller, new: NewRecord) -> Saved:
    """Creates a record within a unit of work that somebody else has opened."""
    resource, request, problems = new.resource, new.request, list[Problem]()
    rules, start = resource.rules, start_of(new.resource, caller)
    given = rules.settle_blanks(new.sent, request.blank, problems)
    given = rules.drop_protected(given, new.access, Before(start, start), problems)
    fields = rules.start_record(given, start, problems)
    fields = rules.validate_new(fields, problems)
    check_record(fields, fields, work.limits)
    record_id, stamp = work.service.new_id(), work.stamp(caller, request.reason)
    problems += check_others(work, caller, resource, fields, record_id)
    remaining, dropped = lenient(problems) if request.lenient else (problems, [])
    if remaining:
        raise Invalid(remaining)
    change = creation(resource.collection, record_id, fields, stamp)
    apply(work, caller, [change])
    return Saved(new.access.shown(change.result), changed=True, dropped=tuple(dropped))
