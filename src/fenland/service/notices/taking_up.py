"""Taking up: from changes and notices to deliveries, and from a delivery to what is sent.

What a subscription follows stands in the history and the outbox, each written with its change: it is taken up
from there, so that a change waits for nothing here, and none is missed whatever stops. What is sent is made
for each attempt anew, by the rights that the account has then.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

from fenland.core.access.policy import Caller
from fenland.core.expressions.budget import begin
from fenland.core.problems import Archived, NotFound, NotPermitted, Refusal, Unavailable
from fenland.core.values.plain import write_json
from fenland.service.feed.changes import Changes, Event, Place, changes_after
from fenland.service.feed.cloudevents import (
    CHANGES,
    NOTICE,
    NOTICE_ID,
    RESET,
    event_json,
    event_type,
    notice_json,
    place_of,
    plain_event,
)
from fenland.service.notices.subscriptions import ALL, caller_for, following_of, pause
from fenland.service.service import Service
from fenland.storage.door import Delivery, Noticed, Subscription, Writing

#: Events that are taken up at a time; and deliveries that wait, beyond which no more are: the rest stays
#: where it is, in the history.
_AT_A_TIME, _MOST_WAITING = 100, 5_000
#: The part of a request's steps that expressions may take for one page, or one event.
_SHARE = 10
#: Above any record's id, and what a test is called.
_BEYOND, TEST = "~", "fenland.test"


#: Entries that may be looked through in vain before it is kept how far one has come: a change that concerns
#: no subscription costs none of them a transaction.
_KEPT_EACH = 1_000


@dataclass(frozen=True, slots=True)
class Looked:
    """How far a subscription was looked through behind the place that is `kept` of it, in vain; and whether
    there was nothing more."""

    kept: tuple[str, int]
    place: str
    notice: int
    all: bool


@dataclass(slots=True)
class Taken:
    """What came behind the place that a subscription had come to."""

    place: str
    notice: int
    deliveries: list[Delivery] = field(default_factory=list)
    more: bool = False


class Came(NamedTuple):
    """Whether anything came that is to be sent, and whether there is more behind it."""

    some: bool = False
    more: bool = False


def take_up(service: Service, one: Subscription, known: dict[str, Looked]) -> Came | None:
    """Takes up some of what has come since. None where it cannot go on, and was paused.

    `known` is how far each was looked through before, by id.
    """
    database, kept = service.database, (one.place, one.notice)
    looked = known.get(one.id)
    if looked is not None and looked.kept == kept:
        if looked.all and place_of(looked.place).sequence >= database.growth.end:
            return Came()
        one = replace(one, place=looked.place, notice=looked.notice)
    with database.reading() as reading:
        if database.deliveries.count(reading, one.id, "waiting") >= _MOST_WAITING:
            return Came()
        caller = caller_for(service, reading, one)
    if caller is None:
        pause(service, one, f"The account {one.account} is disabled.")
        return None
    try:
        taken = _taken(service, caller, one)
    except Unavailable:
        raise
    except Refusal as refusal:
        pause(service, one, refusal.detail)
        return None
    far = place_of(taken.place).sequence - place_of(kept[0]).sequence
    if not taken.deliveries and far < _KEPT_EACH:
        known[one.id] = Looked(kept, taken.place, taken.notice, not taken.more)
        return Came(more=taken.more)
    as_kept = replace(one, place=kept[0], notice=kept[1])

    def work(writing: Writing) -> Came:
        # Whoever has it sent again has put it back meanwhile: it is taken up from there.
        if database.subscriptions.go_on(writing, as_kept, taken.place, taken.notice):
            for each in taken.deliveries:
                database.deliveries.add(writing, each)
        return Came(bool(taken.deliveries), taken.more)

    return database.write(work)


def _taken(service: Service, caller: Caller, one: Subscription) -> Taken:
    begin(service.limits.evaluation // _SHARE)
    found, end = Taken(one.place, one.notice), service.now()
    until = service.now(service.outward.patience)

    def add(event: str, kind: str, about: tuple[int, str, str, str], time: str) -> None:
        found.deliveries.append(Delivery(one.id, event, kind, *about, time=time, due=end, until=until))

    try:
        changes = _changes(service, caller, one)
    except Archived as archived:
        # What was there is in a file by now: they are to read all of it again.
        found.place, found.more = archived.extra["after"], True
        place = place_of(found.place)
        add(found.place, RESET, (place.sequence, "", "", ""), end)
        return found
    for event in changes.events:
        add(str(event.place), event_type(event), _about(event), event.entry.time)
    found.place, found.more = str(changes.after), changes.more
    notices = _notices(service, one, changes.after.sequence)
    found.more = found.more or len(notices) == _AT_A_TIME
    for notice in notices:
        found.notice = notice.number
        if ALL in one.notices or notice.name in one.notices:
            about = (notice.sequence, notice.collection, notice.record_id, str(notice.key))
            add(f"{NOTICE_ID}{notice.number}", NOTICE + notice.name, about, notice.time)
    return found


def _about(event: Event) -> tuple[int, str, str, str]:
    if event.did == "reset":
        return (event.entry.sequence or 0, "", "", "")
    return (event.entry.sequence or 0, event.collection, event.record_id, str(event.key))


def _changes(service: Service, caller: Caller, one: Subscription) -> Changes:
    """The next of what it follows of the feed."""
    if one.collections:
        return changes_after(service, caller, following_of(one, place_of(one.place), _AT_A_TIME, "none"))
    with service.database.reading() as reading:
        return Changes(Place(service.database.history.last(reading).sequence))


def _notices(service: Service, one: Subscription, upto: int) -> list[Noticed]:
    """The next notices, none of a change that is still to be told: of a record they come in order."""
    with service.database.reading() as reading:
        found, _ = service.database.notices.after(reading, one.notice, _AT_A_TIME)
    kept = []
    for notice in found:
        if notice.sequence > upto:
            break
        kept.append(notice)
    return kept


# --- what is sent ------------------------------------------------------------------------------------------


def body_of(service: Service, one: Subscription, delivery: Delivery) -> bytes | None:
    """What is sent for a delivery now; None where its account may not see any more what it is about.

    Raises `Unavailable`, and why it cannot be made.
    """
    prefix, kind = service.outward.prefix, delivery.type
    if kind in (TEST, RESET):
        told = plain_event(delivery.event, prefix + CHANGES, kind, delivery.time)
        return write_json(told | ({"data": {"subscription": one.name}} if kind == TEST else {}))
    begin(service.limits.evaluation // _SHARE)
    if kind.startswith(NOTICE):
        number = int(delivery.event.removeprefix(NOTICE_ID))
        with service.database.reading() as reading:
            found, _ = service.database.notices.after(reading, number - 1, 1)
        return write_json(notice_json(found[0], prefix)) if found and found[0].number == number else None
    told_now = _told_now(service, one, place_of(delivery.event))
    return None if told_now is None else write_json(told_now)


def _told_now(service: Service, one: Subscription, place: Place) -> dict[str, Any] | None:
    with service.database.reading() as reading:
        caller = caller_for(service, reading, one)
    if caller is None:
        raise Unavailable(f"The account {one.account} was disabled just now.")
    if not one.collections:
        return None
    sequence = place.sequence if not place.record_id else place.sequence + 1
    asked = following_of(one, _before(place), 1)
    try:
        found = changes_after(service, caller, asked, upto=sequence)
    except (Archived, NotFound, NotPermitted):
        return None
    event = found.events[0] if found.events else None
    return None if event is None or event.place != place else event_json(event, service.outward.prefix)


def _before(place: Place) -> Place:
    """The last place before another: that of its entry's others, and of its record's neighbours."""
    if not place.record_id:
        return Place(place.sequence - 1, _BEYOND)
    head, last = place.record_id[:-1], place.record_id[-1]
    return Place(place.sequence, head + chr(ord(last) - 1) + _BEYOND)
