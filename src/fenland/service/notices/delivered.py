"""What became of what was to be sent: each delivery with its attempts; and how it is sent again."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

from fenland.core.access.policy import Caller
from fenland.core.problems import NotFound
from fenland.service.feed.changes import Place
from fenland.service.feed.cloudevents import place_of
from fenland.service.notices.subscriptions import there
from fenland.service.notices.taking_up import TEST
from fenland.service.service import Service
from fenland.storage.door import Attempt, Delivery, DeliveryState, Writing

#: Attempts that are shown of one.
_MOST_SHOWN = 50


@dataclass(frozen=True, slots=True)
class Delivered:
    """A delivery, and its attempts, the newest first."""

    delivery: Delivery
    attempts: list[Attempt]


@dataclass(frozen=True, slots=True)
class DeliveryPage:
    """Some of them, the newest first, each with its last attempt; and below which number there are more."""

    items: list[Delivered]
    next: int | None


class Asked(NamedTuple):
    """Which deliveries are wanted: of a state or all, of numbers below one, and how many."""

    state: DeliveryState | None = None
    below: int | None = None
    limit: int = 50


def list_deliveries(service: Service, caller: Caller, name: str, asked: Asked) -> DeliveryPage:
    """Deliveries to a subscription. Raises `NotPermitted`, `NotFound`."""
    limit = asked.limit
    with service.database.snapshot(caller.actor.name) as reading:
        one, kept = there(service, reading, caller, name), service.database.deliveries
        below = 2**62 if asked.below is None else asked.below
        found = kept.page(reading, one.id, asked.state, below=below, limit=limit + 1)
        more, found = len(found) > limit, found[:limit]
        items = [Delivered(each, kept.attempts(reading, each.number, 1)) for each in found]
        return DeliveryPage(items, found[-1].number if more else None)


def find_delivery(service: Service, caller: Caller, name: str, number: int) -> Delivered:
    """A delivery with its attempts. Raises `NotPermitted`, `NotFound`."""
    with service.database.snapshot(caller.actor.name) as reading:
        one, kept = there(service, reading, caller, name), service.database.deliveries
        found = kept.one(reading, one.id, number)
        if found is None:
            raise _none(name, number)
        return Delivered(found, kept.attempts(reading, number, _MOST_SHOWN))


def _none(name: str, number: int) -> NotFound:
    return NotFound(f"There is no delivery {number} of {name}, or it is not kept any more.")


def send_test(service: Service, caller: Caller, name: str) -> Delivery:
    """Has a test sent to a subscription. Raises `NotPermitted`, `NotFound`."""

    def work(writing: Writing) -> Delivery:
        one, now, test = there(service, writing, caller, name), service.now(), service.new_id()
        about = (f"test-{test}", TEST, place_of(one.place).sequence, "", test, "")
        # It waits for nothing and holds nothing up, and is tried once.
        wanted = Delivery(one.id, *about, time=now, due=now, until=now)
        return replace(wanted, number=service.database.deliveries.add(writing, wanted))

    return service.database.write(work)


def send_again(service: Service, caller: Caller, name: str, number: int) -> Delivery:
    """Has a delivery sent again, whatever became of it. Raises `NotPermitted`, `NotFound`."""

    def work(writing: Writing) -> Delivery:
        one, kept = there(service, writing, caller, name), service.database.deliveries
        found = kept.one(writing, one.id, number)
        if found is None:
            raise _none(name, number)
        until = service.now(service.outward.patience)
        again = replace(found, state="waiting", attempts=0, due=service.now(), until=until)
        kept.settle(writing, again, None, found.due)
        return again

    return service.database.write(work)


def send_since(service: Service, caller: Caller, name: str, time: str) -> Place:
    """Has all sent again that came since a moment; the place of the feed from which on.

    Raises `NotPermitted`, `NotFound`.
    """

    def work(writing: Writing) -> Place:
        database = service.database
        one = there(service, writing, caller, name)
        place = min(place_of(one.place), Place(database.history.before(writing, time)))
        notice = min(one.notice, database.notices.before(writing, time))
        database.subscriptions.go_on(writing, one, str(place), notice)
        return place

    return service.database.write(work)
