"""Answers about one record, as the preferences of a change and the preconditions of a read would have it."""

from __future__ import annotations

from urllib.parse import quote

from fenland.core.problems import MOST_PROBLEMS
from fenland.service.changes.saved import Saved
from fenland.service.records.read import Found
from fenland.web.http.answers import PRIVATE, REPEATED, Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.parameters import IF_NONE_MATCH
from fenland.web.http.patch_formats import ACCEPT_PATCH


def record_answer(call: Call, saved: Saved, location: str | None = None) -> Answer:
    """A saved record as the answer to a change, as RFC 7240 preferences would have it.

    `location` is where a record is that was created.
    """
    call.found = saved
    status, headers = (200, {}) if location is None else (201, {"Location": location})
    if not saved.unseen:
        headers["ETag"] = saved.etag
    elif location is None:
        # Done, and not theirs to see any more.
        status = 204
    if saved.repeated:
        headers |= REPEATED
    if not call.query and "HTTP_PREFER" not in call.environ:
        return Answer(None, 204, headers) if status == 204 else json_answer(saved.record, status, headers)
    applied = []
    if call.lenient:
        applied.append("handling=lenient")
        if saved.dropped:
            # Names come from outside: escaped, they can break neither the header nor the list.
            headers["Fenland-Ignored"] = ", ".join(quote(name) for name in saved.dropped[:MOST_PROBLEMS])
    minimal = call.minimal
    if minimal:
        applied.append("return=minimal")
    if applied:
        headers["Preference-Applied"] = ", ".join(applied)
    if minimal or status == 204:
        return Answer(b"", 201, headers) if location is not None else Answer(None, 204, headers)
    return json_answer(saved.record, status, headers)


def sent_as(call: Call) -> str:
    """A request as it was sent: what may make two answers differ, besides who asks and what there is."""
    return f"{call.prefix}{call.request.path}?{call.environ.get('QUERY_STRING', '')}"


def weak_tag(tag: str | None) -> str | None:
    """As an entity tag of what may be written in several ways, such as compressed (RFC 9110, 8.8.1)."""
    return None if tag is None else f'W/"{tag}"'


def known_answer(call: Call, tag: str) -> Answer | None:
    """304 where the client has what this tag stands for; None where it has not, or something is wrong."""
    held = call.header(IF_NONE_MATCH)
    if held is None or call.refusal is not None or tag not in held:
        return None
    return not_modified(tag)


def not_modified(tag: str) -> Answer:
    """The client has what this tag stands for (RFC 9110, 15.4.5)."""
    return Answer(None, 304, {"ETag": tag, "Cache-Control": PRIVATE, "Vary": "Authorization, Cookie"})


def fresh_answer(call: Call, found: Found) -> Answer:
    """A record that was read: 304 when the client has this version already (RFC 9110, 13.1.2)."""
    held = call.header(IF_NONE_MATCH)
    call.check()
    # Reading compares weakly: a tag that a proxy has marked as weak still names this version.
    if held is not None and (held == ("*",) or found.etag in [tag.removeprefix("W/") for tag in held]):
        return not_modified(found.etag)
    headers = {"ETag": found.etag, "Accept-Patch": ACCEPT_PATCH}
    if found.included is None:
        return json_answer(found.record, headers=headers)
    # Beside the record and not in it, so that what is sent back is a record still.
    return json_answer({"record": found.record, "included": found.included}, headers=headers)
