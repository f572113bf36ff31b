"""Restoring: a deleted record is brought back, or a record goes back to how it was.

Going back is an ordinary update, to the values of that version; it goes through the pipeline of `update.py`.
Bringing back is like creating, with the id and the owner that the record had.
"""

from __future__ import annotations

from dataclasses import dataclass

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.changes.change import last_of, restoration
from fenland.core.changes.patches import Exactly
from fenland.core.changes.rules import Before
from fenland.core.definitions.model import Trigger
from fenland.core.problems import Conflict, Invalid, Malformed, Problem
from fenland.core.values.plain import same
from fenland.service.changes.applying import apply
from fenland.service.changes.finding import UNCONDITIONAL, Address, Base, Preconditions, permit
from fenland.service.changes.followed import NOTHING, consequences
from fenland.service.changes.following import follow
from fenland.service.changes.intent import Intent
from fenland.service.changes.saved import Saved
from fenland.service.changes.settling import saved_as, settle, unseen
from fenland.service.history.past import NOW, Subject, When, as_it_was, subject
from fenland.service.records.once import SAVED, Once, once
from fenland.service.records.update import Preview, UpdateRequest, preview_of, update_within
from fenland.service.service import Service
from fenland.service.work import View, Work, snapshot, written


@dataclass(frozen=True, slots=True)
class RestoreRequest:
    """A record to bring back, or to have as it was at a moment."""

    address: Address
    when: When = NOW
    preconditions: Preconditions = UNCONDITIONAL
    base: Base | None = None
    reason: str | None = None
    once: Once | None = None
    #: What it is for effects; None where it takes a deletion back.
    trigger: Trigger | None = "restore"


def restore(service: Service, caller: Caller, request: RestoreRequest) -> Saved:
    """Restores a record and returns it as saved."""
    service.resource(request.address.collection)

    def work(unit: Work) -> Saved:
        return restore_within(unit, caller, request)

    return written(service, once(caller, request.once, work, SAVED))


def restore_within(work: Work, caller: Caller, request: RestoreRequest) -> Saved:
    """Restores a record within a unit of work that somebody else has opened."""
    found = subject(work, caller, request.address)
    if not found.there:
        return bring_back(work, caller, found, request)
    asked, version = _as_update(work, found, request)
    with work.doing(restores=version):
        return update_within(work, caller, asked)


def preview(service: Service, caller: Caller, request: RestoreRequest) -> Preview:
    """What restoring would do. Nothing is written."""
    with snapshot(service) as view:
        found = subject(view, caller, request.address)
        if found.there:
            return preview_of(view, caller, _as_update(view, found, request)[0])
        record, problems = _brought_back(view, caller, found, request)
        follows = NOTHING
        if not problems:
            change = restoration(found.resource.collection, record, view.stamp(caller, request.reason))
            try:
                made = follow(view, caller, change, request.trigger)
                follows, record = consequences(view, caller, made), last_of(made).result
            except Invalid as refused:
                problems += refused.problems
        shown, fields = found.access.shown(record), found.resource.collection.fields
        given = {name: (None, value) for name, value in shown.items() if name in fields and value is not None}
        return Preview(shown, given, tuple(problems), (), found.record["version"], follows)


def _as_update(view: View, found: Subject, request: RestoreRequest) -> tuple[UpdateRequest, int]:
    """The update that takes a record back, and the version that it goes back to."""
    if not request.when:
        raise Conflict("The record is there. Say to which version it is to go back, or to which time.")
    record = as_it_was(view, found, request.when)
    fields = found.resource.collection.fields
    # What the caller may not see, they cannot put back either.
    values = {
        name: record[name]
        for name, item in fields.items()
        if name not in found.access.hidden and item.derived is None
    }
    asked = UpdateRequest(
        Address(request.address.collection, found.id, "id"),
        Exactly(values),
        preconditions=request.preconditions,
        base=request.base,
        blank="store",
        reason=request.reason,
        trigger=request.trigger,
    )
    return asked, record["version"]


def bring_back(work: Work, caller: Caller, found: Subject, request: RestoreRequest) -> Saved:
    """Brings a record back that is gone. Raises `Invalid`, with references that are gone named."""
    record, problems = _brought_back(work, caller, found, request)
    if problems:
        raise Invalid(problems)
    resource = found.resource
    change = restoration(resource.collection, record, work.stamp(caller, request.reason))
    changes = follow(work, caller, change, request.trigger)
    apply(work, caller, changes)
    return saved_as(work, caller, resource, changes)


def _brought_back(
    view: View, caller: Caller, found: Subject, request: RestoreRequest
) -> tuple[Record, list[Problem]]:
    """The record as it would come back. Raises `NotPermitted`, as an update from the last copy would."""
    resource, sight, problems = found.resource, view.sight(caller), list[Problem]()
    if request.preconditions.match is not None:
        raise Malformed("If-Match says which version a record is at, and this one is gone. Leave it out.")
    last, rules, access = found.record, resource.rules, found.access
    as_was = as_it_was(view, found, request.when) if request.when else last
    # What is derived comes out of the others.
    kept = access.hidden | rules.derivations.names
    target = {name: last[name] if name in kept else as_was[name] for name in resource.collection.fields}
    given = {name: value for name, value in target.items() if not same(last[name], value)}
    if given:
        permit("update", resource, sight, last)
        rules.drop_protected(given, access.of_past(), Before(last, last), problems)
    # Nothing refers to what is not there.
    target |= rules.derivations.gathered
    there = {name: value for name, value in target.items() if value is not None}
    fields = rules.validate_new(rules.start_record(there, target, problems), problems)
    permit("create", resource, sight, None, {**last, **fields})
    # Unchanged, nothing is asked of it that asks what it was before.
    stored = last if given else None
    intent = Intent(resource, stored, last, fields, given, request.reason, request.trigger)
    record = settle(view, caller, intent, problems).record
    return record, unseen(problems, access)
