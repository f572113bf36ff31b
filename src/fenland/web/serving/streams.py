"""Streams that are open: kept by the loop, each for the price of some memory, and fed by one thread.

Those who follow the same and see the same are one group, for which what comes is made once. Groups that have
come as far as the others are *level*: what concerns none of its collections costs such a group nothing. Who
has just come, or has much to catch up with, is *behind*, at a place of their own, until they are level.

A round asks what the history has come to, makes what concerns somebody, and sends it; the next one begins
once all of that was handed to the connections. Who does not take what is sent is cut off, and may go on from
the last event that they have.
"""

from __future__ import annotations

import asyncio
import queue
import threading
import time
from collections import Counter, deque
from collections.abc import Callable, Collection, Hashable, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from itertools import islice, takewhile
from typing import NamedTuple, Protocol

import structlog

from fenland.core.problems import Refusal, Unavailable
from fenland.service.feed.changes import Place
from fenland.storage.door import Growth, Turn
from fenland.web.http.streaming import Made, Stream

#: Seconds from one round to the next, between looks at what other processes added, and after a failure.
_PACE, _LOOK_PAUSE, _FAILED_PAUSE = 0.02, 0.025, 0.5
#: Seconds between looks at who may go on; and in which each stream is sent something, so that proxies and
#: clients know it is alive.
_TICK, _HEARTBEAT = 1.0, 15
#: Bytes that may wait for a client to take them.
_MOST_UNSENT = 256_000
#: Streams that are sent to, or asked about, before others have their turn.
_AT_A_TIME = 100
#: Pages that are made for one group before the others have theirs.
_MOST_PAGES = 4
#: A comment, which clients leave out.
_ALIVE = b":\n"
#: The last that a stream hears: come again soon.
_ENDED = b"retry: 1000\n\n"

log = structlog.get_logger()


class Wire(Protocol):
    """The connection that a stream is sent on. Used on the loop alone."""

    #: Called once, when the client is gone.
    left: Callable[[], None] | None

    def push(self, piece: bytes) -> int:
        """Sends a piece; how many bytes wait for the client to take them."""

    def close_stream(self) -> None:
        """Ends the answer properly."""

    def abort(self) -> None:
        """Ends the connection."""


class Bounds(NamedTuple):
    """How many streams there may be in one process: of one account, and in all."""

    account: int
    all: int


@dataclass(frozen=True, slots=True)
class Feed:
    """What streams are fed from."""

    growth: Growth
    turn: Turn
    #: Where the history ends, and the collections that were changed behind an entry.
    changed_since: Callable[[int], tuple[int, Collection[str]]]
    #: See `Database.accounts_stamp`.
    stamp: Callable[[], bytes | None]


@dataclass(eq=False, slots=True)
class _Follower:
    wire: Wire
    account: str
    lasts: Callable[[], float | None]
    #: When to ask next, by `time.monotonic`; at once, since that is for the thread.
    until: float = 0.0
    #: When something was sent last.
    sent: float = 0.0
    group: _Group | None = None


@dataclass(eq=False, slots=True)
class _Group:
    key: Hashable
    interest: frozenset[str]
    make: Callable[[Place, int], Made]
    #: How far they have come; None where they are level with the others.
    place: Place | None
    members: set[_Follower] = field(default_factory=set)


class _Round(NamedTuple):
    """What a round came to."""

    end: int
    made: list[tuple[_Group, Made | None]]
    ended: list[_Follower]


