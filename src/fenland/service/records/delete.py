"""Deleting a record, and what that does to the records that refer to it.

Each referring field says what it wants: `restrict` forbids, `clear` empties the reference,
`cascade` deletes the referring record too. All of it is decided before anything is written, and
every record touched gets its own history entry, whose cause is the entry of the first deletion.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.changes.change import Change, Stamp, alteration, deletion
from fenland.core.changes.conflicts import refuse_conflicts
from fenland.core.changes.rules import Before
from fenland.core.definitions.model import Collection, Field
from fenland.core.limits import beyond
from fenland.core.problems import Conflict, Invalid, Problem
from fenland.service.records.applying import apply
from fenland.service.records.finding import (
    UNCONDITIONAL,
    Address,
    Base,
    Preconditions,
    demand_reason,
    find,
    meet,
    permit,
)
from fenland.service.records.once import SAVED, Once, once
from fenland.service.records.saved import Saved
from fenland.service.records.seen import as_seen
from fenland.service.service import Resource, Service
from fenland.service.work import View, Work, written
from fenland.storage.door import Record

#: How many records that stand in the way are named.
_NAMED = 10
#: The place, in the list of changes, of the deletion that was asked for.
_ASKED_FOR = 0


@dataclass(frozen=True, slots=True)
class DeleteRequest:
    """A deletion as asked."""

    address: Address
    preconditions: Preconditions = UNCONDITIONAL
    reason: str | None = None
    once: Once | None = None
    #: What the caller was looking at: what others changed since stands in the way.
    base: Base | None = None
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
    plan, resource, stored = plan_of(work, caller, request)
    access = resource.policy.fields(work.sight(caller), stored)
    apply(work, caller, plan.changes(work.stamp(caller, request.reason)))
    return Saved(access.shown(stored), True, resource.etag(stored, access), resource.collection.name)


def plan_of(view: View, caller: Caller, request: DeleteRequest) -> tuple[_Plan, Resource, Record]:
    """What a deletion comes to. Raises why it cannot be done."""
    resource, stored = find(view, caller, request.address)
    permit("delete", resource, view.sight(caller), stored)
    # Naming the version one saw is what a precondition is demanded for.
    if request.base is None or request.preconditions != UNCONDITIONAL:
        meet(request.preconditions, resource, stored)
    request.check()
    if request.base is not None:
        before = Before(stored, as_seen(view, caller, resource, stored, request.base))
        gone = dict.fromkeys(resource.collection.fields)
        access = resource.policy.fields(view.sight(caller), stored)
        refuse_conflicts(before, gone, access, frozenset())
    problems: list[Problem] = []
    demand_reason(resource, request.reason, problems)
    if problems:
        raise Invalid(problems)
    plan = _Plan(view, resource, stored)
    plan.follow()
    plan.refuse_blocked(caller)
    return plan, resource, stored


@dataclass(slots=True)
class _Touched:
    """A record that the deletion touches; for one that stays, the references to be emptied."""

    resource: Resource
    record: Record
    cleared: dict[str, Any] = field(default_factory=dict)


class _Plan:
    """What a deletion will touch: records to delete, references to clear, and what forbids it."""

    def __init__(self, view: View, resource: Resource, record: Record) -> None:
        self._view = view
        self._room = view.limits.cascade
        first = _Touched(resource, record)
        self._deleted = {record["id"]: first}
        self._ahead = [first]
        self._cleared: dict[str, _Touched] = {}
        self._blocking: dict[str, _Touched] = {}

    def follow(self) -> None:
        """Finds everything that refers to the record, and to what goes with it. Raises `TooLarge`."""
        definitions = self._view.service.definitions
        while self._ahead:
            gone = self._ahead.pop()
            for collection, item in definitions.referring_to(gone.resource.collection.name):
                self._refer(gone, collection, item)

    def _refer(self, gone: _Touched, collection: Collection, item: Field) -> None:
        """Takes in what refers to a record that goes, by one field of one collection."""
        referring, view = self._view.resource(collection.name), self._view
        key, most = gone.record[gone.resource.collection.key], view.limits.cascade
        if item.on_delete != "restrict":
            self._room -= view.count_referring(referring, item.name, key)
            if self._room < 0:
                raise beyond("cascade_limit", most, f"The deletion would touch {most - self._room} records.")
        # Of those that forbid, more than could be deleted along with it need not be known.
        for other in view.referring(referring, item.name, key, most + _NAMED):
            touched = _Touched(referring, other)
            if other["id"] in self._deleted:
                continue
            if item.on_delete == "cascade":
                self._deleted[other["id"]] = touched
                self._ahead.append(touched)
            elif item.on_delete == "clear":
                self._cleared.setdefault(other["id"], touched).cleared[item.name] = None
            else:
                self._blocking[other["id"]] = touched

    def refuse_blocked(self, caller: Caller) -> None:
        """Raises `Conflict` when something forbids the deletion."""
        # What is itself deleted does not forbid it, in whichever order it was met.
        blocking = [one for record_id, one in self._blocking.items() if record_id not in self._deleted]
        if not blocking:
            return
        # Only those the caller may see are counted and named: a count of the others would tell of them.
        sight = self._view.sight(caller)
        seen = [one for one in blocking if one.resource.policy.may("read", sight, one.record)]
        named = [
            {"collection": one.resource.collection.name, "key": one.record[one.resource.collection.key]}
            for one in seen[:_NAMED]
        ]
        who = "records that you may not see refer"
        if seen:
            who = "1 record refers" if len(seen) == 1 else f"{len(seen)} records refer"
        raise Conflict(
            f"{who[0].upper()}{who[1:]} to this one. Change or delete what refers to it first.",
            count=len(seen),
            referring=named,
        )

    def changes(self, stamp: Stamp) -> list[Change]:
        """All of it as changes; the first is the deletion asked for, and the others follow from it.

        The reason is that of the deletion: what is cleared by it has its own entry, which names the cause.
        """
        clearing = replace(stamp, reason=None)
        found = [
            deletion(one.resource.collection, one.record, stamp, None if place == 0 else _ASKED_FOR)
            for place, one in enumerate(self._deleted.values())
        ]
        found += [
            alteration(one.resource.collection, one.record, one.cleared, clearing, _ASKED_FOR)
            for record_id, one in self._cleared.items()
            # What is itself deleted needs no clearing.
            if record_id not in self._deleted
        ]
        return found
