"""Deleting a record; what that does to the records that refer to it, `following.py` says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.changes.change import Change, deletion
from fenland.core.changes.conflicts import refuse_conflicts
from fenland.core.changes.rules import Before
from fenland.core.definitions.model import Trigger
from fenland.core.problems import Invalid, Problem
from fenland.service.changes.applying import apply
from fenland.service.changes.finding import (
    UNCONDITIONAL,
    Address,
    Base,
    Preconditions,
    demand_reason,
    find,
    meet,
    permit,
)
from fenland.service.changes.following import follow
from fenland.service.changes.saved import Saved
from fenland.service.records.once import SAVED, Once, once
from fenland.service.records.seen import as_seen
from fenland.service.service import Resource, Service
from fenland.service.work import View, Work, written


@dataclass(frozen=True, slots=True)
class DeleteRequest:
    """A deletion as asked."""

    address: Address
    preconditions: Preconditions = UNCONDITIONAL
    reason: str | None = None
    once: Once | None = None
    #: What the caller was looking at: what others changed since stands in the way.
    base: Base | None = None
    #: What it is for effects; None for the taking back of a creation.
    trigger: Trigger | None = "delete"
    #: Raises what else is wrong with the request, once the record was found and may be deleted.
    check: Callable[[], None] = lambda: None


def delete(service: Service, caller: Caller, request: DeleteRequest) -> Saved:
    """Deletes a record and returns its last copy. Raises `Conflict` when others refer to it."""
    service.resource(request.address.collection)

    def work(unit: Work) -> Saved:
        return delete_within(unit, caller, request)

    return written(service, once(caller, request.once, work, SAVED))


def delete_within(work: Work, caller: Caller, request: DeleteRequest) -> Saved:
    """Deletes a record within a unit of work that somebody else has opened."""
    resource, stored, changes = decide_deletion(work, caller, request)
    access = resource.policy.fields(work.sight(caller), stored)
    apply(work, caller, changes)
    return Saved(access.shown(stored), True, resource.etag(stored, access), resource.collection.name)


def decide_deletion(
    view: View, caller: Caller, request: DeleteRequest
) -> tuple[Resource, Record, list[Change]]:
    """What a deletion comes to: the record, and all changes. Nothing is written; raises why it cannot be."""
    resource, stored = find(view, caller, request.address)
    permit("delete", resource, view.sight(caller), stored)
    # Naming the version one saw is what a precondition is demanded for.
    if request.base is None or request.preconditions != UNCONDITIONAL:
        meet(view, request.preconditions, resource, stored)
    request.check()
    if request.base is not None:
        before = Before(stored, as_seen(view, caller, resource, stored, request.base))
        gone = dict.fromkeys(resource.collection.fields)
        access = resource.policy.fields(view.sight(caller), stored)
        refuse_conflicts(before, gone, access, frozenset())
    problems: list[Problem] = []
    demand_reason(caller, resource, request.reason, problems)
    if problems:
        raise Invalid(problems)
    change = deletion(resource.collection, stored, view.stamp(caller, request.reason))
    return resource, stored, follow(view, caller, change, request.trigger)
