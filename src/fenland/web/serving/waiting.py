"""Requests that wait for the history to grow: kept by the loop, each for the price of some memory."""

from __future__ import annotations

import asyncio
import heapq
import itertools
import math
import time
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from typing import Generic, TypeVar

from fenland.storage.door import Growth
from fenland.web.http.waiting import Wait

#: Seconds between looks at what other processes added, while anybody waits.
_LOOK_PAUSE = 0.025
#: Seconds before one that was woken for nothing is woken again: many may wait, and each is asked anew.
REST = 0.5
#: Requests of one account that may wait in one process.
_MOST = 200

Request = TypeVar("Request")


class Waiting(Generic[Request]):
    """Used on the loop alone, but for what `Growth` calls."""

    def __init__(
        self,
        loop: asyncio.AbstractEventLoop,
        growth: Growth,
        stopping: Callable[[], bool],
        wake: Callable[[Request, Wait], None],
    ) -> None:
        """`wake` is handed each request that need not wait any longer, and for what it was to, until when."""
        self._loop, self._growth, self._stopping, self._wake = loop, growth, stopping, wake
        self._waiting: dict[Request, tuple[Wait, str]] = {}
        #: The same, the nearest end first, so that a commit looks at none that wait for more; and a number
        #: for each, since requests have no order. Of those that are no longer kept, some may stand here yet.
        self._by_end: list[tuple[int, int, Request]] = []
        self._numbers = itertools.count()
        self._accounts: Counter[str] = Counter()
        self._soonest = math.inf
        self._looking = False
        growth.listen(self._grown)

    def add(self, request: Request, wait: Wait, account: str) -> bool:
        """Keeps a request; not where too many of the account's wait already."""
        if self._accounts[account] >= _MOST:
            return False
        self._waiting[request] = (wait, account)
        self._accounts[account] += 1
        self._soonest = min(self._soonest, wait.until)
        if wait.again:
            self._loop.call_later(REST, self._heed, request, wait)
        else:
            self._heed(request, wait)
        if not self._looking:
            self._looking = True
            self._loop.call_later(_LOOK_PAUSE, self._look)
        return True

    def _heed(self, request: Request, wait: Wait) -> None:
        """Has a request woken from now on, if it is still kept."""
        heapq.heappush(self._by_end, (wait.above, next(self._numbers), request))
        # It may have grown since it was asked.
        self._look_at_end()

    def drop(self, request: Request) -> bool:
        """Forgets a request; whether it waited."""
        found = self._waiting.pop(request, None)
        if found is not None:
            self._accounts[found[1]] -= 1
            if not self._accounts[found[1]]:
                del self._accounts[found[1]]
        return found is not None

    def _grown(self) -> None:
        if self._waiting:
            with suppress(RuntimeError):
                # The loop may be closed: then nobody waits any more.
                self._loop.call_soon_threadsafe(self._look_at_end)

    def _look(self) -> None:
        """Looks now and then for what nothing here tells: other processes, time, and the end of this one."""
        self._look_at_end()
        now = time.monotonic()
        if self._stopping():
            self._end(math.inf, now)
        elif now >= self._soonest:
            self._end(now, now)
        self._looking = bool(self._waiting)
        if self._looking:
            self._loop.call_later(_LOOK_PAUSE, self._look)

    def _look_at_end(self) -> None:
        end, waiting = self._growth.end, self._by_end
        while waiting and waiting[0][0] < end:
            _, _, request = heapq.heappop(waiting)
            if request in self._waiting:
                self._answer(request, math.inf)

    def _end(self, until: float, now: float) -> None:
        """Has those answered as things are that were to wait until then, or less long."""
        for request in [one for one, (wait, _) in self._waiting.items() if wait.until <= until]:
            self._answer(request, now)
        self._soonest = min((wait.until for wait, _ in self._waiting.values()), default=math.inf)
        # What is left of those that are gone.
        self._by_end = [one for one in self._by_end if one[2] in self._waiting]
        heapq.heapify(self._by_end)

    def _answer(self, request: Request, until: float) -> None:
        wait, _ = self._waiting[request]
        self.drop(request)
        self._wake(request, wait._replace(until=min(wait.until, until)))
