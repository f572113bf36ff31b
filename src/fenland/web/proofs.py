"""Routes of proofs: signed heads, their keys, and what shows that entries stand in the history."""

from __future__ import annotations

from fenland.core.problems import Malformed
from fenland.service.proof.proving import (
    consistency,
    entry_proof,
    evidence,
    head_json,
    kept_heads,
    key_set,
    newest_head,
    record_proof,
)
from fenland.web.history import HISTORY, sequence_of
from fenland.web.http import parameters as p
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.replies import Reply
from fenland.web.http.route import ONE, Route
from fenland.web.http.waiting import later


def _head(call: Call) -> Answer:
    above, wait = call.get(p.ABOVE), call.get(p.WAIT)
    if (above is None) != (wait is None):
        detail = "above and wait go together: more entries than which, and for how many seconds at most."
        raise Malformed(detail)
    if above is not None and (waiting := later(call, above, wait or 0)) is not None:
        return waiting
    return json_answer(head_json(newest_head(call.service)))


def _heads(call: Call) -> Answer:
    limit = call.get(p.LIMIT)
    found = kept_heads(call.service, call.caller, below=call.get(p.BELOW), limit=limit)
    onward = found[-1].size if len(found) == limit else None
    return json_answer({"items": [head_json(one) for one in found], "next": onward})


def _keys(call: Call) -> Answer:
    return json_answer(key_set(call.service))


def _consistency(call: Call) -> Answer:
    older = call.get(p.OLDER_SIZE) or 0
    return json_answer(consistency(call.service, call.caller, older, call.get(p.NEWER_SIZE)))


def _entry(call: Call) -> Answer:
    sequence = sequence_of(call)
    call.check()
    return json_answer(entry_proof(call.service, call.caller, sequence, call.get(p.SIZE)))


def _record(call: Call) -> Answer:
    below, limit = call.get(p.BELOW), call.get(p.LIMIT)
    return json_answer(record_proof(call.service, call.caller, call.address, below=below, limit=limit))


def _evidence(call: Call) -> Answer:
    found = evidence(call.service, call.caller, call.address, call.get(p.SIZE))
    name = f"{call.collection}-{found['id']}.evidence.json"
    return json_answer(found, headers={"Content-Disposition": f'attachment; filename="{name}"'})


_READABLE = "Who may read the record may read this."

ROUTES: tuple[Route, ...] = (
    Route(
        "GET", f"{HISTORY}/head", "readHead", "The signed head of the history", _head,
        (p.ABOVE, p.WAIT), {200: Reply("The head.", "Head")},
        description="With above and wait it is answered once there are more entries, or the time is over.",
    ),
    Route(
        "GET", f"{HISTORY}/heads", "listHeads", "The heads that are kept, newest first", _heads,
        (p.BELOW, p.LIMIT), {200: Reply("A page of heads.", "Heads")},
    ),
    Route(
        "GET", f"{HISTORY}/keys", "readKeys", "The public keys that sign heads", _keys,
        answers={200: Reply("The keys.", "KeySet")}, signed_in="no",
    ),
    Route(
        "GET", f"{HISTORY}/consistency", "readConsistency",
        "What shows that the history begins with all of an older head", _consistency,
        (p.OLDER_SIZE, p.NEWER_SIZE), {200: Reply("Hashes.", "Consistency")}, ("not-found",),
    ),
    Route(
        "GET", f"{HISTORY}/{{sequence}}/proof", "readProof",
        "What shows that an entry stands in the history", _entry,
        (p.SIZE,), {200: Reply("The proof.", "Proof")}, late=True,
    ),
    Route(
        "GET", f"{ONE}/history/proof", "prove", "What proves the history of a {one}", _record,
        (p.BELOW, p.LIMIT), {200: Reply("A page of proofs.", "Proofs")}, description=_READABLE,
    ),
    Route(
        "GET", f"{ONE}/history/evidence", "evidence", "An evidence file of a {one}", _evidence,
        (p.SIZE,), {200: Reply("The file.", "Evidence")}, description=_READABLE,
    ),
)  # fmt: skip
