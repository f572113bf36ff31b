"""Requests that wait for the history to grow: kept by the loop, each for the price of some memory."""

from __future__ import annotations

import asyncio
import time
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from typing import Generic, TypeVar

from fenland.storage.door import Growth
from fenland.web.http.waiting import Wait

#: Seconds between looks at what other processes added, while anybody waits.
_LOOK_PAUSE = 0.025
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
        wake: Callable[[Request, float], None],
    ) -> None:
        """`wake` is handed each request that need not wait any longer, and until when it was to wait."""
        self._loop, self._growth, self._stopping, self._wake = loop, growth, stopping, wake
        self._waiting: dict[Request, tuple[Wait, str]] = {}
        self._accounts: Counter[str] = Counter()
        self._seen = 0
        self._soonest = 0.0
        self._looking = False
        growth.listen(self._grown)

    def add(self, request: Request, wait: Wait, account: str) -> bool:
        """Keeps a request; not where too many of the account's wait already."""
        if self._accounts[account] >= _MOST:
            return False
        self._waiting[request] = (wait, account)
        self._accounts[account] += 1
        self._soonest = min(self._soonest, wait.until) if len(self._waiting) > 1 else wait.until
        if self._growth.end > wait.above:
            # Since it was asked.
            self._look_at_all()
        if not self._looking:
            self._looking = True
            self._loop.call_later(_LOOK_PAUSE, self._look)
        return True

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
                self._loop.call_soon_threadsafe(self._look_at_all)

    def _look(self) -> None:
        """Looks now and then for what nothing here tells: other processes, time, and the end of this one."""
        end, now = self._growth.end, time.monotonic()
        if end != self._seen or now >= self._soonest or self._stopping():
            self._look_at_all()
        self._looking = bool(self._waiting)
        if self._looking:
            self._loop.call_later(_LOOK_PAUSE, self._look)

    def _look_at_all(self) -> None:
        self._seen, now, ended = self._growth.end, time.monotonic(), self._stopping()
        ready = [
            (request, wait)
            for request, (wait, _) in self._waiting.items()
            if self._seen > wait.above or now >= wait.until or ended
        ]
        for request, wait in ready:
            self.drop(request)
            # One that has waited long enough is answered as things are.
            self._wake(request, min(wait.until, now) if ended else wait.until)
        self._soonest = min((wait.until for wait, _ in self._waiting.values()), default=0.0)
