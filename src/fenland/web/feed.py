"""The route of the feed: changes in the order of their commits, as CloudEvents 1.0, in pages or a stream."""

from __future__ import annotations

from urllib.parse import urlencode

from fenland.core.expressions.budget import begin
from fenland.core.problems import Malformed
from fenland.core.values.plain import write_json
from fenland.service.feed.changes import Changes, Following, Place, changes_after, end_of, followed
from fenland.service.feed.cloudevents import BATCH, CHANGES, event_json, place_of
from fenland.web.http import parameters as p
from fenland.web.http.answers import PRIVATE, Answer
from fenland.web.http.calls import Call
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route
from fenland.web.http.schemas import TEXT
from fenland.web.http.streaming import EVENT_STREAM, Made, Stream, Streamed, lasting
from fenland.web.http.waiting import later, waited_above

#: Milliseconds after which a stream that ended is asked for again.
_RETRY = 2_000
#: The part that a page of a stream may take of the steps that a request may.
_SHARE = 10
#: Events that are made at a time for a stream.
_AT_A_TIME = 200


def _asked(call: Call) -> Following:
    after, collection, where = call.get(p.FEED_AFTER), call.get(p.FOLLOWED), call.get(p.WHERE)
    if where and collection is None:
        raise Malformed("where is a condition over records of one collection. Name it with collection.")
    # What a request that waited has looked through, it need not look through again; and one that was to
    # begin where the history ended then does not begin where it ends by now.
    waited, last = waited_above(call), call.header(p.LAST_EVENT)
    after = last or after
    if waited is not None:
        place = Place(waited)
    else:
        place = end_of(call.service) if after is None else place_of(after)
    chosen = () if collection is None else (collection,)
    return Following(place, chosen, where, call.get(p.LIMIT), call.get(p.EVENT_DATA))  # type: ignore[arg-type]


def _changes(call: Call) -> Answer:
    asked, wait = _asked(call), call.get(p.FEED_WAIT)
    if call.request.accept_mimetypes.best_match((BATCH, EVENT_STREAM)) == EVENT_STREAM:
        return _stream(call, asked)
    call.check()
    while True:
        found = changes_after(call.service, call.caller, asked)
        if found.events or found.more or not wait:
            break
        if (waiting := later(call, found.after.sequence, wait)) is not None:
            return waiting
        if call.service.database.growth.end <= found.after.sequence:
            break
        asked = asked._replace(after=found.after)
    return _answer(call, found)


def _stream(call: Call, asked: Following) -> Answer:
    """The answer that goes on. What is wrong with the request is found by its first page."""
    if "wait" in call.values:
        raise Malformed("A stream stays open by itself. Leave out wait.")
    asked = asked._replace(limit=_AT_A_TIME)
    call.check()
    service, caller, prefix = call.service, call.caller, call.prefix

    def make(place: Place, upto: int) -> Made:
        # One thread makes what all streams are sent: each page has a budget of its own, and a small one.
        begin(service.limits.evaluation // _SHARE)
        found = changes_after(service, caller, asked._replace(after=place), upto)
        return Made(_event_texts(found, prefix), found.after, found.more)

    found, group = changes_after(service, caller, asked), followed(service, caller, asked)
    key = (group.key, asked.collections, asked.where, asked.data, prefix)
    # Where it begins is told, so that who breaks off before the first event misses nothing.
    begun = b"retry: %d\nid: %b\n\n%b" % (_RETRY, str(asked.after).encode(), _event_texts(found, prefix))
    return Streamed(begun, Stream(key, group.interest, found.after, make, lasting(call)))


def _event_texts(found: Changes, prefix: str) -> bytes:
    """Events as a stream has them: JSON of ours holds no line breaks."""
    texts = [
        b"id: %b\ndata: %b\n\n" % (str(one.place).encode(), write_json(event_json(one, prefix)))
        for one in found.events
    ]
    return b"".join(texts)


def _answer(call: Call, found: Changes) -> Answer:
    onward = {**call.query, "after": str(found.after)}
    headers = {
        "Content-Type": BATCH,
        "Cache-Control": PRIVATE,
        "Vary": "Authorization, Cookie, Accept",
        "Link": f'<{call.prefix}{CHANGES}?{urlencode(onward)}>; rel="next"',
    }
    events = [event_json(one, call.prefix) for one in found.events]
    return Answer(write_json(events), 200, headers)


ROUTES: tuple[Route, ...] = (
    Route(
        "GET", CHANGES, "listChanges", "Changes, in the order of their commits", _changes,
        (p.FEED_AFTER, p.FOLLOWED, p.WHERE, p.LIMIT, p.EVENT_DATA, p.FEED_WAIT, p.LAST_EVENT),
        {200: Reply(
            "Events; Link with rel=next says where to go on. As a stream (HTML Standard, section 9.2) there "
            "is no end of them, and each is one message whose data is the event.",
            "Events", types=(BATCH,), also={EVENT_STREAM: TEXT},
        )},
        ("not-permitted", "not-found", "archived"), late=True,
        description="What the caller may see, none missed and none twice. Records that come to be theirs "
        "arrive, and those that are not any more leave.",
    ),
)  # fmt: skip
