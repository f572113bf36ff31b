"""Proposing: what the holder of a pass sends is checked like any change, then applied or kept until it is
reviewed, field by field.

All of it is one transaction: what is wrong with one field refuses the whole, and nothing is kept of it.
"""

from __future__ import annotations

import hmac
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.access.field_access import FieldAccess, Record
from fenland.core.access.policy import Actor, Caller
from fenland.core.changes.patches import Exactly, MergePatch, Patch
from fenland.core.consequences.fitting import Fitted
from fenland.core.definitions.model import Applying
from fenland.core.expressions import EvaluationError
from fenland.core.problems import Invalid, Malformed, NotPermitted, Problem, Refusal, TooMany
from fenland.core.values.plain import same
from fenland.service.addresses import counted_as
from fenland.service.changes.finding import Address, Base
from fenland.service.changes.others import not_to_be_chosen
from fenland.service.changes.proposals import (
    Fate,
    add_proposal,
    begin_proposal,
    change_proposal,
    overtake,
    remove_proposal,
    settled_so,
)
from fenland.service.passes.holding import (
    Asking,
    Ended,
    Held,
    held_by,
    holds,
    permit_answered,
    record_of,
)
from fenland.service.records.create import CreateRequest, create_within, decide_new, read_new
from fenland.service.records.seen import as_seen
from fenland.service.records.update import Decision, UpdateRequest, carry_out, decide
from fenland.service.service import Service
from fenland.service.work import Work, snapshot, written
from fenland.storage.door import Proposal, ProposalKind, ProposalsWanted, ProposedField

#: Characters of what is said beside it, and of what tells one sending from another.
LONGEST_NOTE, LONGEST_TOKEN = 1_000, 64
#: Proposals of one pass that may wait, and of a list that many have the link of; sendings within a minute of
#: one pass, and within an hour of a list from one address.
_MOST_WAITING, _MOST_WAITING_OF_MANY, _MOST_SENT, _MINUTE, _HOUR = 100, 500, 20, 60, 3_600
#: Who forgets what is too old.
_RETENTION = Caller(Actor("fenland"), via="retention")
#: Proposals that are forgotten at a time.
_FORGOTTEN = 10
#: The reason of changes, where records of a collection demand one and the sender says nothing.
_NO_NOTE = "It was proposed by the holder of a pass."
#: What is said of values that whoever sent it does not see.
_UNSEEN = "Something that is not shown here does not allow it."


@dataclass(frozen=True, slots=True)
class Sending:
    """What a holder sends: other values of fields, seen as of the version `base`; or what `kind` says.

    `token` is the same however often it comes, `key` is of the record where the pass lists many.
    """

    kind: ProposalKind
    patch: MergePatch
    token: str
    base: int = 0
    note: str = ""
    key: str | None = None


@dataclass(frozen=True, slots=True)
class Sent:
    """What came of a sending: a proposal, or None where nothing of it differs from what is there.

    `repeated` says that it came before; `conflicts` are the fields that others changed meanwhile.
    """

    proposal: Proposal | None
    repeated: bool = False
    conflicts: tuple[str, ...] = ()


def propose(service: Service, asking: Asking, sending: Sending) -> Sent:
    """Takes in what a holder sends.

    Raises `Ended`, `AnswerWanted`, `Locked`, `TooMany`, `Malformed`, `Invalid` with all that is wrong, and
    `Conflict` where it was changed too often since to compare.
    """
    _check(sending)
    with snapshot(service) as view:
        # Who has no link keeps nobody from writing.
        held_by(view, asking)

    def work(unit: Work) -> Sent:
        held = held_by(unit, asking)
        permit_answered(held, asking.proof, service.clock())
        before = service.database.proposals.sent(unit.writing, held.handed.number, sending.token)
        if before is not None:
            return Sent(before, repeated=True)
        if held.used_up or not _lets(held, sending.kind):
            raise Ended
        _refuse_flood(unit, held, asking.address)
        record, access = record_of(unit, held, sending.key)
        made = _Proposing(unit, held, record, access, sending).made(asking)
        changed = () if made is None or made.kind != "change" else made.fields.items()
        conflicts = tuple(name for name, each in changed if not same(each.base, record[name]))
        _forget_old(unit)
        if made is not None:
            used = replace(held.handed, sent=held.handed.sent + 1, sent_at=service.now())
            service.database.passes.use(unit.writing, used)
        return Sent(made, conflicts=conflicts)

    return written(service, work)


def withdraw_sent(service: Service, asking: Asking, number: int, token: str = "") -> Proposal:
    """Takes back what still waits of a proposal of a holder's own. Raises `Ended` for any other.

    A list many have the link of: there its sender alone knows the token.
    """
    with snapshot(service) as view:
        held_by(view, asking)

    def work(unit: Work) -> Proposal:
        held = held_by(unit, asking)
        permit_answered(held, asking.proof, service.clock())
        found = service.database.proposals.by_number(unit.writing, number)
        if found is None or found.pass_number != held.handed.number or held.used_up:
            raise Ended
        if held.template.lists and not hmac.compare_digest(
            token.encode("utf-8", "replace"), found.token.encode()
        ):
            raise Ended
        after = settled_so(unit, found, found.waiting, Fate("withdrawn", held.caller.name))
        return change_proposal(unit, held.caller, found, after)

    return written(service, work)


