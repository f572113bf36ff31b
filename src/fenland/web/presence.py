"""The route of presence: who else has a record open now."""

from __future__ import annotations

import re
from typing import get_args

from fenland.service.records.presence import LASTS, Doing, Here, meet
from fenland.web.describing.contents import one_body
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.members import Member, sent_members
from fenland.web.http.replies import Reply
from fenland.web.http.route import ONE, Route
from fenland.web.http.schemas import FLAG, NUMBER, TEXT, closed, taken

_PATTERN = "^[A-Za-z0-9_-]{1,64}$"
_WINDOW = re.compile(_PATTERN)
_DOING = get_args(Doing)
_MEMBERS: dict[str, Member] = {
    "window": (
        lambda one: isinstance(one, str) and _WINDOW.fullmatch(one) is not None,
        "a name of 1 to 64 letters, digits, - or _",
    ),
    "doing": (lambda one: one in _DOING, f"one of {', '.join(_DOING)}"),
}


def _meet(call: Call) -> Answer:
    call.check()
    sent = sent_members(call, _MEMBERS, "window", "doing")
    found = meet(call.service, call.caller, call.address, Here(sent["window"], sent["doing"]))
    return json_answer({"items": [one._asdict() for one in found], "seconds": LASTS})


_BODY = taken(
    {
        "window": {**TEXT, "pattern": _PATTERN, "description": "A name for one open page."},
        "doing": {"enum": list(_DOING), "description": "gone: who has closed it, or only wants to know."},
    }
)
_SHOWN = closed(
    {
        "items": {"type": "array", "items": closed({"account": TEXT, "title": TEXT, "editing": FLAG})},
        "seconds": {**NUMBER, "description": "For how long one is there who says so; say it again before."},
    }
)
ROUTES: tuple[Route, ...] = (
    Route(
        "POST", f"{ONE}/presence", "meet", "Say that one has {one} open, and see who else has", _meet,
        answers={200: Reply("Those who are there and may read it; not oneself.", _SHOWN)},
        problems=("not-found", "unsupported-media", "invalid"), body=one_body(_BODY), late=True, noted=False,
        description="A courtesy: nothing is locked by it, nothing of it is kept.",
    ),
)  # fmt: skip
