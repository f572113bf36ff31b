"""Pages of entries, as the history of everything and that of one record answer with them."""

from __future__ import annotations

from fenland.service.history.searching import Entries
from fenland.service.history.timeline import Timeline
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call


def page_answer(call: Call, found: Entries | Timeline) -> Answer:
    """A page of entries, newest first, and where the next one is."""
    body = {
        "items": found.items,
        "next": found.next,
        "labels": found.labels,
        "people": found.people,
        "archived": found.archived,
    }
    return json_answer(body, headers=None if found.next is None else call.onward(below=found.next))