def _check(sending: Sending) -> None:
    if not 0 < len(sending.token) <= LONGEST_TOKEN or not sending.token.isascii():
        raise Malformed(
            "What was sent says not which sending it is. Open the page again, and send from there."
        )
    if len(sending.note) > LONGEST_NOTE or "\0" in sending.note:
        raise Invalid([Problem("/note", "max_length", f"Must be at most {LONGEST_NOTE} characters long.")])


def _lets(held: Held, kind: ProposalKind) -> bool:
    template = held.template
    lets: Mapping[ProposalKind, bool] = {
        "change": bool(template.changes),
        "create": template.creation is not None,
        "confirm": template.confirms,
        "delete": template.deletes,
    }
    return lets[kind]


def _refuse_flood(work: Work, held: Held, address: str) -> None:
    """Raises `TooMany` where much was sent by the pass, or much of it waits.

    Many have the link of a list: there each address is counted, so that one sender leaves room to the others.
    """
    service, number, shared = work.service, held.handed.number, held.template.lists
    place = f"sent by pass {number}" + (f" from {counted_as(address)}" if shared else "")
    now = service.clock().timestamp()
    found = service.database.counters.count(place, _HOUR if shared else _MINUTE, now)
    if found.times > _MOST_SENT:
        raise TooMany(
            f"Much was sent by this link just now. Wait {found.left} seconds.",
            headers={"Retry-After": str(found.left)},
        )
    most = _MOST_WAITING_OF_MANY if shared else _MOST_WAITING
    wanted = ProposalsWanted(state="waiting", pass_number=number, limit=most)
    if len(service.database.proposals.page(work.writing, wanted)) >= most:
        raise TooMany("Much that was sent by this link still waits. Send more once some of it was looked at.")


def _forget_old(work: Work) -> None:
    """Forgets some of what was settled long ago: each that comes in sees to a few."""
    service, kept = work.service, work.service.outsiders.kept
    if kept is not None:
        for one in service.database.proposals.old(work.writing, service.now(-kept), _FORGOTTEN):
            remove_proposal(work, _RETENTION, one)


