"""Partial update: the pipeline that a PATCH goes through.

`update_within` is to be read as one sentence: find the record, see that the actor may see it and may
change it, that the precondition holds; then the patch is read and applied to what is stored,
protected fields dropped or refused, the rest validated and compared with what is stored; what
others changed since the version the caller saw is taken into account; and if anything differs, the
changed columns and the history entry are saved in one transaction.

The patch is read outside the transaction, and a refusal to read it is raised in its turn, so that
the order of refusals holds: 401, 404, 403, 412 or 428, 415, 400, 409, 422.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access import Actor
from fenland.core.definitions import Blank
from fenland.core.limits import check_record
from fenland.core.patches import Patch
from fenland.core.problems import MOST_PROBLEMS, Conflict, Invalid, Problem, pointer_to
from fenland.core.rules import Rules, lenient
from fenland.core.values import same
from fenland.service.finding import (
    UNCONDITIONAL,
    Address,
    Base,
    Preconditions,
    Record,
    find,
    meet,
    permit,
    visible,
)
from fenland.service.once import SAVED, Once, once
from fenland.service.saving import Saved, check_others, save_changes
from fenland.service.seen import as_seen
from fenland.service.service import Call, Resource, Service
from fenland.storage.sqlite import Connection


@dataclass(frozen=True, slots=True)
class UpdateRequest:
    """An update as asked. `read_patch` gives the patch by the collection's rules, or raises why it cannot.

    `base` is what the caller was looking at: fields that others changed since are in conflict.
    """

    address: Address
    read_patch: Callable[[Rules], Patch]
    preconditions: Preconditions = UNCONDITIONAL
    base: Base | None = None
    blank: Blank | None = None
    #: Fields, or places inside them with `/` between the steps, to empty whatever `blank` says.
    clear: tuple[str, ...] = ()
    lenient: bool = False
    reason: str | None = None
    once: Once | None = None


@dataclass(frozen=True, slots=True)
class Preview:
    """What an update would do: each change before and after, the record as it would be, what is wrong."""

    record: Record
    changes: Mapping[str, tuple[Any, Any]]
    problems: tuple[Problem, ...]
    dropped: tuple[str, ...]
    version: int


@dataclass(frozen=True, slots=True)
class _Decision:
    """What is to be written, and all that is wrong with it."""

    changes: dict[str, Any]
    problems: list[Problem]
    dropped: tuple[str, ...]


def update(service: Service, call: Call, request: UpdateRequest) -> Saved:
    """Applies a partial update and returns the saved record.

    Raises the `Refusal` that comes first in the order above; `Invalid` carries all problems at once.
    """
    actor = service.authenticate(call)
    resource = service.resource(request.address.collection)

    def work(connection: Connection) -> Saved:
        return update_within(service, connection, call, actor, resource, request)

    return service.database.write(once(service, actor, request.once, work, SAVED))


def preview(service: Service, call: Call, request: UpdateRequest) -> Preview:
    """Does everything that `update` does but the saving. Field problems are part of the answer."""
    actor = service.authenticate(call)
    resource = service.resource(request.address.collection)
    with service.database.snapshot() as connection:
        stored = _found(connection, actor, resource, request)
        decision = _decide(service, connection, call, actor, resource, request, stored)
    shown = visible(decision.changes, resource)
    return Preview(
        record=visible({**stored, **decision.changes}, resource),
        changes={name: (stored[name], value) for name, value in shown.items()},
        problems=tuple(decision.problems[:MOST_PROBLEMS]),
        dropped=decision.dropped,
        version=stored["version"],
    )


def update_within(
    service: Service,
    connection: Connection,
    call: Call,
    actor: Actor,
    resource: Resource,
    request: UpdateRequest,
) -> Saved:
    """Updates a record within a transaction that the caller holds; the pipeline."""
    stored = _found(connection, actor, resource, request)
    decision = _decide(service, connection, call, actor, resource, request, stored)
    if decision.problems:
        raise Invalid(decision.problems)
    if not decision.changes:
        return Saved(stored, changed=False, dropped=decision.dropped)
    record = save_changes(
        service, connection, call, actor, resource, stored, decision.changes, reason=request.reason
    )
    return Saved(record, changed=True, dropped=decision.dropped)


def _found(connection: Connection, actor: Actor, resource: Resource, request: UpdateRequest) -> Record:
    """The stored record, once the actor may change it and the preconditions hold."""
    stored = find(connection, resource, actor, request.address)
    permit("update", resource, actor, stored)
    # Naming the version one saw is what a precondition is demanded for.
    if request.base is None or request.preconditions != UNCONDITIONAL:
        meet(request.preconditions, resource, stored)
    return stored


def _decide(
    service: Service,
    connection: Connection,
    call: Call,
    actor: Actor,
    resource: Resource,
    request: UpdateRequest,
    stored: Record,
) -> _Decision:
    rules, problems = resource.rules, list[Problem]()
    patch = request.read_patch(rules)
    seen = None
    if request.base is not None:
        seen = as_seen(service.database.history, connection, call, actor, stored, request.base)
    touched = rules.touch(visible(stored, resource), patch, request.blank, problems)
    touched = rules.clear(visible(stored, resource), touched, request.clear)
    transfer = resource.policy.may("transfer", actor, stored)
    touched = rules.drop_protected(stored, touched, problems, may_transfer=transfer, seen=seen)
    kept = rules.validate(touched, problems)
    changes = rules.difference(stored, kept)
    if seen is not None and seen is not stored:
        changes = rules.without_unchanged(changes, patch, seen)
        _refuse_conflicts(resource, stored, seen, changes, patch.atomic)
    dropped: list[str] = []
    if changes:
        record = {**stored, **changes}
        check_record(record, changes, service.limits)
        rules.validate_whole(record, problems)
        problems += check_others(service, connection, resource, actor, changes, stored["id"])
    if request.lenient:
        problems, dropped = lenient(problems)
    return _Decision(changes, problems, tuple(dropped))


def _refuse_conflicts(
    resource: Resource, stored: Record, seen: Record, changes: Mapping[str, Any], atomic: frozenset[str]
) -> None:
    """Raises `Conflict` for fields that both the caller and others changed since the caller saw them."""
    conflicts = [
        {"pointer": pointer_to(name)}
        if name in resource.rules.hidden
        else {
            "pointer": pointer_to(name),
            "base": seen[name],
            "current": stored[name],
            "yours": value,
        }
        for name, value in changes.items()
        # A field that others changed and changed back is as the caller saw it.
        if name not in atomic and not same(seen[name], stored[name])
    ]
    if conflicts:
        raise Conflict(
            f"Others changed the same fields since version {seen['version']}. Decide for each, then send it "
            f"again with base={stored['version']}.",
            version=stored["version"],
            conflicts=conflicts,
        )
