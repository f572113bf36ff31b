"""Partial update: the pipeline that a PATCH goes through.

`_update` is to be read as one sentence: find the record, see that the actor may see it and may
change it, that the precondition holds; then the patch is read, blanks are settled, protected
fields dropped or refused, the rest merged, validated and compared with what is stored; and if
anything differs, the changed columns and the history entry are saved in one transaction.

The patch is read outside the transaction, and a refusal to read it is raised in its turn, so that
the order of refusals holds: 401, 404, 403, 412 or 428, 415, 400, 409, 422.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from fenland.core.access import Actor
from fenland.core.definitions import Blank
from fenland.core.patches import merge_fields
from fenland.core.problems import Invalid, Problem
from fenland.core.rules import lenient
from fenland.service.finding import UNCONDITIONAL, Address, Preconditions, Record, find, meet, permit
from fenland.service.saving import Saved, check_others, save_changes
from fenland.service.service import Call, Resource, Service
from fenland.storage.sqlite import Connection


@dataclass(frozen=True, slots=True)
class UpdateRequest:
    """A partial update as asked. `read_patch` gives the patch, or raises why it cannot be read."""

    address: Address
    read_patch: Callable[[], dict[str, Any]]
    preconditions: Preconditions = UNCONDITIONAL
    blank: Blank | None = None
    lenient: bool = False
    reason: str | None = None


def update(service: Service, call: Call, request: UpdateRequest) -> Saved:
    """Applies a partial update and returns the saved record.

    Raises the `Refusal` that comes first in the order above; `Invalid` carries all problems at once.
    """
    actor = service.authenticate(call)
    resource = service.resource(request.address.collection)
    return service.database.write(
        lambda connection: _update(service, connection, call, actor, resource, request)
    )


def _update(
    service: Service,
    connection: Connection,
    call: Call,
    actor: Actor,
    resource: Resource,
    request: UpdateRequest,
) -> Saved:
    stored = find(connection, resource, actor, request.address)
    permit("update", resource, actor, stored)
    meet(request.preconditions, resource, stored)
    changes, dropped = _decide(service, connection, actor, resource, request, stored)
    if not changes:
        return Saved(stored, changed=False, dropped=dropped)
    record = save_changes(service, connection, call, actor, resource, stored, changes, reason=request.reason)
    return Saved(record, changed=True, dropped=dropped)


def _decide(
    service: Service,
    connection: Connection,
    actor: Actor,
    resource: Resource,
    request: UpdateRequest,
    stored: Record,
) -> tuple[dict[str, Any], tuple[str, ...]]:
    """The fields to write and those dropped by lenient handling. Raises `Invalid`."""
    rules, problems = resource.rules, list[Problem]()
    patch = rules.settle_blanks(request.read_patch(), request.blank, problems)
    transfer = resource.policy.may("transfer", actor, stored)
    patch = rules.drop_protected(stored, patch, problems, may_transfer=transfer)
    touched = merge_fields(stored, patch)
    kept = rules.validate(touched, problems)
    changes = rules.difference(stored, kept)
    dropped: list[str] = []
    if changes:
        rules.validate_whole({**stored, **changes}, problems)
        problems += check_others(service, connection, resource, actor, changes, stored["id"])
    if request.lenient:
        problems, dropped = lenient(problems)
    if problems:
        raise Invalid(problems)
    return changes, tuple(dropped)