class _Proposing:
    """One sending, within its transaction."""

    def __init__(self, work: Work, held: Held, record: Record, access: FieldAccess, sending: Sending) -> None:
        self._work, self._held, self._record, self._access = work, held, record, access
        self._sending, self._caller, self._resource = sending, held.caller, held.resource
        self._names = {**work.sight(held.caller).names, "record": record}

    def made(self, asking: Asking) -> Proposal | None:
        """The proposal, as far as it was applied at once; None where nothing differs. Raises `Invalid`."""
        service, held, sending = self._work.service, self._held, self._sending
        blank = Proposal(
            pass_number=held.handed.number,
            collection=self._resource.collection.name,
            template=held.template.name,
            record_id=self._record["id"],
            key=self._record[self._resource.collection.key],
            definitions=service.database.number,
            kind=sending.kind,
            base=sending.base if sending.kind == "change" else self._record["version"],
            fields={},
            note=sending.note,
            origin=service.outsiders.kept_of(asking.address),
            time=service.now(),
            token=sending.token,
        )
        blank = replace(blank, number=begin_proposal(self._work, blank))
        with self._work.applying(blank.number, None):
            by_kind = {"change": self._change, "create": self._create}
            made = by_kind.get(sending.kind, self._whole)(blank)
        if made is None:
            service.database.proposals.remove(self._work.writing, blank.number)
            return None
        kept = add_proposal(self._work, self._caller, made)
        overtake(self._work, self._caller, kept)
        return kept

    def _whole(self, blank: Proposal) -> Proposal:
        """One that no field is of: that all is right, or that the record is to go."""
        if self._sending.kind == "delete":
            return blank
        return settled_so(self._work, blank, (), self._applied_by)

    @property
    def _applied_by(self) -> Fate:
        return Fate("applied", self._caller.name)

    @property
    def _reason(self) -> str:
        return self._sending.note[:500] or _NO_NOTE

    # --- other values ------------------------------------------------------------------------------------

    def _change(self, blank: Proposal) -> Proposal | None:
        template, record, sending = self._held.template, self._record, self._sending
        sent = sending.patch.fields
        _refuse_foreign(sent, template.changes)
        base = Base(sending.base, record["id"])
        seen = as_seen(self._work, self._caller, self._resource, record, base)
        decision = self._decided(sending.patch)
        self._refuse([*decision.problems, *self._unchoosable(decision)], template.shows)
        differing = {} if decision.change is None else decision.change.fields
        # What was left as it was seen is not the sender's change, whoever changed it since.
        values = {
            name: differing[name][1]
            for name in sent
            if name in differing and not same(seen[name], differing[name][1])
        }
        if not values:
            return None
        fields = {name: ProposedField(seen[name], value) for name, value in values.items()}
        made = replace(blank, fields=fields)
        following = {**record, **{name: pair[1] for name, pair in differing.items()}}
        names = {**self._names, "next": following}
        at_once = [
            name
            for name in values
            # What others changed meanwhile is for somebody to decide.
            if same(seen[name], record[name]) and _is_at_once(template.changes[name], names)
        ]
        if at_once and self._applied({name: values[name] for name in at_once}):
            made = settled_so(self._work, made, at_once, self._applied_by)
        return made

    def _unchoosable(self, decision: Decision) -> Iterator[Problem]:
        """What is wrong with references that lead to records which the template lets nobody choose."""
        template, fields = self._held.template, self._resource.collection.fields
        differing = {} if decision.change is None else decision.change.fields
        for name, condition in template.choices.items():
            key = differing[name][1] if name in differing else None
            if key is None:
                continue
            target = self._work.target(fields[name].references)
            found = self._work.find(target, target.collection.key, key)
            if found is None or not holds(condition, {**self._names, "each": found}):
                yield not_to_be_chosen(name, str(fields[name].references), key)

    def _decided(self, patch: Patch) -> Decision:
        record = self._record
        address = Address(self._resource.collection.name, record["id"], "id")
        base = Base(record["version"], record["id"])
        return decide(self._work, self._caller, UpdateRequest(address, patch, base=base, reason=self._reason))

    def _applied(self, values: Mapping[str, Any]) -> bool:
        """Whether these values could be applied at once, without those that wait."""
        address = Address(self._resource.collection.name, self._record["id"], "id")
        base = Base(self._record["version"], self._record["id"])
        request = UpdateRequest(address, Exactly(values), base=base, reason=self._reason)
        try:
            with self._work.nested():
                carry_out(self._work, self._caller, request, decide(self._work, self._caller, request))
        except Refusal:
            return False
        return True

    # --- a new record --------------------------------------------------------------------------------------

    def _create(self, blank: Proposal) -> Proposal:
        creation = self._held.template.creation
        if creation is None:
            raise Ended
        sent = self._sending.patch.fields
        _refuse_foreign(sent, creation.fields)
        target, problems, given = self._work.resource(creation.collection), list[Problem](), dict[str, Any]()
        for name, formula in creation.given.items():
            try:
                given[name] = Fitted(target.collection.fields[name], formula).value(self._names, problems)
            except EvaluationError as error:
                self._work.service.rule_failed(formula, str(error))
                problems.append(Problem("", "not_permitted", _UNSEEN))
        self._refuse(problems, ())
        request = CreateRequest(creation.collection, {**sent, **given}, reason=self._reason)
        try:
            new = read_new(self._work.service, self._caller, request)
            changes, _ = decide_new(self._work, self._caller, new)
        except Invalid as invalid:
            self._refuse([*invalid.problems], creation.fields)
            raise
        values = {name: changes[0].result[name] for name in (*creation.fields, *given)}
        fields = {name: ProposedField(None, value) for name, value in values.items() if value is not None}
        made = replace(blank, fields=fields)
        if not _is_at_once(creation.applying, {**self._names, "next": changes[0].result}):
            return made
        saved = create_within(self._work, self._caller, new)
        made = settled_so(self._work, made, fields, self._applied_by)
        there = self._work.find(target, "id", saved.record["id"])
        key = None if there is None else there[target.collection.key]
        return replace(made, made_id=saved.record["id"], whole=ProposedField(None, key, "applied"))

    def _refuse(self, problems: list[Problem], shown: tuple[str, ...]) -> None:
        """Raises `Invalid` with what is wrong, told as far as its sender sees what it is about."""
        if problems:
            raise Invalid([_as_told(one, shown) for one in problems])


def _is_at_once(applying: Applying, names: Mapping[str, Any]) -> bool:
    if applying.condition is None:
        return applying.at_once
    return holds(applying.condition, names)


def _refuse_foreign(sent: Mapping[str, Any], known: Any) -> None:
    """Raises `NotPermitted` for what the pass lets nobody send, whether there is such a field or not."""
    if any(name not in known for name in sent):
        raise NotPermitted("What was sent is more than this link lets anybody send. Open the page again.")


def _as_told(problem: Problem, shown: tuple[str, ...]) -> Problem:
    """A problem as it is told to who sees these fields alone: of others neither names nor values."""
    place = problem.pointer.split("/", 2)[1] if problem.pointer else ""
    if place and place not in shown:
        return Problem("", problem.code, _UNSEEN)
    empty = problem.params.get("empty", [])
    if any(name not in shown for name in empty):
        # What a check says is written for people; that another field is empty is not for them.
        return Problem(problem.pointer, problem.code, problem.detail.partition(" (It cannot")[0])
    return problem
