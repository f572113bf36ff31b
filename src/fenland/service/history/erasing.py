"""Erasing: values of sensitive fields are taken out of a record and all its history, for good.

What goes: the value in the record, what opens its seals in every entry, and kept outcomes of requests. What
stays: the entries with their commitments, so that every proof made before still holds, and one entry more
that says who erased what, and why.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.changes.change import erasure
from fenland.core.changes.rules import Before
from fenland.core.evolving.lineage import Span, always
from fenland.core.names import did_you_mean
from fenland.core.problems import Conflict, Invalid, Problem, pointer_to
from fenland.service.changes.applying import apply
from fenland.service.changes.finding import UNCONDITIONAL, Address, Preconditions, meet, permit
from fenland.service.changes.following import follow
from fenland.service.changes.intent import Intent
from fenland.service.changes.proposals import scrub_proposals
from fenland.service.changes.saved import Saved
from fenland.service.changes.settling import (
    protected_problems,
    refused_fields,
    saved_as,
    settle,
    shown_as_saved,
)
from fenland.service.history.past import Subject, newest_first, subject
from fenland.service.records.once import SAVED, Once, once
from fenland.service.service import Resource, Service
from fenland.service.work import Work, written

#: Entries that a refusal names.
_NAMED = 10


@dataclass(frozen=True, slots=True)
class EraseRequest:
    """Fields to erase; `values` gives what is to stand there from now on, where that is not nothing."""

    address: Address
    fields: tuple[str, ...]
    reason: str | None
    values: Mapping[str, Any] = field(default_factory=dict)
    preconditions: Preconditions = UNCONDITIONAL
    once: Once | None = None


def erase(service: Service, caller: Caller, request: EraseRequest) -> Saved:
    """Erases values for good, and returns the record as it is then, or its last copy.

    When this returns, the bytes are in no file of the database any more. Copies of it are others' affair.
    """
    service.resource(request.address.collection)

    def work(unit: Work) -> Saved:
        return _erased(unit, caller, request)

    saved = written(service, once(caller, request.once, work, SAVED))
    with service.database.turn.aside():
        service.database.scrub()
    return saved


def _erased(work: Work, caller: Caller, request: EraseRequest) -> Saved:
    found = subject(work, caller, request.address)
    resource, sight = found.resource, work.sight(caller)
    permit("erase", resource, sight, found.record)
    if found.there:
        meet(work, request.preconditions, resource, found.record)
    values = _values(work, caller, found, request)
    _refuse_clear(work, found, request.fields)
    stamp = work.stamp(caller, request.reason)
    gone = [name for name in request.fields if name not in resource.collection.fields]
    change = erasure(resource.collection, found.record, values, stamp, gone)
    if not found.there:
        # Nothing to write but the entry.
        change = replace(change, before=None, after=None)
    changes = follow(work, caller, change, None)
    apply(work, caller, changes)
    history, writing = work.history, work.writing
    spans = [span for name in request.fields for span in _spans(work, found, name)]
    for span in spans:
        history.erase(writing, found.id, span.name, span.above, span.upto)
    names = {*request.fields, *(span.name for span in spans)}
    rewrite_outcomes(work, found.id, names)
    scrub_proposals(work, caller, found.id, names)
    if found.there:
        return saved_as(work, caller, resource, changes)
    return shown_as_saved(work, caller, resource, {**found.record, **values, "version": change.version})


def _values(work: Work, caller: Caller, found: Subject, request: EraseRequest) -> dict[str, Any]:
    """What is to stand in the fields. Raises `Invalid`, with all that is wrong."""
    rules, problems, collection = found.resource.rules, list[Problem](), found.resource.collection
    if request.reason is None:
        problems.append(Problem("/reason", "required", "Must be given: what is erased cannot say why."))
    if not request.fields:
        problems.append(Problem("/fields", "required", "Must name the fields to erase."))
    sensitive = erasable(work.service, found.resource)
    for place, name in enumerate(request.fields):
        if name not in sensitive:
            hint = did_you_mean(name, sensitive)
            detail = f"{name!r} is no sensitive field, and only those can be erased. {hint}"
            problems.append(Problem(pointer_to("fields", place), "not_sensitive", detail))
    for name in request.values:
        if name not in request.fields:
            detail = "Is not among the fields to erase."
            problems.append(Problem(pointer_to("values", name), "unknown_field", detail))
        elif name not in collection.fields or not collection.fields[name].required:
            detail = "Is not required, so nothing has to stand in its place. Leave it out."
            problems.append(Problem(pointer_to("values", name), "not_required", detail))
    if problems:
        raise Invalid(problems)
    given = dict(request.values)
    if given:
        # To put something in the place of what goes is a change like any other.
        permit("update", found.resource, work.sight(caller), found.record)
        given = rules.drop_protected(given, found.access, Before(found.record, found.record), problems)
    asked = [name for name in request.fields if name in collection.fields]
    kept = rules.validate({name: given.get(name) for name in asked}, problems)
    given = {name: value for name, value in kept.items() if name in given}
    if found.there:
        # Required fields stay filled, so that whoever may give them no value cannot erase them either.
        intent = Intent(found.resource, found.record, found.record, kept, given, request.reason, None)
        settle(work, caller, intent, problems)
    elif given:
        intent = Intent(found.resource, found.record, found.record, kept, given, request.reason, None)
        problems += protected_problems(refused_fields(work, caller, intent))
    if problems:
        raise Invalid(problems)
    return kept


def _refuse_clear(work: Work, found: Subject, fields: tuple[str, ...]) -> None:
    """Raises `Conflict` where entries from before a field was sensitive hold its values in clear."""
    spans = [span for name in fields for span in _spans(work, found, name)]
    clear = [
        one.sequence
        for one in newest_first(work, found.id)
        if one.action != "erase"
        and any(
            span.holds(one.sequence or 0) and span.name in one.changes and span.name not in one.seals
            for span in spans
        )
    ]
    if clear:
        listed = ", ".join(str(one) for one in clear[:_NAMED])
        raise Conflict(
            f"{len(clear)} entries are from before the field was sensitive, and hold its values in clear "
            f"({listed}). They cannot be erased: the proofs of the history stand on them.",
            count=len(clear),
        )


def erasable(service: Service, resource: Resource) -> list[str]:
    """The fields whose values can be erased: of today, and those that are no more, whose history is here."""
    lineage = service.lineage(resource)
    today = resource.collection.fields
    gone = {} if lineage is None else lineage.gone()
    return [name for name, item in {**gone, **today}.items() if item.sensitive]


def _spans(work: Work, found: Subject, name: str) -> list[Span]:
    """Where a field stands in entries, under each name that it has and had."""
    lineage = work.service.lineage(found.resource)
    return always(name) if lineage is None else lineage.spans(name)


def rewrite_outcomes(work: Work, record_id: str, fields: set[str]) -> None:
    """Takes these fields of a record out of the kept outcomes of requests; its notices say nothing more, nor
    does what receivers answered to them.
    """
    outcomes = work.service.database.outcomes
    work.service.database.notices.empty(work.writing, record_id)
    work.service.database.deliveries.silence(work.writing, record_id)
    outcomes.rewrite(work.writing, record_id, lambda content: _without(content, record_id, fields))


def _without(content: Any, record_id: str, fields: set[str]) -> Any:
    """A kept outcome, with nothing in these fields of the record."""
    if isinstance(content, dict):
        mine = content.get("id") == record_id
        return {
            name: None if mine and name in fields else _without(member, record_id, fields)
            for name, member in content.items()
        }
    if isinstance(content, list):
        return [_without(member, record_id, fields) for member in content]
    return content
