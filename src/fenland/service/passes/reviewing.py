"""Reviewing: what came in through passes is seen, applied or refused by those who may, field by field.

A proposal that is applied is an ordinary change of who applies it, made for the pass that it came through:
it is validated, judged by rules, followed by consequences and undone like any other.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from typing import Any, Literal, NamedTuple

from fenland.core.access.field_access import FieldAccess
from fenland.core.access.policy import Caller
from fenland.core.changes.patches import Exactly
from fenland.core.names import did_you_mean
from fenland.core.problems import (
    Conflict,
    Invalid,
    Malformed,
    NotFound,
    NotPermitted,
    Problem,
    Refusal,
    VersionMismatch,
    pointer_to,
)
from fenland.core.values.plain import same
from fenland.service.changes.finding import Address, Base
from fenland.service.changes.proposals import (
    Fate,
    change_proposal,
    fields_today,
    name_of,
    resource_of,
    settled_so,
    target_of,
)
from fenland.service.history.past import Subject, subject_of
from fenland.service.records.create import CreateRequest, create_within, decide_new, read_new
from fenland.service.records.delete import DeleteRequest, decide_deletion, delete_within
from fenland.service.records.update import UpdateRequest, carry_out, decide
from fenland.service.service import Resource, Service
from fenland.service.work import View, Work, snapshot, written
from fenland.storage.door import Proposal, ProposalState, ProposalsWanted, ProposedField

#: Proposals that are read at a time, and that one page looks through.
_AT_A_TIME, _MOST_LOOKED = 100, 2_000
#: Proposals of one request that settles several; characters of a reason.
MOST_AT_ONCE, LONGEST_REASON = 100, 500


@dataclass(frozen=True, slots=True)
class Seen:
    """A proposal, as who reviews it may see it.

    `of` is the collection of its pass, `collection` that of its fields, which have their names of today;
    `current` is what stands there now; `conflicts` are those that others changed since; `problems` what would
    be wrong if all that waits were applied now.
    """

    proposal: Proposal
    collection: str
    of: str
    fields: Mapping[str, ProposedField]
    current: Mapping[str, Any] = field(default_factory=dict)
    conflicts: tuple[str, ...] = ()
    hidden: frozenset[str] = frozenset()
    problems: tuple[Problem, ...] = ()
    #: The record's version now; None where it is gone.
    version: int | None = None


@dataclass(frozen=True, slots=True)
class ProposalsRequest:
    """A page of proposals: the oldest first, unless `newest`; behind the number `after`."""

    collection: str | None = None
    state: ProposalState | None = None
    address: Address | None = None
    pass_number: int | None = None
    after: int | None = None
    newest: bool = False
    limit: int = 50


@dataclass(frozen=True, slots=True)
class ProposalPage:
    """Proposals that the caller may review, and behind which number there may be more."""

    items: list[Seen]
    next: int | None


@dataclass(frozen=True, slots=True)
class Settling:
    """What is to become of a proposal: of these fields, of which none is all that wait.

    `values` are applied in place of those proposed. `base` is the version of the record that who decides saw:
    without it, fields that others changed since they were proposed are conflicts. `match` holds tags of the
    proposal.
    """

    number: int
    fields: tuple[str, ...] = ()
    values: Mapping[str, Any] = field(default_factory=dict)
    base: int | None = None
    reason: str | None = None
    match: tuple[str, ...] | None = None


def proposal_etag(one: Proposal) -> str:
    """The entity tag of a proposal."""
    return f'"p{one.number}.{one.version}"'


# --- who may see -------------------------------------------------------------------------------------------


class Found(NamedTuple):
    """A proposal with what it is about."""

    proposal: Proposal
    #: The collection whose template it came by, and the record that the pass is for, or its last copy.
    own: Resource
    subject: Subject


def _reviewable(view: View, caller: Caller, one: Proposal) -> Found | None:
    """The proposal with its record, where the caller may review what comes in for that."""
    own = resource_of(view, one)
    subject = None if own is None else subject_of(view, caller, own, one.record_id)
    if own is None or subject is None:
        return None
    if not own.policy.may("review", view.sight(caller), subject.record):
        return None
    return Found(one, own, subject)


def may_review(view: View, caller: Caller) -> bool:
    """Whether there can be anything that the caller may review."""
    sight = view.sight(caller)
    return any(one.policy.ever("review", sight) for one in view.service.resources.values())


def reviewable(view: View, caller: Caller, number: int) -> Found | None:
    """The proposal of this number, where the caller may review it."""
    one = view.service.database.proposals.by_number(view.reading, number)
    return None if one is None else _reviewable(view, caller, one)


def permit_review(service: Service, caller: Caller, number: int) -> None:
    """Raises `NotFound` for a proposal that is not there, or not theirs to review."""
    with snapshot(service, caller) as view:
        _found(view, caller, number)


def _found(view: View, caller: Caller, number: int) -> Found:
    found = reviewable(view, caller, number)
    if found is None:
        raise NotFound(f"There is no proposal {number} that you may review.")
    return found


# --- reading -----------------------------------------------------------------------------------------------


def list_proposals(service: Service, caller: Caller, request: ProposalsRequest) -> ProposalPage:
    """A page of what the caller may review. Raises `NotFound`."""
    with snapshot(service, caller) as view:
        record_id = None
        if request.collection is not None:
            service.resource(request.collection)
        if request.address is not None:
            record_id = _record_id(view, caller, request.address)
        found, at, looked = list[Seen](), request.after, 0
        while looked < _MOST_LOOKED:
            page = service.database.proposals.page(view.reading, _wanted(request, record_id, at))
            for one in page:
                at, looked = one.number, looked + 1
                seen = _reviewable(view, caller, one)
                if seen is not None and _of(seen, request.collection):
                    found.append(_seen(view, caller, seen))
                if len(found) == request.limit:
                    return ProposalPage(found, at)
            if len(page) < _AT_A_TIME:
                return ProposalPage(found, None)
            view.breathe()
        return ProposalPage(found, at)


def _wanted(request: ProposalsRequest, record_id: str | None, at: int | None) -> ProposalsWanted:
    wanted = ProposalsWanted(
        state=request.state,
        record_id=record_id,
        pass_number=request.pass_number,
        newest=request.newest,
        limit=_AT_A_TIME,
    )
    if at is None:
        return wanted
    return wanted._replace(below=at) if request.newest else wanted._replace(above=at)


def _of(found: Found, collection: str | None) -> bool:
    # A collection may have been called otherwise when it came in.
    return collection is None or found.own.collection.name == collection


def _record_id(view: View, caller: Caller, address: Address) -> str:
    from_past = view.resource(address.collection)
    key = from_past.collection.key
    value = address.value
    record = view.find(from_past, address.field or key, value)
    if record is None or not from_past.policy.may("read", view.sight(caller), record):
        raise NotFound(f"There is no {value!r} in {address.collection} that you may see.")
    return str(record["id"])


def find_proposal(service: Service, caller: Caller, number: int) -> Seen:
    """A proposal with what would be wrong if it were applied now. Raises `NotFound`."""
    with snapshot(service, caller) as view:
        found = _found(view, caller, number)
        seen = _seen(view, caller, found)
        return replace(seen, problems=tuple(_problems(view, caller, found, seen)))


def waiting_counts(service: Service, caller: Caller) -> dict[str, int]:
    """By collection, how many wait that the caller may review; of very many, how many were looked through."""
    with snapshot(service, caller) as view:
        found: dict[str, int] = {}
        if not may_review(view, caller):
            return found
        at, looked = 0, 0
        while looked < _MOST_LOOKED:
            wanted = ProposalsWanted(state="waiting", above=at, limit=_AT_A_TIME)
            page = service.database.proposals.page(view.reading, wanted)
            for one in page:
                seen = _reviewable(view, caller, one)
                if seen is not None:
                    name = seen.own.collection.name
                    found[name] = found.get(name, 0) + 1
            if len(page) < _AT_A_TIME:
                break
            at, looked = page[-1].number, looked + len(page)
            view.breathe()
        return found


def _seen(view: View, caller: Caller, found: Found) -> Seen:
    """A proposal as the caller may see it: of fields that they may not read, only that they are there."""
    one, own, subject = found
    target = target_of(view, one)
    name = own.collection.name
    if target is None:
        return Seen(one, name, name, {}, version=_version(subject))
    fields = {name: each for name, (_, each) in fields_today(view, one, target).items()}
    if one.kind == "create":
        access = target.policy.fields(view.sight(caller), creating=True)
        hidden = _hidden(access, fields)
        return Seen(one, target.collection.name, name, fields, hidden=hidden, version=_version(subject))
    record, hidden = subject.record, _hidden(subject.access, fields)
    current = {name: record[name] for name in fields if name not in hidden}
    conflicts = tuple(
        name
        for name, each in fields.items()
        if each.state == "waiting"
        and not same(each.base, record[name])
        and not same(each.proposed, record[name])
    )
    return Seen(one, name, name, fields, current, conflicts, hidden, version=_version(subject))


def _version(subject: Subject) -> int | None:
    return subject.record["version"] if subject.there else None


def _hidden(access: FieldAccess, fields: Iterable[str]) -> frozenset[str]:
    return access.hidden.intersection(fields)


def _problems(view: View, caller: Caller, found: Found, seen: Seen) -> list[Problem]:
    """What would be wrong if all that waits were applied by the caller now."""
    one = found.proposal
    if one.state != "waiting" or (one.fields and not seen.fields):
        return []
    try:
        if one.kind == "create":
            new = read_new(view.service, caller, _creation(seen, {}, None))
            decide_new(view, caller, new)
        elif one.kind == "delete":
            decide_deletion(view, caller, _deletion(found, "It would be deleted."))
        else:
            waiting = {name: each for name, each in seen.fields.items() if each.state == "waiting"}
            values = {name: each.proposed for name, each in waiting.items() if name not in seen.hidden}
            request = _update(found.subject, values, "It would be applied.")
            return decide(view, caller, request).problems if values else []
    except Invalid as invalid:
        return [*invalid.problems]
    except Refusal as refusal:
        return [Problem("", refusal.code.replace("-", "_"), refusal.detail)]
    return []


# --- applying ----------------------------------------------------------------------------------------------


def apply_proposal(service: Service, caller: Caller, settling: Settling) -> Seen:
    """Applies a proposal, or some of its fields, as a change of the caller for the pass that it came through.

    Raises `NotFound`, `NotPermitted`, `VersionMismatch`, `Conflict` naming the fields, and `Invalid`.
    """
    _permit_themselves(caller)

    def work(unit: Work) -> Seen:
        return _applied(unit, caller, settling)

    return written(service, work)


def _applied(work: Work, caller: Caller, settling: Settling) -> Seen:
    found, seen, names = _to_settle(work, caller, settling)
    one = found.proposal
    if one.fields and not seen.fields:
        raise Conflict("Nothing of what it proposes is there any more. Refuse it.", version=one.version)
    values = dict(settling.values)
    for name in values:
        if name not in names:
            detail = f"It does not wait. {did_you_mean(name, names)}"
            raise Invalid([Problem(pointer_to("values", name), "unknown_field", detail)])
    # What its sender said is why, where nobody says anything else.
    settling = replace(settling, reason=settling.reason or one.note[:LONGEST_REASON] or None)
    with work.applying(one.number, name_of(one)):
        if one.kind == "create":
            made = _create(work, caller, seen, settling)
            whole = ProposedField(None, made[1], "applied", None, caller.name, work.service.now())
            one = replace(one, made_id=made[0], whole=whole)
        elif one.kind == "delete":
            delete_within(work, caller, _deletion(found, settling.reason))
        elif names:
            values = {name: values.get(name, seen.fields[name].proposed) for name in names}
            _refuse_conflicts(found, seen, values, settling)
            request = _update(found.subject, values, settling.reason)
            carry_out(work, caller, request, decide(work, caller, request))
    then = fields_then(work, one, names)
    after = settled_so(work, one, then, Fate("applied", caller.name))
    return _again(work, caller, change_proposal(work, caller, found.proposal, after))


def _create(work: Work, caller: Caller, seen: Seen, settling: Settling) -> tuple[str, Any]:
    request = _creation(seen, settling.values, settling.reason)
    saved = create_within(work, caller, read_new(work.service, caller, request))
    key = work.resource(request.collection).collection.key
    return saved.record["id"], saved.record.get(key)


def _creation(seen: Seen, values: Mapping[str, Any], reason: str | None) -> CreateRequest:
    given = {name: each.proposed for name, each in seen.fields.items()}
    return CreateRequest(seen.collection, {**given, **values}, reason=reason)


def _deletion(found: Found, reason: str | None) -> DeleteRequest:
    record = found.subject.record
    address = Address(found.own.collection.name, record["id"], "id")
    return DeleteRequest(address, base=Base(record["version"], record["id"]), reason=reason)


def _update(subject: Subject, values: Mapping[str, Any], reason: str | None) -> UpdateRequest:
    record = subject.record
    address = Address(subject.resource.collection.name, record["id"], "id")
    # What was changed since it was proposed is compared here, by what was seen then.
    base = Base(record["version"], record["id"])
    return UpdateRequest(address, Exactly(values), base=base, reason=reason)


def _refuse_conflicts(found: Found, seen: Seen, values: Mapping[str, Any], settling: Settling) -> None:
    """Raises `Conflict` for fields that others changed since they were proposed, unless that was seen."""
    record = found.subject.record
    if settling.base is not None and settling.base > record["version"]:
        raise Malformed(f"base is {settling.base}, and the record is at version {record['version']}.")
    if settling.base == record["version"]:
        return
    conflicts = [
        {"pointer": pointer_to(name)}
        if name in seen.hidden
        else {
            "pointer": pointer_to(name),
            "base": seen.fields[name].base,
            "current": record[name],
            "yours": value,
        }
        for name, value in values.items()
        if name in seen.conflicts and not same(value, record[name])
    ]
    if conflicts:
        raise Conflict(
            "Others changed the same fields since they were proposed. Decide for each, then send it again "
            f"with base={record['version']}.",
            version=record["version"],
            conflicts=conflicts,
        )


# --- refusing, withdrawing -----------------------------------------------------------------------------


def refuse_proposal(service: Service, caller: Caller, settling: Settling) -> Seen:
    """Refuses a proposal, or some of its fields, for a reason. Raises what applying raises."""
    reason = (settling.reason or "").strip()
    if not reason:
        raise Invalid([Problem("/reason", "required", "Must be given: who sent it may be told.")])
    if len(reason) > LONGEST_REASON or "\0" in reason:
        detail = f"Must be at most {LONGEST_REASON} characters long."
        raise Invalid([Problem("/reason", "max_length", detail)])
    return _ended(service, caller, replace(settling, reason=reason), "refused")


def withdraw_proposal(service: Service, caller: Caller, settling: Settling) -> Seen:
    """Takes back a proposal, or some of its fields, for who sent it. Raises what applying raises."""
    return _ended(service, caller, settling, "withdrawn")


def _ended(
    service: Service, caller: Caller, settling: Settling, state: Literal["refused", "withdrawn"]
) -> Seen:
    _permit_themselves(caller)

    def work(unit: Work) -> Seen:
        found, _, names = _to_settle(unit, caller, settling)
        then = fields_then(unit, found.proposal, names)
        after = settled_so(unit, found.proposal, then, Fate(state, caller.name, settling.reason))
        return _again(unit, caller, change_proposal(unit, caller, found.proposal, after))

    return written(service, work)


def settle_several(
    service: Service, caller: Caller, settlings: Iterable[Settling], settle: Callable[..., Seen]
) -> list[Seen | Refusal]:
    """What becomes of each of several, each on its own."""
    found = list[Seen | Refusal]()
    for one in settlings:
        try:
            found.append(settle(service, caller, one))
        except Refusal as refusal:
            found.append(refusal)
    return found


def _permit_themselves(caller: Caller) -> None:
    if caller.acting is not None:
        raise NotPermitted("A proposal is settled for who sent it already. Settle it as yourself.")


def _to_settle(view: View, caller: Caller, settling: Settling) -> tuple[Found, Seen, list[str]]:
    """A proposal, and which of its fields, by the names of today, are to be settled."""
    found = _found(view, caller, settling.number)
    one = found.proposal
    if settling.match is not None and "*" not in settling.match and proposal_etag(one) not in settling.match:
        raise VersionMismatch(
            f"The proposal is at version {one.version} now. Look at it again, then decide.",
            version=one.version,
        )
    if one.state != "waiting":
        raise Conflict(f"Proposal {one.number} is settled: {one.state}.", version=one.version)
    seen = _seen(view, caller, found)
    # What they may not read they cannot decide about, either.
    waiting = [
        name for name, each in seen.fields.items() if each.state == "waiting" and name not in seen.hidden
    ]
    if seen.fields and not waiting and one.kind != "create":
        raise NotPermitted("All that waits of it is in fields that you may not read. Ask somebody who may.")
    problems = [
        Problem(
            pointer_to("fields", place),
            "unknown_field",
            f"{name!r} does not wait. {did_you_mean(name, waiting)}",
        )
        for place, name in enumerate(settling.fields)
        if name not in waiting
    ]
    if one.kind == "create" and settling.fields:
        detail = "A new record is settled as a whole. Leave it out."
        problems = [Problem("/fields", "not_required", detail)]
    if problems:
        raise Invalid(problems)
    return found, seen, [*(settling.fields or ([*seen.fields] if one.kind == "create" else waiting))]


def fields_then(view: View, one: Proposal, names: Iterable[str]) -> list[str]:
    """What fields of today are called in a proposal; those that are no more are settled with the last."""
    target = target_of(view, one)
    known = {} if target is None else fields_today(view, one, target)
    chosen = [known[name][0] for name in names if name in known]
    gone = [name for name in one.waiting if name not in {then for then, _ in known.values()}]
    everything = {name for name, (_, each) in known.items() if each.state == "waiting"} <= {*names}
    return [*chosen, *(gone if everything else ())]


def _again(work: Work, caller: Caller, one: Proposal) -> Seen:
    """A proposal as it is seen once it is settled, which its reviewer may not be able to any more."""
    with suppress(NotFound):
        return _seen(work, caller, _found(work, caller, one.number))
    return Seen(one, one.collection, one.collection, {})
