"""Routes of many records by filter: PATCH and DELETE of a collection."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fenland.core.changes.patches import Patch
from fenland.service.records.many import Many, ManyRequest, change_many, preview_many
from fenland.web.describing.contents import patch_body
from fenland.web.http import parameters as p
from fenland.web.http.answers import REPEATED, Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.errors import PROBLEM, problem_json
from fenland.web.http.patch_formats import sent_patch
from fenland.web.http.replies import Body, Reply
from fenland.web.http.route import RECORDS, Route


def _many_json(found: Many, prefix: str) -> dict[str, Any]:
    shown = [
        {"key": one["key"], "problem": problem_json(one["refusal"], prefix)} if "refusal" in one else one
        for one in found.shown
    ]
    counts = {"matched": found.matched, "changed": found.changed, "refused": found.refused}
    return {"done": found.done, "batch": found.batch, **counts, "records": shown}


def _update(call: Call) -> Answer:
    return _many(call, *sent_patch(call))


def _delete(call: Call) -> Answer:
    return _many(call, None, call.check)


def _many(call: Call, patch: Patch | None, check: Callable[[], None]) -> Answer:
    asked = ManyRequest(
        call.collection,
        call.filter(),
        patch,
        blank=call.get(p.BLANK),
        clear=call.get(p.CLEAR),
        lenient=call.lenient,
        reason=call.get(p.REASON_WHY),
        expect=call.get(p.EXPECT),
        atomic=call.get(p.ALL_OR_NOTHING),
        once=call.once(),
        check=check,
    )
    looking = call.get(p.PREVIEW)
    call.check()
    found = (preview_many if looking else change_many)(call.service, call.caller, asked)
    call.counts = {"matched": found.matched, "changed": found.changed, "refused": found.refused}
    status = 200 if found.done or looking else 422
    return json_answer(_many_json(found, call.prefix), status, REPEATED if found.repeated else None)


_CHOSEN = (p.WHERE, p.PREVIEW, p.EXPECT, p.ALL_OR_NOTHING, *p.CHANGING)
_ANSWERS = {
    200: Reply("Done, or what a preview found.", "Many"),
    422: Reply("Nothing was done: some were refused.", "Many", also={PROBLEM: "Invalid"}),
}
_PROBLEMS = ("not-permitted", "conflict", "unsupported-media", "invalid")
_CHOOSING = "The filter chooses them, as in lists; each gets its history entry."

ROUTES: tuple[Route, ...] = (
    Route(
        "PATCH", RECORDS, "updateMany", "Change {many} by filter", _update,
        (*_CHOSEN, p.BLANK, p.CLEAR, p.COERCE), _ANSWERS, _PROBLEMS, Body(patch_body), _CHOOSING,
        filtered=True, late=True,
    ),
    Route(
        "DELETE", RECORDS, "deleteMany", "Delete {many} by filter", _delete, _CHOSEN, _ANSWERS, _PROBLEMS,
        description=_CHOOSING, filtered=True, late=True,
    ),
)  # fmt: skip
