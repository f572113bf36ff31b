"""Routes of the history of everything: search, activity, one entry, and undo."""

from __future__ import annotations

from typing import Any

from fenland.core.problems import Malformed
from fenland.service.history.saves import UndoRequest
from fenland.service.history.searching import EQUAL, HistoryRequest, entry_of, search
from fenland.service.history.tracing import activity
from fenland.service.history.undoing import Undoing, undo
from fenland.web.describing.contents import one_body
from fenland.web.exporting import form_accepted, history_file
from fenland.web.http import parameters as p
from fenland.web.http.answers import REPEATED, Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.errors import problem_json
from fenland.web.http.members import flag_in, object_of, text_in
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route
from fenland.web.http.schemas import FILE, FLAG, LINK, TEXT, TIME, Schema, ref, taken
from fenland.web.paging import page_answer

HISTORY = "/v1/history"


def undone_json(found: Undoing, prefix: str, *, preview: bool) -> dict[str, Any]:
    """What became of what was to be undone."""
    items = [
        {
            "sequence": one.sequence,
            "collection": one.collection,
            "key": one.key,
            "did": one.did,
            "version": one.version,
            "changes": one.changes,
            **({} if one.refusal is None else {"problem": problem_json(one.refusal, prefix)}),
        }
        for one in found.items
    ]
    return {
        "done": found.done,
        "preview": preview,
        "undone": found.undone,
        "refused": found.refused,
        "left": found.left,
        "unseen": found.unseen,
        "batch": found.batch,
        "items": items,
    }


def sequence_of(call: Call) -> int:
    """The number of the entry in the address. Raises `NotFound` for one that no entry can have."""
    return call.number("sequence", "entry")


def _search(call: Call) -> Answer:
    form = form_accepted(call.request)
    asked = HistoryRequest(
        where=call.get(p.WHERE),
        equal={name: call.query[name] for name in EQUAL if name in call.query},
        field=call.get(p.CHANGED_FIELD),
        reason=call.get(p.REASON_HOLDS),
        since=call.get(p.FROM),
        until=call.get(p.TO),
        below=call.get(p.BELOW),
        limit=call.get(p.LIMIT),
    )
    after = call.get(p.AFTER)
    if form is not None:
        return history_file(call, asked, form, after or 0)
    if after is not None:
        raise Malformed("after is for exports, which are oldest first. Pages go on with below.")
    return page_answer(call, search(call.service, call.caller, asked))


def _activity(call: Call) -> Answer:
    equal: dict[str, str] = {name: call.query[name] for name in ("collection", "actor") if name in call.query}
    asked = HistoryRequest(equal=equal, since=call.get(p.FROM), until=call.get(p.TO))
    return json_answer(activity(call.service, call.caller, asked, call.get(p.COUNTED_BY)))


def _entry(call: Call) -> Answer:
    return json_answer(entry_of(call.service, call.caller, sequence_of(call)))


def _undo_one(call: Call) -> Answer:
    sequence = sequence_of(call)
    call.check()
    return _undo(call, object_of(call, "atomic", "consequences"), sequence)


def _undo_many(call: Call) -> Answer:
    call.check()
    return _undo(call, object_of(call, "batch", "actor", "from", "to", "atomic", "consequences"), None)


def _undo(call: Call, sent: dict[str, Any], sequence: int | None) -> Answer:
    times = {name: text_in(sent, name) for name in ("from", "to")}
    moments = {name: None if text is None else p.moment(name, text) for name, text in times.items()}
    preview, once = call.get(p.PREVIEW), call.once()
    call.check()
    asked = UndoRequest(
        sequence=sequence,
        batch=text_in(sent, "batch"),
        actor=text_in(sent, "actor"),
        since=moments["from"],
        until=moments["to"],
        atomic=flag_in(sent, "atomic", default=True),
        preview=preview,
        consequences=flag_in(sent, "consequences", default=True),
        reason=call.get(p.REASON_WHY),
        once=once,
    )
    found = undo(call.service, call.caller, asked)
    status = 409 if not found.done and not preview else 200
    body = undone_json(found, call.prefix, preview=preview)
    return json_answer(body, status, REPEATED if found.repeated else None)


_ATOMIC: Schema = {
    "atomic": {**FLAG, "description": "All or nothing, unless false."},
    "consequences": {**FLAG, "description": "What rules did because of it goes back as well, unless false."},
}
_CHOSEN: Schema = {"batch": TEXT, "actor": TEXT, "from": TIME, "to": TIME}
_ANSWERS = {
    200: Reply("What became of each save, or would become of it.", "Undoing"),
    409: Reply(
        "Something stands in the way, and nothing was done: each item says what.",
        "Undoing",
        also={"application/problem+json": ref("schemas/Conflict")},
    ),
}
_UNDOING = (p.PREVIEW, p.REASON_WHY, p.ONCE, p.CLIENT)

ROUTES: tuple[Route, ...] = (
    Route(
        "GET", HISTORY, "searchHistory", "Search the history of everything", _search,
        (*p.EQUALS, p.CHANGED_FIELD, p.REASON_HOLDS, p.FROM, p.TO, p.BELOW, p.AFTER, p.WHERE, p.LIMIT),
        {200: Reply("A page of entries, newest first; or all of them as a file.", "Entries", LINK,
                    also={"application/jsonl": FILE, "text/csv": FILE})},
        ("not-permitted", "not-found"),
    ),
    Route(
        "GET", f"{HISTORY}/activity", "readActivity", "How many entries there were day by day", _activity,
        (p.FROM, p.TO, p.COUNTED_BY, p.OF_COLLECTION, p.OF_ACTOR), {200: Reply("Counts.", "Activity")},
        ("not-found",),
    ),
    Route(
        "POST", f"{HISTORY}/undo", "undoMany", "Undo a batch, or all that an account did in a while",
        _undo_many, _UNDOING, _ANSWERS, ("not-permitted", "not-found"),
        one_body(taken({**_CHOSEN, **_ATOMIC}, optional=(*_CHOSEN, *_ATOMIC)), required=False), late=True,
    ),
    Route(
        "GET", f"{HISTORY}/{{sequence}}", "readEntry", "One entry", _entry,
        answers={200: Reply("The entry.", "Entry")},
    ),
    Route(
        "POST", f"{HISTORY}/{{sequence}}/undo", "undo", "Undo the save of an entry", _undo_one,
        _UNDOING, _ANSWERS, ("not-permitted",),
        one_body(taken(_ATOMIC, optional=tuple(_ATOMIC)), required=False), late=True,
    ),
)  # fmt: skip
