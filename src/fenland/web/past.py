"""Routes of one record's past: its history, differences between versions, restoring, erasing."""

from __future__ import annotations

from urllib.parse import quote

from fenland.core.problems import Malformed
from fenland.service.changes.finding import checked_reason
from fenland.service.history.erasing import EraseRequest, erase
from fenland.service.history.restoring import RestoreRequest, restore
from fenland.service.history.restoring import preview as preview_restoring
from fenland.service.history.timeline import Asked, timeline
from fenland.service.history.tracing import difference
from fenland.service.upkeep.copies import names_of
from fenland.web.describing.contents import one_body
from fenland.web.http import parameters as p
from fenland.web.http.answering import record_answer
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.members import object_of, text_in
from fenland.web.http.replies import Reply
from fenland.web.http.route import ONE, Route
from fenland.web.http.schemas import ETAG, LINK, OPEN, SAVED, TEXT, Schema, ref, taken
from fenland.web.paging import page_answer
from fenland.web.previews import preview_json

#: The header that names files which hold still what was erased.
COPIES = "Fenland-Copies"


def _timeline(call: Call) -> Answer:
    asked = Asked(
        below=call.get(p.BELOW),
        limit=call.get(p.LIMIT),
        field=call.get(p.CHANGED_FIELD),
        actor=call.get(p.OF_ACTOR),
    )
    found = timeline(call.service, call.caller, call.address, asked)
    call.check()
    return page_answer(call, found)


def _difference(call: Call) -> Answer:
    older, newer = call.get(p.OLDER) or 0, call.get(p.NEWER)
    return json_answer(difference(call.service, call.caller, call.address, older, newer))


def _restore(call: Call) -> Answer:
    asked = RestoreRequest(
        call.address,
        when=call.when(),
        preconditions=call.preconditions(),
        base=call.get(p.SEEN),
        reason=call.get(p.REASON_WHY),
        once=call.once(),
    )
    call.check()
    if call.get(p.PREVIEW):
        return json_answer(preview_json(preview_restoring(call.service, call.caller, asked)))
    return record_answer(call, restore(call.service, call.caller, asked))


def _erase(call: Call) -> Answer:
    sent = object_of(call, "fields", "reason", "values")
    fields, values = sent.get("fields", []), sent.get("values", {})
    if not isinstance(fields, list) or not all(isinstance(one, str) for one in fields):
        raise Malformed('fields must be a list of names, such as ["phone"].')
    if not isinstance(values, dict):
        raise Malformed("values must be a JSON object of fields.")
    asked = EraseRequest(
        call.address,
        tuple(dict.fromkeys(fields)),
        checked_reason(text_in(sent, "reason")) or call.get(p.REASON_WHY),
        values,
        preconditions=call.preconditions(),
        once=call.once(),
    )
    call.check()
    answer = record_answer(call, erase(call.service, call.caller, asked))
    # A list of strings (RFC 9651, 3.1), so that whoever erased it knows what else there is to see to.
    copies = ", ".join(f'"{quote(name)}"' for name in names_of(call.common.settings))
    return Answer(answer.body, answer.status, {**answer.headers, COPIES: copies}) if copies else answer


_DONE = Reply("Done; return=minimal was preferred.")
_WRITING = ("not-permitted", "conflict", "version-required", "invalid")
_ERASED: Schema = taken(
    {"fields": {"type": "array", "items": TEXT, "minItems": 1}, "reason": TEXT, "values": OPEN},
    optional=("values", "reason"),
)
_COPIES: Schema = {
    "schema": TEXT,
    "description": "Files that hold the values still, as a list of strings (RFC 9651): copies that "
    "migrations made, and backups of the schedule. Left out where there are none.",
}
_RESTORED: Schema = {"anyOf": [ref("schemas/{name}"), ref("schemas/{name}Preview")]}

ROUTES: tuple[Route, ...] = (
    Route(
        "GET", f"{ONE}/history", "history", "Who changed what in a {one}", _timeline,
        (p.BELOW, p.LIMIT, p.CHANGED_FIELD, p.OF_ACTOR), {200: Reply("A page of entries.", "History", LINK)},
        description="Newest first, also after it was deleted.", late=True,
    ),
    Route(
        "GET", f"{ONE}/difference", "difference", "What differs between two versions of a {one}", _difference,
        (p.OLDER, p.NEWER), {200: Reply("What differs.", "Difference")},
        description="Who may read the record may read this.",
    ),
    Route(
        "POST", f"{ONE}/restore", "restore", "Bring a {one} back, or to how it was", _restore,
        (p.VERSION, p.AT, p.PREVIEW, p.IF_MATCH, p.IF_NONE_MATCH, p.SEEN, *p.CHANGING),
        {200: Reply("The record as saved, or what a preview found.", _RESTORED, SAVED), 204: _DONE}, _WRITING,
        description="A deleted one as it was last, or at a moment; one that is there, at a moment.",
        late=True,
    ),
    Route(
        "POST", f"{ONE}/erase", "erase", "Erase values of a {one} for good", _erase,
        (p.IF_MATCH, p.IF_NONE_MATCH, *p.CHANGING),
        {200: Reply("The record as saved.", "{name}", {**ETAG, COPIES: _COPIES}), 204: _DONE}, _WRITING,
        one_body(_ERASED),
        "Sensitive fields alone; the values go from the record, its history and kept outcomes.",
    ),
)  # fmt: skip
