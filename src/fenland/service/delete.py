"""Deleting a record, and what that does to the records that refer to it.

Each referring field says what it wants: `restrict` forbids, `clear` empties the reference,
`cascade` deletes the referring record too. All of it is planned before anything is written, and
every record touched gets its own history entry, whose cause is the entry of the first deletion.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from fenland.core.access import Actor
from fenland.core.limits import beyond
from fenland.core.problems import Conflict
from fenland.service.finding import UNCONDITIONAL, Address, Preconditions, Record, find, meet, permit
from fenland.service.once import SAVED, Once, once
from fenland.service.saving import NamingConflicts, Saved, history_entry, save_changes
from fenland.service.service import Call, Resource, Service
from fenland.storage.sqlite import Connection

#: How many records that stand in the way are named.
_NAMED = 10


@dataclass(slots=True)
class _Plan:
    """What a deletion will touch: records to delete, references to clear, and what forbids it."""

    deleted: dict[str, tuple[Resource, Record]] = field(default_factory=dict)
    cleared: dict[str, tuple[Resource, Record, dict[str, Any]]] = field(default_factory=dict)
    blocking: dict[str, tuple[Resource, Record]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class DeleteRequest:
    """A deletion as asked."""

    address: Address
    preconditions: Preconditions = UNCONDITIONAL
    reason: str | None = None
    once: Once | None = None
    #: Raises what else is wrong with the request, once the record was found and may be deleted.
    check: Callable[[], None] = lambda: None


def delete(service: Service, call: Call, request: DeleteRequest) -> Saved:
    """Deletes a record and returns its last copy. Raises `Conflict` when others refer to it."""
    actor = service.authenticate(call)
    resource = service.resource(request.address.collection)

    def work(connection: Connection) -> Saved:
        return delete_within(service, connection, call, actor, resource, request)

    return service.database.write(once(service, actor, request.once, work, SAVED))


def delete_within(
    service: Service,
    connection: Connection,
    call: Call,
    actor: Actor,
    resource: Resource,
    request: DeleteRequest,
) -> Saved:
    """Deletes a record within a transaction that the caller holds."""
    stored = find(connection, resource, actor, request.address)
    permit("delete", resource, actor, stored)
    meet(request.preconditions, resource, stored)
    request.check()
    plan = _follow(service, connection, resource, stored)
    _refuse_blocked(actor, plan)
    cause: int | None = None
    with NamingConflicts():
        for owner, record in plan.deleted.values():
            # The first one planned is the one asked for; the others follow from it.
            sequence = _remove(service, connection, call, actor, owner, record, request.reason, cause)
            cause = cause or sequence
    for owner, record, changes in plan.cleared.values():
        save_changes(service, connection, call, actor, owner, record, changes, cause=cause)
    return Saved(stored, changed=True)


def _follow(service: Service, connection: Connection, resource: Resource, record: Record) -> _Plan:
    """Plans the deletion of a record: everything that refers to it, and to what goes with it."""
    plan, ahead, room = _Plan(), [(resource, record)], service.limits.cascade
    plan.deleted[record["id"]] = (resource, record)
    while ahead:
        target, gone = ahead.pop()
        key = gone[target.collection.key]
        for collection, item in service.definitions.referring_to(target.collection.name):
            referring = service.resources[collection.name]
            if item.on_delete != "restrict":
                count = referring.records.count_referring(connection, item.name, key)
                room -= count
                if room < 0:
                    touched = service.limits.cascade - room
                    raise beyond(
                        "cascade_limit",
                        service.limits.cascade,
                        f"The deletion would touch {touched} records.",
                    )
            # Of those that forbid, more than could be deleted along with it need not be known.
            most = service.limits.cascade + _NAMED
            for other in referring.records.referring(connection, item.name, key, most):
                if other["id"] in plan.deleted:
                    continue
                if item.on_delete == "cascade":
                    plan.deleted[other["id"]] = (referring, other)
                    ahead.append((referring, other))
                elif item.on_delete == "clear":
                    _, _, changes = plan.cleared.setdefault(other["id"], (referring, other, {}))
                    changes[item.name] = None
                else:
                    plan.blocking[other["id"]] = (referring, other)
    return plan


def _refuse_blocked(actor: Actor, plan: _Plan) -> None:
    # What is itself deleted neither forbids nor needs clearing, in whichever order it was met.
    blocking = [one for record_id, one in plan.blocking.items() if record_id not in plan.deleted]
    for record_id in plan.deleted:
        plan.cleared.pop(record_id, None)
    if not blocking:
        return
    # Only those the actor may see are counted and named: a count of the others would tell of them.
    seen = [(owner, record) for owner, record in blocking if owner.policy.may("read", actor, record)]
    named = [
        {"collection": owner.collection.name, "key": record[owner.collection.key]}
        for owner, record in seen[:_NAMED]
    ]
    who = "records that you may not see refer"
    if seen:
        who = "1 record refers" if len(seen) == 1 else f"{len(seen)} records refer"
    raise Conflict(
        f"{who[0].upper()}{who[1:]} to this one. Change or delete what refers to it first.",
        count=len(seen),
        referring=named,
    )


def _remove(
    service: Service,
    connection: Connection,
    call: Call,
    actor: Actor,
    resource: Resource,
    record: Record,
    reason: str | None,
    cause: int | None,
) -> int:
    resource.records.remove(connection, record["id"], record["version"])
    gone = {**record, "version": record["version"] + 1, "updated_at": service.now()}
    changes = {name: (record[name], None) for name in resource.collection.fields if record[name] is not None}
    entry = history_entry(
        call, actor, resource, gone, action="delete", changes=changes, reason=reason, cause=cause
    )
    return service.database.history.add(connection, entry)
