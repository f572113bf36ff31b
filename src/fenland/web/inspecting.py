"""Routes of the request inspector: an account's own last requests, while it has that on."""

from __future__ import annotations

from typing import Any

from fenland.service.accounts.inspecting import (
    inspected,
    noted_request,
    noted_requests,
    switch_off,
    switch_on,
    when,
)
from fenland.storage.door import MOST_NOTED, Inspection
from fenland.web.describing.contents import one_body
from fenland.web.http import parameters as p
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.members import FLAG as TRUTH
from fenland.web.http.members import MINUTES, sent_members
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route
from fenland.web.http.schemas import ANY, FLAG, MOMENT, NUMBER, TEXT, closed, nullable, taken, texts


def _state(inspection: Inspection | None) -> dict[str, Any]:
    if inspection is None:
        return {"until": None, "console": False}
    return {"until": when(inspection.until), "console": inspection.console}


def _begin(call: Call) -> Answer:
    sent = sent_members(call, {"minutes": MINUTES, "console": TRUTH}, "minutes")
    call.check()
    return json_answer(
        _state(switch_on(call.service, call.caller, sent["minutes"], console=sent.get("console", False)))
    )


def _end(call: Call) -> Answer:
    switch_off(call.service, call.caller)
    return Answer(None, 204, {"Cache-Control": "no-store"})


def _list(call: Call) -> Answer:
    items = noted_requests(call.service, call.caller, call.get(p.AFTER_REQUEST) or 0, call.get(p.LIMIT))
    return json_answer({**_state(inspected(call.service, call.caller)), "items": items})


def _read(call: Call) -> Answer:
    return json_answer(noted_request(call.service, call.caller, call.number("number", "request")))


def _map(values: dict[str, Any]) -> dict[str, Any]:
    return {"type": "object", "additionalProperties": values}


_OUTCOMES = {
    "set": "It holds what was sent.",
    "cleared": "It holds nothing any more.",
    "same": "It held that already.",
    "left": "It stays as it was: a blank says nothing here.",
    "ignored": "It is not the sender's to set, and was left out as they asked.",
    "refused": "It cannot be so; code and detail say why.",
    "not saved": "Nothing is wrong with it, but the request was refused for something else.",
    "followed": "It was not sent, and a default, a rule or what it is derived from gave it this.",
}
_FIELD = closed(
    {
        "field": TEXT,
        "at": {**TEXT, "description": "The place within the record, where a patch names one."},
        "edit": {**TEXT, "description": "What was to be done there."},
        "sent": {**ANY, "description": "What was sent; of a long value, its beginning."},
        "withheld": {
            **FLAG,
            "description": "Whether the value is not kept: it is secret, or of no known field.",
        },
        "outcome": {
            "enum": [*_OUTCOMES],
            "description": " ".join(f"{name}: {told}" for name, told in _OUTCOMES.items()),
        },
        "now": {**ANY, "description": "What the field holds, where that is not what was sent."},
        "code": TEXT,
        "detail": TEXT,
    },
    optional=("at", "edit", "sent", "withheld", "outcome", "now", "code", "detail"),
)
_PROBLEM = closed(
    {
        "code": TEXT,
        "title": TEXT,
        "detail": TEXT,
        "errors": texts(closed({"pointer": TEXT, "code": TEXT, "detail": TEXT})),
    },
    optional=("code", "detail", "errors"),
)
_ITEM = closed(
    {
        "action": TEXT,
        "collection": TEXT,
        "key": ANY,
        "by": TEXT,
        "status": NUMBER,
        "problem": _PROBLEM,
        "fields": texts(_FIELD),
    },
    optional=("action", "collection", "key", "by", "status", "problem", "fields"),
)
_ALWAYS = ("number", "time", "microseconds", "method", "path", "operation", "status", "via", "request_id")
_NOTED_MEMBERS = {
    "number": NUMBER,
    "time": {**MOMENT, "description": "When it was answered."},
    "microseconds": {**NUMBER, "description": "From when it was read until its answer was made."},
    "method": TEXT,
    "path": {**TEXT, "description": "… stands in it for a secret value."},
    "operation": {**TEXT, "description": "The operation of this document."},
    "status": NUMBER,
    "bytes": {**NUMBER, "description": "Of the answer's body, before it is compressed."},
    "query": {**_map(TEXT), "description": "Parameters that are known; … for values that are not kept."},
    "headers": {**_map(TEXT), "description": "Those that say what a request means."},
    "via": TEXT,
    "on_behalf_of": TEXT,
    "request_id": TEXT,
    "repeated": {**FLAG, "description": "Whether the kept outcome of an earlier request was the answer."},
    "problem": _PROBLEM,
    "fields": texts(_FIELD),
    "items": {**texts(_ITEM), "description": "Of a batch."},
    "counts": {**_map(NUMBER), "description": "Of many records, and of files."},
    "left_out": {**FLAG, "description": "Whether there was more than is kept."},
}
_NOTED = closed(_NOTED_MEMBERS, optional=[name for name in _NOTED_MEMBERS if name not in _ALWAYS])
_STATE = {
    "until": {**nullable(MOMENT), "description": "Until when requests are noted; null: they are not."},
    "console": {**FLAG, "description": "Whether those of the console, too."},
}
_SWITCH = taken(
    {
        "minutes": {**NUMBER, "minimum": 1, "maximum": 1440, "description": "For how long, from now on."},
        "console": {**FLAG, "description": "Whether what the console asks is noted, too. Usually not."},
    },
    optional=("console",),
)
_ALL = "/v1/requests"

ROUTES: tuple[Route, ...] = (
    Route(
        "GET", _ALL, "listRequests", "The own last requests that were noted, the newest first", _list,
        (p.AFTER_REQUEST, p.LIMIT),
        {200: Reply("They, and how the inspector is on.", closed({**_STATE, "items": texts(_NOTED)}))},
        ("not-permitted",), noted=False,
        description=f"The last {MOST_NOTED} of the account. No secrets, and no secret values, are in them.",
    ),
    Route(
        "PUT", _ALL, "inspectRequests", "Note the own requests for a while", _begin,
        answers={200: Reply("How it is on now.", closed(_STATE))},
        problems=("not-permitted", "unsupported-media", "invalid"), body=one_body(_SWITCH), late=True,
        noted=False, description="What was noted is kept for an hour after; then it is removed.",
    ),
    Route(
        "DELETE", _ALL, "forgetRequests", "Note the own requests no more, and forget those noted", _end,
        answers={204: Reply("Done.")}, problems=("not-permitted",), noted=False,
    ),
    Route(
        "GET", f"{_ALL}/{{number}}", "readRequest", "One of the own requests", _read,
        answers={200: Reply("It.", _NOTED)}, problems=("not-permitted",), noted=False,
    ),
)  # fmt: skip
