"""The route of the outbox: notices that rules left for other systems."""

from __future__ import annotations

from typing import Any

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
    after, limit = call.get(p.AFTER_NOTICE) or 0, call.get(p.LIMIT)
    call.check()
    found = list_notices(call.service, call.caller, after, limit)
    return json_answer({"items": [_notice_json(one) for one in found.items], "next": found.next})


ROUTES: tuple[Route, ...] = (
    Route(
        "GET", "/v1/notices", "listNotices", "Notices that effects left, for who manages accounts", _list,
        (p.AFTER_NOTICE, p.LIMIT), {200: Reply("A page of notices.", "Notices")}, ("not-permitted",),
        late=True,
    ),
)  # fmt: skip
