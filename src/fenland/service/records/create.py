"""Creating a record: defaults, the owner from the caller, the same rules as an update, one entry."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.access.field_access import FieldAccess
from fenland.core.access.policy import Caller, Sight
from fenland.core.changes.change import Change, creation
from fenland.core.changes.rules import Before, lenient
from fenland.core.definitions.model import Blank
from fenland.core.problems import Invalid, Problem
from fenland.service.changes.applying import apply
from fenland.service.changes.beginning import Begun, start_of
from fenland.service.changes.finding import permit
from fenland.service.changes.following import follow
from fenland.service.changes.intent import Intent
from fenland.service.changes.saved import Saved
from fenland.service.changes.settling import derived, protected_problems, refused_fields, saved_as, settle
from fenland.service.records.once import SAVED, Once, once
from fenland.service.service import Resource, Service
from fenland.service.work import View, Work, written


@dataclass(frozen=True, slots=True)
class CreateRequest:
    """A record to create, as asked."""

    collection: str
    fields: Mapping[str, Any]
    blank: Blank | None = None
    lenient: bool = False
    reason: str | None = None
    once: Once | None = None
    #: Raises why the fields could not be read, once records may be created.
    check: Callable[[], None] = lambda: None


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
    # What is not there yet refers to nothing, so that nothing has to be read for this.
    access = creating_access(service.sight(caller), resource)
    request.check()
    return NewRecord(resource, access, request.fields, request)


def creating_access(sight: Sight, resource: Resource) -> FieldAccess:
    """What the caller may give a new record, as far as can be told beforehand. Raises `NotPermitted`."""
    permit("create", resource, sight, None)
    # A transfer is judged by the record as it would be without it: owned by whoever creates it.
    return resource.policy.fields(sight, start_of(resource, sight.caller), creating=True)


def create_within(work: Work, caller: Caller, new: NewRecord) -> Saved:
    """Creates a record within a unit of work that somebody else has opened. Raises `Invalid`."""
    resource = new.resource
    changes, dropped = decide_new(work, caller, new)
    apply(work, caller, changes)
    return saved_as(work, caller, resource, changes, dropped)


def decide_new(view: View, caller: Caller, new: NewRecord) -> tuple[list[Change], tuple[str, ...]]:
    """The changes that create a record, and the fields that lenient handling dropped. Nothing is written.

    To be called by who writes, since records come in the order of their ids. Raises `Invalid`.
    """
    resource, request, problems = new.resource, new.request, list[Problem]()
    rules, stamp = resource.rules, view.stamp(caller, request.reason)
    begun = Begun(view, caller, resource, stamp)
    start = begun.start
    given = rules.settle_blanks(new.sent, request.blank, problems)
    # Nobody sets them; but whoever sends back a whole record, or a file, has them in it.
    sent = {name: given.pop(name) for name in rules.derivations.names if name in given}
    given = rules.drop_protected(given, new.access, Before(start, start), problems)
    fields = begun.fields(given, problems)
    intent = Intent(resource, None, begun.record, fields, given, request.reason, "create")
    if refused := refused_fields(view, caller, derived(view, intent, problems)[0]):
        # What they may not give gets its default.
        given = {name: value for name, value in given.items() if name not in refused}
        problems += protected_problems(refused)
        intent = replace(intent, values=begun.fields(given, []))
    settled = settle(view, caller, replace(intent, given={}), problems)
    rules.refuse_unlike(sent, settled.values, new.access, problems)
    remaining, dropped = lenient(problems) if request.lenient else (problems, [])
    if remaining:
        raise Invalid(remaining)
    change = creation(resource.collection, begun.id, settled.values, stamp)
    return follow(view, caller, change, "create"), tuple(dropped)
