"""Sending: one process among all sends what is due, in order of each record's changes, until it is taken.

It runs on a thread and an event loop of its own, so that receivers that do not answer cost nobody a thread.
What is settled is written before more is begun; what was sent and not yet written is sent again after a
crash.
"""

from __future__ import annotations

import asyncio
import fcntl
import os
import random
import re
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import NamedTuple

import structlog

from fenland.core.problems import Refusal, Unavailable
from fenland.core.values.identity import timestamp
from fenland.service.feed.cloudevents import EVENT
from fenland.service.notices.posting import Answer, Poster
from fenland.service.notices.signing import signed
from fenland.service.notices.subscriptions import pause, signing_now
from fenland.service.notices.taking_up import Looked, body_of, take_up
from fenland.service.service import Service
from fenland.storage.door import Attempt, Delivery, Subscription, Writing

#: Notices that are under way at a time: to one receiver, to one that takes none, and to all; and their bytes.
_MOST_EACH, _MOST_FAILING, _MOST, _MOST_BYTES = 16, 2, 256, 64_000_000
#: Threads that look names up.
_NAMES = 32
#: Seconds between looks at whether anything has come, and until all of it is looked through in any case.
_LOOK, _LONG = 0.1, 1.0
#: How long others have between two rounds at the least, in seconds, and as a multiple of what a round took.
_PACE, _REST, _LONGEST_REST = 0.03, 4, 1.0
#: How much longer each pause is than the one before, and the longest, in seconds.
_GROWS, _LONGEST = 3, 4 * 3600
#: Seconds between two removals of what is old, and how many are removed at a time.
_CLEANED, _REMOVED = 600, 200
#: Seconds after which it is tried again where something here failed.
_FAILED = 2.0

log = structlog.get_logger()


class _Result(NamedTuple):
    subscription: Subscription
    delivery: Delivery
    answer: Answer
    time: str


