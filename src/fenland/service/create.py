"""Creating a record: defaults, the owner from the actor, the same rules as an update, one entry."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access import Actor
from fenland.core.definitions import Blank
from fenland.core.limits import check_record
from fenland.core.problems import Invalid, Problem
from fenland.core.rules import Rules, lenient
from fenland.service.finding import permit
from fenland.service.once import SAVED, Once, once
from fenland.service.saving import NamingConflicts, Saved, check_others, history_entry
from fenland.service.service import Call, Resource, Service
from fenland.storage.sqlite import Connection


@dataclass(frozen=True, slots=True)
class CreateRequest:
    """A record to create. `read_fields` gives what was sent, or raises why it cannot."""

    collection: str
    read_fields: Callable[[Rules], Mapping[str, Any]]
    blank: Blank | None = None
    lenient: bool = False
    reason: str | None = None
    once: Once | None = None


def create(service: Service, call: Call, request: CreateRequest) -> Saved:
    """Creates a record and returns it as saved."""
    actor = service.authenticate(call)
    resource = service.resource(request.collection)
    permit("create", resource, actor, {})
    given = request.read_fields(resource.rules)

    def work(connection: Connection) -> Saved:
        return create_within(service, connection, call, actor, resource, request, given)

    return service.database.write(once(service, actor, request.once, work, SAVED))


def create_within(
    service: Service,
    connection: Connection,
    call: Call,
    actor: Actor,
    resource: Resource,
    request: CreateRequest,
    sent: Mapping[str, Any],
) -> Saved:
    """Creates a record within a transaction that the caller holds."""
    rules, collection, problems = resource.rules, resource.collection, list[Problem]()
    given = rules.settle_blanks(sent, request.blank, problems)
    owned = {} if collection.owner is None else {collection.owner: actor.name}
    # A transfer is judged by the record as it would be without it: owned by whoever creates it.
    transfer = resource.policy.may("transfer", actor, owned)
    blank = {**dict.fromkeys(collection.fields), **owned}
    given = rules.drop_protected(blank, given, problems, may_transfer=transfer, creating=True)
    fields = rules.start_record({**owned, **given}, problems)
    fields = rules.validate_new(fields, problems)
    check_record(fields, fields, service.limits)
    record_id, now = service.new_id(), service.now()
    problems += check_others(service, connection, resource, actor, fields, record_id)
    dropped: list[str] = []
    if request.lenient:
        problems, dropped = lenient(problems)
    if problems:
        raise Invalid(problems)
    kept = {"id": record_id, "version": 1, "created_at": now, "created_by": actor.name}
    record = {**kept, "updated_at": now, "updated_by": actor.name, **fields}
    changes = {name: (None, value) for name, value in fields.items() if value is not None}
    entry = history_entry(
        call, actor, resource, record, action="create", changes=changes, reason=request.reason
    )
    with NamingConflicts():
        resource.records.add(connection, record)
        service.database.history.add(connection, entry)
    return Saved(record, changed=True, dropped=tuple(dropped))
