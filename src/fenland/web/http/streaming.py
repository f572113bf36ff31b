"""Streams: answers that go on as the history grows, as server-sent events; none holds a thread.

A view returns `Streamed`: how the answer begins, and what makes the rest. The front goes on with it. A server
that cannot sends the beginning alone, and the client comes again, as such streams have it.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Hashable, Iterable
from typing import TYPE_CHECKING, NamedTuple

from fenland.core.problems import Refusal, Unavailable
from fenland.service.feed.changes import Place
from fenland.web.http.answers import Answer
from fenland.web.http.caller import caller_again
from fenland.web.http.environ import ACCOUNT, ADDRESS, STREAM

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIEnvironment

    from fenland.web.http.calls import Call

#: The media type of server-sent events (HTML Standard, section 9.2).
EVENT_STREAM = "text/event-stream"
#: What keeps proxies from holding events back (nginx), and anybody from keeping them.
HEADERS = {
    "Content-Type": f"{EVENT_STREAM}; charset=utf-8",
    "Cache-Control": "no-store",
    "X-Accel-Buffering": "no",
    "Vary": "Authorization, Cookie, Accept",
}
#: Seconds until it is asked again whether somebody may go on, where that could not be told.
_SOON = 1.0
#: What of a request says who asks.
_CREDENTIALS = (
    "HTTP_AUTHORIZATION",
    "HTTP_COOKIE",
    "HTTP_FENLAND_ON_BEHALF_OF",
    "REQUEST_METHOD",
    ADDRESS,
    ACCOUNT,
)


class Made(NamedTuple):
    """What a follower is sent next, up to which place, and whether there is more at once."""

    text: bytes
    place: Place
    more: bool


class Stream(NamedTuple):
    """One who follows. Those with equal keys are sent the same behind the same place."""

    key: Hashable
    #: The collections whose changes can concern them.
    interest: frozenset[str]
    place: Place
    #: Gives what comes behind a place, up to an entry. Raises `Refusal`.
    make: Callable[[Place, int], Made]
    #: Until when they may go on, by `time.monotonic`; None where they may not any more.
    lasts: Callable[[], float | None]


class Streamed(Answer):
    """An answer that goes on."""

    __slots__ = ("_stream",)

    def __init__(self, begun: bytes, stream: Stream) -> None:
        super().__init__(begun, 200, HEADERS)
        self._stream = stream

    def __call__(self, environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        """Sends how it begins, and leaves word for the server of what comes then."""
        environ[STREAM] = self._stream
        return super().__call__(environ, start_response)


def lasting(call: Call) -> Callable[[], float | None]:
    """What tells until when who asks may go on following: as long as they are let in as who they were."""
    environ = {name: call.environ[name] for name in _CREDENTIALS if name in call.environ}
    service, caller = call.service, call.caller

    def lasts() -> float | None:
        try:
            again, until = caller_again(environ, service)
        except Unavailable:
            # Nobody knows for the moment.
            return time.monotonic() + _SOON
        except Refusal:
            return None
        if (again.actor, again.acting, again.scope) != (caller.actor, caller.acting, caller.scope):
            # What they see is another now: they begin anew, and are told so.
            return None
        left = math.inf if until is None else (until - service.clock()).total_seconds()
        return time.monotonic() + left

    return lasts