def send_always(service: Service, lock: Path) -> None:
    """Sends what is due for as long as this process lives, once it is the one of all that does."""
    held = os.open(lock, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    fcntl.flock(held, fcntl.LOCK_EX)
    asyncio.run(Sender(service).run())


class Sender:
    """Used within one event loop, which is its alone: it may wait there for the database."""

    #: Set, also by another thread, to have it come to an end.
    ended = False

    def __init__(self, service: Service) -> None:
        self._service = service
        self._poster = Poster(service.outward)
        #: By number, the deliveries that are under way, and how many there are of each subscription.
        self._under_way: set[int] = set()
        self._of: Counter[str] = Counter()
        self._bytes = 0
        #: Whether there is anybody to send to.
        self._any = False
        self._results: list[_Result] = []
        self._looked: dict[str, Looked] = {}
        #: Until when nothing is due that was taken up, by `time.monotonic`.
        self._quiet: dict[str, float] = {}
        self._tasks: set[asyncio.Task[None]] = set()
        self._seen, self._next, self._cleaned = -1, 0.0, 0.0

    async def run(self) -> None:
        """Goes on until it is `ended`."""
        loop, self._woken = asyncio.get_running_loop(), asyncio.Event()
        # Names are looked up on threads.
        loop.set_default_executor(ThreadPoolExecutor(_NAMES, "names"))

        def grown() -> None:
            with suppress(RuntimeError):
                loop.call_soon_threadsafe(self._woken.set)

        self._service.database.growth.listen(grown)
        while not self.ended:
            end, now = self._service.database.growth.end, time.monotonic()
            # Where there is nobody to send to, changes wake nothing.
            if (end != self._seen and self._any) or now >= self._next or self._results:
                wait, self._seen = self._round(), end
                ended = time.monotonic()
                self._next = ended + wait
                await asyncio.sleep(min(max(_PACE, _REST * (ended - now)), _LONGEST_REST))
                continue
            self._woken.clear()
            with suppress(TimeoutError):
                await asyncio.wait_for(self._woken.wait(), _LOOK)
        await self._poster.close()

    def _round(self) -> float:
        """Settles what came back, takes up what has come and sends it; seconds until there may be more."""
        service = self._service
        try:
            with service.database.turn.taken():
                self._settle()
                wait = self._begin()
                if time.monotonic() > self._cleaned:
                    self._cleaned = time.monotonic() + _CLEANED
                    self._clean()
                return wait
        except Refusal as error:
            log.warning("notices wait", why=str(error))
        except Exception:
            # Whatever it is: what is not settled is sent again.
            log.exception("notices were not looked after")
        return _FAILED

    # --- beginning -----------------------------------------------------------------------------------------

    def _begin(self) -> float:
        service, wait = self._service, _LONG
        with service.database.reading() as reading:
            active = [one for one in service.database.subscriptions.all(reading) if not one.paused]
        self._any = bool(active)
        for one in active:
            wait = min(wait, self._by_itself(one))
            service.database.turn.breathe()
        return wait

    def _by_itself(self, one: Subscription) -> float:
        """The same for one of them, whose trouble is nobody else's."""
        try:
            return self._look_after(one)
        except Refusal as error:
            log.warning("notices wait", subscription=one.name, why=str(error))
        except Exception:
            log.exception("notices were not looked after", subscription=one.name)
        return _FAILED

    def _look_after(self, one: Subscription) -> float:
        """Does what is to be done for a subscription; seconds until there may be more."""
        service = self._service
        came = take_up(service, one, self._looked)
        if came is None:
            return _LONG
        left = self._quiet.get(one.id, 0.0) - time.monotonic()
        if left > 0 and not came.some:
            # Nothing is due, but for what somebody has sent again: that is soon enough in a second.
            return 0.0 if came.more else left
        most = _MOST_EACH if one.failing_since is None else _MOST_FAILING
        room = min(most - self._of[one.id], _MOST - len(self._under_way))
        now = service.now()
        with service.database.reading() as reading:
            due = service.database.deliveries.due(reading, one.id, now, _MOST_EACH + self._of[one.id])
        ready = [each for each in due if each.number not in self._under_way]
        gone = []
        for delivery in ready[: max(room, 0)]:
            if self._bytes > _MOST_BYTES:
                break
            try:
                body = body_of(service, one, delivery)
            except Unavailable:
                raise
            except Exception as error:
                # It is tried again as what is not taken is, and holds up none but its record.
                if not isinstance(error, Refusal):
                    log.exception("a notice was not made", subscription=one.name, delivery=delivery.number)
                self._begin_one(one, delivery, b"")
                self._end_one(
                    one, delivery, b"", Answer(0, why=f"It could not be made: {type(error).__name__}.")
                )
                continue
            if body is None:
                gone.append(delivery)
            else:
                self._send(one, delivery, body)
        self._void(gone)
        if came.more or gone:
            return 0.0
        wait = self._until(one, now)
        self._quiet[one.id] = time.monotonic() + min(wait, _LONG)
        return wait

    def _until(self, one: Subscription, now: str) -> float:
        with self._service.database.reading() as reading:
            due = self._service.database.deliveries.next_due(reading, one.id)
        if due is None or due <= now:
            # What waits behind others is begun when they are settled.
            return _LONG
        return (datetime.fromisoformat(due) - datetime.fromisoformat(now)).total_seconds()

    def _begin_one(self, one: Subscription, delivery: Delivery, body: bytes) -> None:
        self._under_way.add(delivery.number)
        self._of[one.id] += 1
        self._bytes += len(body)

    def _end_one(self, one: Subscription, delivery: Delivery, body: bytes, answer: Answer) -> None:
        self._bytes -= len(body)
        began = self._service.now(-timedelta(milliseconds=answer.milliseconds))
        self._results.append(_Result(one, delivery, answer, began))
        self._woken.set()

    def _send(self, one: Subscription, delivery: Delivery, body: bytes) -> None:
        self._begin_one(one, delivery, body)
        task = asyncio.ensure_future(self._sent(one, delivery, body))
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _sent(self, one: Subscription, delivery: Delivery, body: bytes) -> None:
        moment = self._service.clock()
        # What is signed is joined by dots: none is within the id.
        now = timestamp(moment)
        # Where a backup was put back numbers come again, and times do not.
        when = re.sub(r"\D", "", delivery.time)
        message = f"{one.id}-{delivery.event}-{when}".replace(".", "-")
        by = [each.text for each in signing_now(one, now)]
        headers = {"content-type": EVENT, **signed(message, int(moment.timestamp()), body, by)}
        try:
            answer = await self._poster.post(one.url, headers, body)
        except Exception as error:
            log.exception("a notice was not sent", subscription=one.name, delivery=delivery.number)
            answer = Answer(0, why=f"It could not be sent: {type(error).__name__}.")
        self._end_one(one, delivery, body, answer)

    # --- settling ------------------------------------------------------------------------------------------

    def _settle(self) -> None:
        """Writes what came of those that were under way, all in one transaction."""
        results = list(self._results)
        if not results:
            return
        service = self._service
        database, now = service.database, service.clock()

        def work(writing: Writing) -> dict[str, Subscription]:
            there = {one.id: one for one in database.subscriptions.all(writing)}
            for one in results:
                text, why = one.answer.text, one.answer.why
                attempt = Attempt(one.time, one.answer.milliseconds, one.answer.status, why, text)
                database.deliveries.settle(writing, _after(service, one, now), attempt, one.delivery.due)
                known = there.get(one.subscription.id)
                since = None if one.answer.taken else (known and known.failing_since) or timestamp(now)
                if known is not None and since != known.failing_since:
                    database.subscriptions.note_failing(writing, known.id, since)
                    there[known.id] = replace(known, failing_since=since)
            return there

        there = database.write(work)
        del self._results[: len(results)]
        for one in results:
            self._under_way.discard(one.delivery.number)
            self._of[one.subscription.id] -= 1
            self._quiet.pop(one.subscription.id, None)
            self._pause_failing(there.get(one.subscription.id), one, now)

    def _pause_failing(self, known: Subscription | None, result: _Result, now: datetime) -> None:
        if known is None or known.paused:
            return
        if result.answer.status == 410:
            pause(self._service, known, "The receiver answers that it is gone for good (410).")
        elif known.failing_since is not None:
            failing = now - datetime.fromisoformat(known.failing_since)
            if failing > self._service.outward.patience:
                pause(self._service, known, f"Nothing was taken since {known.failing_since[:19]}Z.")

    def _void(self, gone: list[Delivery]) -> None:
        if not gone:
            return
        deliveries = self._service.database.deliveries

        def work(writing: Writing) -> None:
            for one in gone:
                deliveries.settle(writing, replace(one, state="void"), None, one.due)

        self._service.database.write(work)

    def _clean(self) -> None:
        """Removes what is old, and what was for subscriptions that are gone; some at a time."""
        database = self._service.database
        before = self._service.now(-timedelta(days=self._service.limits.notice_days))
        with database.reading() as reading:
            there = {one.id for one in database.subscriptions.all(reading)}
            gone = [one for one in database.deliveries.whose(reading) if one not in there]
        for known in (self._looked, self._quiet):
            for one in known.keys() - there:
                del known[one]

        def work(writing: Writing) -> int:
            count = database.deliveries.remove_old(writing, before, _REMOVED)
            return count + sum(database.deliveries.remove_of(writing, one, _REMOVED) for one in gone)

        if database.write(work) >= _REMOVED:
            self._cleaned = 0.0


def _after(service: Service, result: _Result, now: datetime) -> Delivery:
    """A delivery, once it was tried."""
    delivery, answer = result.delivery, result.answer
    tried = replace(delivery, attempts=delivery.attempts + 1)
    if answer.taken:
        return replace(tried, state="sent")
    pause_for = min(service.outward.pause * _GROWS**delivery.attempts, _LONGEST)
    # Those that failed together do not come again together.
    seconds = max(pause_for * random.uniform(0.8, 1.2), answer.pause)  # noqa: S311 - no secret
    due = timestamp(now + timedelta(seconds=seconds))
    if due > delivery.until:
        return replace(tried, state="parked")
    return replace(tried, due=due)
