"""Routes of proposals: what came in through passes, and what is to become of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fenland.core.problems import Invalid, Problem, Refusal
from fenland.service.changes.finding import Address, checked_reason
from fenland.service.passes.reviewing import (
    MOST_AT_ONCE,
    ProposalsRequest,
    Seen,
    Settling,
    apply_proposal,
    find_proposal,
    list_proposals,
    permit_review,
    proposal_etag,
    refuse_proposal,
    settle_several,
    waiting_counts,
    withdraw_proposal,
)
from fenland.web.describing.contents import one_body
from fenland.web.describing.passes import COUNTS
from fenland.web.http import parameters as p
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.errors import problem_json
from fenland.web.http.members import NAMES, OBJECT, TEXT, Member, sent_members
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route
from fenland.web.http.schemas import ETAG

_VERSION: Member = (lambda one: type(one) is int and one > 0, "the version of a record")
_NUMBERS: Member = (
    lambda one: (
        isinstance(one, list)
        and 0 < len(one) <= MOST_AT_ONCE
        and all(type(each) is int and 0 < each < 2**62 for each in one)
    ),
    f"a list of 1 to {MOST_AT_ONCE} numbers of proposals",
)


def _proposal_json(seen: Seen) -> dict[str, Any]:
    one = seen.proposal
    return {
        "number": one.number,
        "pass": one.pass_number,
        "template": one.template,
        "collection": seen.collection,
        "of": seen.of,
        "key": one.key,
        "version": seen.version,
        "kind": one.kind,
        "state": one.state,
        "fields": {name: _field_json(seen, name) for name in seen.fields},
        "created": one.whole.proposed,
        "note": one.note,
        "from": one.origin,
        "time": one.time,
    }


def _field_json(seen: Seen, name: str) -> dict[str, Any]:
    one = seen.fields[name]
    told = {"state": one.state, "reason": one.why, "by": one.by, "time": one.time}
    if name in seen.hidden:
        return {**told, "hidden": True}
    found: dict[str, Any] = {"base": one.base, "proposed": one.proposed}
    if name in seen.current:
        found |= {"current": seen.current[name], "conflict": name in seen.conflicts}
    return found | told


def _answer(seen: Seen, *, problems: bool = False) -> Answer:
    told = {"problems": [one.as_json() for one in seen.problems]} if problems else {}
    return json_answer({**_proposal_json(seen), **told}, headers={"ETag": proposal_etag(seen.proposal)})


# --- the routes ----------------------------------------------------------------------------------------


def _list(call: Call) -> Answer:
    collection, key = call.get(p.PROPOSALS_OF), call.get(p.PROPOSAL_KEY)
    if key is not None and collection is None:
        raise Invalid([Problem("/collection", "required", "A key is of a collection. Name that as well.")])
    asked = ProposalsRequest(
        collection,
        call.get(p.PROPOSAL_STATE),
        None if key is None or collection is None else Address(collection, key),
        call.get(p.OF_PASS),
        call.get(p.AFTER_PROPOSAL),
        call.get(p.NEWEST),
        call.get(p.LIMIT),
    )
    found = list_proposals(call.service, call.caller, asked)
    return json_answer({"items": [_proposal_json(one) for one in found.items], "next": found.next})


def _counts(call: Call) -> Answer:
    found = waiting_counts(call.service, call.caller)
    return json_answer({"waiting": found, "all": sum(found.values())})


def _number(call: Call) -> int:
    return call.number("number", "proposal")


def _read(call: Call) -> Answer:
    return _answer(find_proposal(call.service, call.caller, _number(call)), problems=True)


_SETTLING: dict[str, Member] = {"fields": NAMES, "reason": TEXT}


def _settling(call: Call, more: dict[str, Member], *needed: str) -> Settling:
    permit_review(call.service, call.caller, _number(call))
    sent = sent_members(call, {**_SETTLING, **more}, *needed)
    match = call.header(p.IF_MATCH)
    call.check()
    reason = checked_reason(sent.get("reason"))
    fields = tuple(dict.fromkeys(sent.get("fields", ())))
    return Settling(_number(call), fields, sent.get("values", {}), sent.get("base"), reason, match)


def _apply(call: Call) -> Answer:
    asked = _settling(call, {"values": OBJECT, "base": _VERSION})
    return _answer(apply_proposal(call.service, call.caller, asked))


def _refuse(call: Call) -> Answer:
    return _answer(refuse_proposal(call.service, call.caller, _settling(call, {}, "reason")))


def _withdraw(call: Call) -> Answer:
    return _answer(withdraw_proposal(call.service, call.caller, _settling(call, {})))


def _several(call: Call, settle: Callable[..., Seen], *needed: str) -> Answer:
    sent = sent_members(call, {"proposals": _NUMBERS, "reason": TEXT}, "proposals", *needed)
    call.check()
    reason, numbers = checked_reason(sent.get("reason")), list(dict.fromkeys(sent["proposals"]))
    settlings = [Settling(number, reason=reason) for number in numbers]
    found = settle_several(call.service, call.caller, settlings, settle)
    items = [_settled_json(call, number, one) for number, one in zip(numbers, found, strict=True)]
    return json_answer({"items": items})


def _settled_json(call: Call, number: int, found: Seen | Refusal) -> dict[str, Any]:
    if isinstance(found, Seen):
        return {"number": number, "state": found.proposal.state, "problem": None}
    return {"number": number, "state": None, "problem": problem_json(found, call.prefix)}


def _apply_several(call: Call) -> Answer:
    return _several(call, apply_proposal)


def _refuse_several(call: Call) -> Answer:
    return _several(call, refuse_proposal, "reason")


def _withdraw_several(call: Call) -> Answer:
    return _several(call, withdraw_proposal)


_ALL = "/v1/proposals"
_ONE = f"{_ALL}/{{number}}"
_ANSWER = Reply("The proposal as it is then.", "Proposal", ETAG)
_SENT = ("not-permitted", "unsupported-media", "invalid", "conflict")
_EACH = Reply("What has become of each.", "ProposalsSettled")

ROUTES: tuple[Route, ...] = (
    Route(
        "GET", _ALL, "listProposals", "What came in through passes, the oldest first", _list,
        (
            p.PROPOSALS_OF, p.PROPOSAL_KEY, p.PROPOSAL_STATE, p.OF_PASS, p.AFTER_PROPOSAL, p.NEWEST, p.LIMIT,
        ),
        {200: Reply("Those that the caller may review.", "Proposals")}, ("not-found", "invalid"),
    ),
    Route(
        "GET", f"{_ALL}/counts", "countProposals", "How many wait", _counts,
        answers={200: Reply("By collection.", COUNTS)},
    ),
    Route(
        "POST", f"{_ALL}/apply", "applyProposals", "Apply several proposals, each on its own",
        _apply_several, answers={200: _EACH}, problems=_SENT, body=one_body("ProposalsApply"), late=True,
    ),
    Route(
        "POST", f"{_ALL}/refuse", "refuseProposals", "Refuse several proposals, each on its own",
        _refuse_several, answers={200: _EACH}, problems=_SENT, body=one_body("ProposalsRefuse"), late=True,
    ),
    Route(
        "POST", f"{_ALL}/withdraw", "withdrawProposals", "Take several proposals back for who sent them",
        _withdraw_several, answers={200: _EACH}, problems=_SENT, body=one_body("ProposalsApply"), late=True,
    ),
    Route(
        "GET", _ONE, "readProposal", "A proposal, and what would be wrong with it now", _read,
        answers={200: Reply("The proposal.", "ProposalResult", ETAG)},
    ),
    Route(
        "POST", f"{_ONE}/apply", "applyProposal", "Apply a proposal, or some of its fields", _apply,
        (p.IF_MATCH,), {200: _ANSWER}, _SENT, one_body("ProposalApply"), late=True,
    ),
    Route(
        "POST", f"{_ONE}/refuse", "refuseProposal", "Refuse a proposal, or some of its fields", _refuse,
        (p.IF_MATCH,), {200: _ANSWER}, _SENT, one_body("ProposalRefuse"), late=True,
    ),
    Route(
        "POST", f"{_ONE}/withdraw", "withdrawProposal", "Take a proposal back for who sent it", _withdraw,
        (p.IF_MATCH,), {200: _ANSWER}, _SENT, one_body("ProposalWithdraw"), late=True,
    ),
)  # fmt: skip
