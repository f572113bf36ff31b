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

from fenland.core.access.field_access import FieldAccess, Record
from fenland.core.access.policy import Caller
from fenland.core.changes.change import Change, alteration, previewed
from fenland.core.changes.conflicts import refuse_conflicts
from fenland.core.changes.edits import Edits
from fenland.core.changes.patches import Patch, Replacement
from fenland.core.changes.rules import Before, lenient
from fenland.core.definitions.model import Blank, Trigger
from fenland.core.problems import MOST_PROBLEMS, Invalid, Problem
from fenland.service.changes.applying import apply
from fenland.service.changes.finding import (
    UNCONDITIONAL,
    Address,
    Base,
    Preconditions,
    find,
    meet,
    permit,
)
from fenland.service.changes.followed import NOTHING, Consequences, consequences
from fenland.service.changes.following import follow
from fenland.service.changes.intent import Intent
from fenland.service.changes.saved import Saved
from fenland.service.changes.settling import saved_as, settle
from fenland.service.records.filtering import answered
from fenland.service.records.once import SAVED, Once, once
from fenland.service.records.seen import as_seen
from fenland.service.service import Service
from fenland.service.work import View, Work, snapshot, written


@dataclass(frozen=True, slots=True)
class UpdateRequest:
    """An update as asked.

    `base` is what the caller was looking at: fields that others changed since are in conflict.
    """

    address: Address
    patch: Patch | Replacement
    preconditions: Preconditions = UNCONDITIONAL
    base: Base | None = None
    blank: Blank | None = None
    #: Fields, or places inside them with `/` between the steps, to empty whatever `blank` says.
    clear: tuple[str, ...] = ()
    lenient: bool = False
    reason: str | None = None
    once: Once | None = None
    #: What it is for effects; None for the taking back of a change, which brings no others with it.
    trigger: Trigger | None = "update"
    #: Raises why the patch could not be read, once the record was found and may be changed.
    check: Callable[[], None] = lambda: None


@dataclass(frozen=True, slots=True)
class Decision:
    """What an update comes to: changes, if anything differs, and all that is wrong with it.

    The first change is that of the record itself; the others follow from it.
    """

    stored: Record
    access: FieldAccess
    changes: list[Change]
    problems: list[Problem]
    dropped: tuple[str, ...]

    @property
    def change(self) -> Change | None:
        """The change of the record itself."""
        return self.changes[0] if self.changes else None

    def refuse_problems(self) -> None:
        """Raises `Invalid` when something is wrong."""
        if self.problems:
            raise Invalid(self.problems)


@dataclass(frozen=True, slots=True)
class Preview:
    """What an update would do: each change before and after, the record as it would be, what is wrong."""

    record: Record
    changes: Mapping[str, tuple[Any, Any]]
    problems: tuple[Problem, ...]
    dropped: tuple[str, ...]
    version: int
    follows: Consequences = NOTHING


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
    return carry_out(work, caller, request, decide(work, caller, request))


def carry_out(work: Work, caller: Caller, request: UpdateRequest, decision: Decision) -> Saved:
    """Does what was decided. Raises `Invalid`."""
    decision.refuse_problems()
    change, resource = decision.change, work.resource(request.address.collection)
    if change is None:
        shown = decision.access.shown(decision.stored)
        tag = resource.etag(decision.stored, decision.access)
        return Saved(shown, False, tag, resource.collection.name, decision.dropped)
    apply(work, caller, decision.changes)
    return saved_as(work, caller, resource, decision.changes, decision.dropped)


def preview(service: Service, caller: Caller, request: UpdateRequest) -> Preview:
    """Does everything that `update` does but the saving. Field problems are part of the answer."""
    with snapshot(service) as view:
        return preview_of(view, caller, request)


def preview_of(view: View, caller: Caller, request: UpdateRequest) -> Preview:
    """The same, within a moment of the database."""
    decision = decide(view, caller, request)
    access, change = decision.access, decision.change
    fields = {} if change is None else change.fields
    return Preview(
        record=access.shown(decision.stored if change is None else previewed(decision.changes)),
        changes=access.shown(dict(fields)),
        problems=tuple(decision.problems[:MOST_PROBLEMS]),
        dropped=decision.dropped,
        version=decision.stored["version"],
        follows=consequences(view, caller, decision.changes),
    )


def decide(view: View, caller: Caller, request: UpdateRequest) -> Decision:
    """What an update comes to; the pipeline. Nothing is written."""
    resource, stored = find(view, caller, request.address)
    sight = view.sight(caller)
    permit("update", resource, sight, stored)
    # Naming the version one saw is what a precondition is demanded for.
    if request.base is None or request.preconditions != UNCONDITIONAL:
        meet(view, request.preconditions, resource, stored)
    request.check()
    rules, access, problems = resource.rules, resource.policy.fields(sight, stored), list[Problem]()
    patch = request.patch.within(access) if isinstance(request.patch, Replacement) else request.patch
    if isinstance(patch, Edits) and patch.asked:
        patch = answered(view, sight, resource, stored, patch)
    before = Before(stored, as_seen(view, caller, resource, stored, request.base))
    touched = rules.touch(stored, patch, access, request.blank, problems)
    touched = rules.clear(stored, touched, request.clear)
    may_set = access if request.trigger == "update" else access.of_past()
    touched = rules.drop_protected(touched, may_set, before, problems)
    kept = rules.validate(touched, problems)
    values: Mapping[str, Any] = rules.difference(stored, kept, access)
    if before.seen is not stored:
        values = rules.without_unchanged(values, patch, before.seen, access)
        refuse_conflicts(before, values, access, patch.atomic)
    changes: list[Change] = []
    if values:
        intent = Intent(resource, stored, stored, values, values, request.reason, request.trigger)
        values = settle(view, caller, intent, problems).values
        if values:
            change = alteration(resource.collection, stored, values, view.stamp(caller, request.reason))
            try:
                changes = follow(view, caller, change, request.trigger)
            except Invalid as refused:
                changes, problems = [change], [*problems, *refused.problems]
    remaining, dropped = lenient(problems) if request.lenient else (problems, [])
    return Decision(stored, access, changes, remaining, tuple(dropped))
