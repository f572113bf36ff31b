"""Partial update: the pipeline that a PATCH goes through.

`decide` is to be read as one sentence: find the record, see that the caller may see it and may change
it, that the precondition holds; then the patch is read and applied to what is stored, protected fields
dropped or refused, the rest validated and compared with what is stored; what others changed since the
version the caller saw is taken into account; and if anything differs, that is the change to be saved,
with its history entry, in one transaction. A preview is the same, and nothing is saved.

The patch is read outside the transaction, and a refusal to read it waits for its place, so that
the order of refusals holds: 401, 404, 403, 412 or 428, 415, 400, 409, 422.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access import Caller
from fenland.core.changes import Change, alteration
from fenland.core.conflicts import refuse_conflicts
from fenland.core.definitions import Blank
from fenland.core.field_access import FieldAccess
from fenland.core.limits import check_record
from fenland.core.patches import Patch
from fenland.core.problems import MOST_PROBLEMS, Invalid, Problem
from fenland.core.rules import Before, lenient
from fenland.service.applying import apply
from fenland.service.finding import UNCONDITIONAL, Address, Base, Preconditions, find, meet, permit
from fenland.service.once import SAVED, Once, once
from fenland.service.others import check_others
from fenland.service.saved import Saved
from fenland.service.seen import as_seen
from fenland.service.service import Service
from fenland.service.work import View, Work, written
from fenland.storage.door import Record


@dataclass(frozen=True, slots=True)
class UpdateRequest:
    """An update as asked. `read_patch` gives the patch, by what the caller may do, or raises why it cannot.

    `base` is what the caller was looking at: fields that others changed since are in conflict.
    """

    address: Address
    read_patch: Callable[[FieldAccess], Patch]
    preconditions: Preconditions = UNCONDITIONAL
    base: Base | None = None
    blank: Blank | None = None
    #: Fields, or places inside them with `/` between the steps, to empty whatever `blank` says.
    clear: tuple[str, ...] = ()
    lenient: bool = False
    reason: str | None = None
    once: Once | None = None


@dataclass(frozen=True, slots=True)
class Decision:
    """What an update comes to: a change, if anything differs, and all that is wrong with it."""

    stored: Record
    access: FieldAccess
    change: Change | None
    problems: list[Problem]
    dropped: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Preview:
    """What an update would do: each change before and after, the record as it would be, what is wrong."""

    record: Record
    changes: Mapping[str, tuple[Any, Any]]
    problems: tuple[Problem, ...]
    dropped: tuple[str, ...]
    version: int


def update(service: Service, caller: Caller, request: UpdateRequest) -> Saved:
    """Applies a partial update and returns the saved record.

    Raises the `Refusal` that comes first in the order above; `Invalid` carries all problems at once.
    """
    service.resource(request.address.collection)

    def work(unit: Work) -> Saved:
        return update_within(unit, caller, request)

    return written(service, once(caller, request.once, work, SAVED))


def update_within(work: Work, caller: Caller, request: UpdateRequest) -> Saved:
    """Updates a record within a unit of work that somebody else has opened."""
    decision = decide(work, caller, request)
    if decision.problems:
        raise Invalid(decision.problems)
    change, record = decision.change, decision.stored
    if change is not None:
        apply(work, caller, [change])
        record = change.result
    return Saved(decision.access.shown(record), changed=change is not None, dropped=decision.dropped)


def preview(service: Service, caller: Caller, request: UpdateRequest) -> Preview:
    """Does everything that `update` does but the saving. Field problems are part of the answer."""
    with service.database.snapshot() as reading:
        decision = decide(View(service, reading), caller, request)
    access, change = decision.access, decision.change
    fields = {} if change is None else change.fields
    return Preview(
        record=access.shown(decision.stored if change is None else change.preview()),
        changes=access.shown(dict(fields)),
        problems=tuple(decision.problems[:MOST_PROBLEMS]),
        dropped=decision.dropped,
        version=decision.stored["version"],
    )


def decide(view: View, caller: Caller, request: UpdateRequest) -> Decision:
    """What an update comes to; the pipeline. Nothing is written."""
    resource, stored = find(view, caller, request.address)
    permit("update", resource, caller, stored)
    # Naming the version one saw is what a precondition is demanded for.
    if request.base is None or request.preconditions != UNCONDITIONAL:
        meet(request.preconditions, resource, stored)
    rules, access, problems = resource.rules, resource.policy.fields(caller.actor, stored), list[Problem]()
    patch = request.read_patch(access)
    before = Before(stored, as_seen(view, caller, stored, request.base))
    shown = access.shown(stored)
    touched = rules.touch(shown, patch, request.blank, problems)
    touched = rules.clear(shown, touched, request.clear)
    touched = rules.drop_protected(touched, access, before, problems)
    kept = rules.validate(touched, problems)
    values = rules.difference(stored, kept, access)
    if before.seen is not stored:
        values = rules.without_unchanged(values, patch, before.seen, access)
        refuse_conflicts(before, values, access, patch.atomic)
    change = None
    if values:
        record = {**stored, **values}
        check_record(record, values, view.limits)
        rules.validate_whole(record, problems)
        problems += check_others(view, caller, resource, values, stored["id"])
        change = alteration(resource.collection, stored, values, view.stamp(caller, request.reason))
    remaining, dropped = lenient(problems) if request.lenient else (problems, [])
    return Decision(stored, access, change, remaining, tuple(dropped))