class Streams:
    """Used on the loop alone, but for what its thread and `Growth` call."""

    def __init__(self, loop: asyncio.AbstractEventLoop, feed: Feed, bounds: Bounds) -> None:
        self._loop, self._feed, self._bounds = loop, feed, bounds
        #: All of them; the one that was sent to longest ago stands first.
        self._followers: dict[_Follower, None] = {}
        self._accounts: Counter[str] = Counter()
        #: Guards the groups, which the thread looks at.
        self._lock = threading.Lock()
        self._level: dict[Hashable, _Group] = {}
        self._by_collection: dict[str, set[_Group]] = {}
        self._behind: set[_Group] = set()
        #: How far those who are level have come.
        self._seen = 0
        self._jobs: queue.SimpleQueue[Callable[[], None] | None] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None
        self._busy = self._told = self._looking = self._ticking = self._asking = False
        self._next = 0.0
        #: What is still to be sent, and to whom.
        self._sending: deque[tuple[bytes, Iterator[_Follower]]] = deque()
        self._stamp: bytes | None = None
        feed.growth.listen(self._grown)

    # --- who follows -----------------------------------------------------------------------------------

    def refusal(self, account: str) -> Unavailable | None:
        """Why there may be no other stream of an account now; None where there may."""
        if len(self._followers) >= self._bounds.all or self._accounts[account] >= self._bounds.account:
            detail = "Too many streams are open. Close some, or ask for pages instead, with wait."
            return Unavailable(detail)
        return None

    def add(self, wire: Wire, stream: Stream, account: str) -> None:
        """Goes on with a stream that has begun."""
        follower = _Follower(wire, account, stream.lasts)
        wire.left = lambda: self._drop(follower)
        if not self._followers:
            self._stamp, self._next = None, 0.0
        self._note_sent(follower)
        self._accounts[account] += 1
        group = _Group(stream.key, stream.interest, stream.make, stream.place, {follower})
        follower.group = group
        with self._lock:
            self._behind.add(group)
        if not self._looking:
            self._looking = True
            self._loop.call_later(_LOOK_PAUSE, self._look)
        if not self._ticking:
            self._ticking = True
            self._loop.call_later(_TICK, self._tick)
        self._begin()

    def _drop(self, follower: _Follower) -> None:
        """Forgets one who has gone."""
        if self._followers.pop(follower, self) is self:
            return
        follower.wire.left = None
        self._accounts[follower.account] -= 1
        if not self._accounts[follower.account]:
            del self._accounts[follower.account]
        group, follower.group = follower.group, None
        if group is not None:
            group.members.discard(follower)
            if not group.members:
                self._forget(group)

    def _forget(self, group: _Group) -> None:
        with self._lock:
            self._behind.discard(group)
            if self._level.get(group.key) is group:
                del self._level[group.key]
                for name in group.interest:
                    self._by_collection[name].discard(group)

    def _end(self, follower: _Follower) -> None:
        """Ends a stream, whose client may come again."""
        if follower in self._followers:
            self._drop(follower)
            follower.wire.push(_ENDED)
            follower.wire.close_stream()

    def stop(self) -> None:
        """Ends all of them."""
        for follower in list(self._followers):
            self._end(follower)
        self._jobs.put(None)

    # --- when there is something to do ---------------------------------------------------------------------

    def _grown(self) -> None:
        """Called by whoever committed, in any thread."""
        if self._followers and not self._told:
            self._told = True
            self._tell(self._heard)

    def _heard(self) -> None:
        self._told = False
        self._begin()

    def _look(self) -> None:
        """Looks now and then for what nothing here tells: what other processes added."""
        self._looking = bool(self._followers)
        if self._looking:
            self._loop.call_later(_LOOK_PAUSE, self._look)
            self._begin()

    def _begin(self) -> None:
        """Begins a round, where something has come and none is under way."""
        end = self._feed.growth.end
        # Who is ahead of the history, as after a backup was put back, waits for it to come.
        waits = end != self._seen or any(
            one.place is None or one.place.sequence <= end for one in self._behind
        )
        if self._busy or self._sending or not self._followers or not waits:
            return
        left = self._next - self._loop.time()
        if left > 0:
            if not self._asking:
                self._asking = True
                self._loop.call_later(left, self._asked)
            return
        self._busy, self._next = True, self._loop.time() + _PACE
        self._hand(self._round)

    def _asked(self) -> None:
        self._asking = False
        self._begin()

    def _tick(self) -> None:
        """Now and then: who may not go on any more, and who has heard nothing for long."""
        self._ticking = bool(self._followers)
        if not self._ticking:
            return
        self._loop.call_later(_TICK, self._tick)
        self._hand(self._look_after)
        long_ago = self._loop.time() - _HEARTBEAT
        for follower in list(takewhile(lambda one: one.sent < long_ago, self._followers)):
            level = follower.group is not None and follower.group.place is None
            # How far one has come who has been sent all of it: it need not be looked through again.
            place = b"id: %d\n\n" % self._seen if level and not self._sending else b"\n"
            self._push(follower, _ALIVE + place)

    # --- the thread ------------------------------------------------------------------------------------

    def _hand(self, job: Callable[[], None]) -> None:
        if self._thread is None:
            self._thread = threading.Thread(target=self._work, name="streams", daemon=True)
            self._thread.start()
        self._jobs.put(job)

    def _work(self) -> None:
        while (job := self._jobs.get()) is not None:
            try:
                job()
            except Exception:
                # Whatever it is, the others go on being fed.
                log.exception("streams were not looked after")

    def _tell(self, called: Callable[..., None], *given: object) -> None:
        """Has the loop do something; nobody waits for it once that is closed."""
        with suppress(RuntimeError):
            self._loop.call_soon_threadsafe(called, *given)

    def _round(self) -> None:
        """Makes what has come, for all whom it concerns."""
        try:
            found = self._made()
        except Exception as error:
            if not isinstance(error, Unavailable):
                log.exception("streams were not fed")
            self._tell(self._failed)
        else:
            self._tell(self._deliver, found)

    def _made(self) -> _Round:
        feed, made, ended = self._feed, list[tuple[_Group, Made | None]](), list[_Follower]()
        with feed.turn.taken():
            above = self._seen if self._level else max(feed.growth.end - 1, 0)
            end, names = feed.changed_since(above)
            with self._lock:
                level = {one for name in names for one in self._by_collection.get(name, ())}
                groups = [
                    *((one, Place(above)) for one in level),
                    *((one, one.place) for one in self._behind),
                ]
            if feed.stamp() != self._stamp:
                # Nobody is told by rights that they do not have any more.
                ended = self._over([one for group, _ in groups for one in list(group.members)])
            for group, place in groups:
                made.append((group, _pages(group, place or Place(above), end)))
                feed.turn.breathe()
        return _Round(end, made, ended)

    def _look_after(self) -> None:
        """Looks who may not go on: all of them where accounts have changed, else those whose time is over."""
        now, stamp = time.monotonic(), self._feed.stamp()
        changed = stamp is None or stamp != self._stamp
        asked = [one for one in list(self._followers) if changed or one.until <= now]
        for start in range(0, len(asked), _AT_A_TIME):
            with self._feed.turn.taken():
                ended = self._over(asked[start : start + _AT_A_TIME])
            self._tell(self._end_all, ended)
        self._stamp = stamp

    def _over(self, followers: Iterable[_Follower]) -> list[_Follower]:
        """Those who may not go on."""
        found = []
        for one in followers:
            until = one.lasts()
            if until is None or until <= time.monotonic():
                found.append(one)
            else:
                one.until = until
            self._feed.turn.breathe()
        return found

    # --- what a round came to ----------------------------------------------------------------------------

    def _failed(self) -> None:
        self._busy, self._next = False, self._loop.time() + _FAILED_PAUSE

    def _deliver(self, found: _Round) -> None:
        self._end_all(found.ended)
        self._busy, self._seen = False, found.end
        for group, made in found.made:
            if made is None:
                self._end_all(list(group.members))
                continue
            if made.text:
                self._sending.append((made.text, iter(list(group.members))))
            self._settle(group, made, found.end)
        self._send()

    def _settle(self, group: _Group, made: Made, end: int) -> None:
        """Has a group stand where it has come to."""
        if not group.members:
            return
        self._forget(group)
        with self._lock:
            if made.place != Place(end):
                group.place = made.place
                self._behind.add(group)
                return
            level = self._level.get(group.key)
            if level is None:
                group.place, self._level[group.key] = None, group
                for name in group.interest:
                    self._by_collection.setdefault(name, set()).add(group)
                return
            level.members |= group.members
            for follower in group.members:
                follower.group = level

    def _send(self) -> None:
        """Hands what was made to the connections, some at a time."""
        if not self._sending:
            self._begin()
            return
        text, followers = self._sending[0]
        some = list(islice(followers, _AT_A_TIME))
        if not some:
            self._sending.popleft()
        for follower in some:
            self._push(follower, text)
        self._loop.call_soon(self._send)

    def _push(self, follower: _Follower, text: bytes) -> None:
        if follower not in self._followers:
            return
        if follower.wire.push(text) > _MOST_UNSENT:
            self._drop(follower)
            follower.wire.abort()
        else:
            self._note_sent(follower)

    def _note_sent(self, follower: _Follower) -> None:
        follower.sent = self._loop.time()
        self._followers.pop(follower, None)
        self._followers[follower] = None

    def _end_all(self, followers: Iterable[_Follower]) -> None:
        for follower in followers:
            self._end(follower)


def _pages(group: _Group, place: Place, end: int) -> Made | None:
    """What comes behind a place, some pages of it; None where that is refused, as they will be told."""
    texts, more = list[bytes](), True
    try:
        for _ in range(_MOST_PAGES):
            if not more or place.sequence >= end:
                break
            made = group.make(place, end)
            texts.append(made.text)
            place, more = made.place, made.more
    except Refusal:
        # What is too much for one is nobody else's trouble: they end, come again, and are told.
        return None
    return Made(b"".join(texts), place, more)
