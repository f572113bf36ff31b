"""The route of the outbox: notices that rules left for other systems."""

from __future__ import annotations

from typing import Any

from fenland.core.problems import Malformed
from fenland.service.accounts.accounts import permit_managing
from fenland.service.notices.listing import list_notices
from fenland.storage.door import Noticed
from fenland.web.http import parameters as p
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route


def _notice_json(notice: Noticed) -> dict[str, Any]:
    """A notice as answers show it."""
    return {
        "number": notice.number,
        "notice": notice.name,
        "time": notice.time,
        "collection": notice.collection,
        "key": notice.key,
        "sequence": notice.sequence,
        "rule": notice.rule,
        "data": notice.data,
    }


def _list(call: Call) -> Answer:
    permit_managing(call.service, call.caller)
    after, below, limit = call.get(p.AFTER_NOTICE), call.get(p.BELOW), call.get(p.LIMIT)
    call.check()
    if after is not None and below is not None:
        raise Malformed("after gives notices in order, and below the newest first. Send one of them.")
    found = list_notices(call.service, call.caller, limit, after=after, below=below)
    return json_answer({"items": [_notice_json(one) for one in found.items], "next": found.next})


ROUTES: tuple[Route, ...] = (
    Route(
        "GET", "/v1/notices", "listNotices", "Notices that effects left, for who manages accounts", _list,
        (p.AFTER_NOTICE, p.BELOW, p.LIMIT), {200: Reply("A page of notices.", "Notices")}, ("not-permitted",),
        late=True,
    ),
)  # fmt: skip
