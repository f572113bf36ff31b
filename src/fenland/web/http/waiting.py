"""Waiting: an answer that is given once the history has grown, or some time has passed; it holds no thread.

A view that would wait returns `Later`. The front then keeps the request, and has it answered anew when what
it waits for has come about, or its time is over. A server that cannot wait has it answered at once.
"""

from __future__ import annotations

import time
from collections.abc import Iterable
from typing import TYPE_CHECKING, NamedTuple

from fenland.web.http.answers import Answer
from fenland.web.http.environ import CAN_WAIT, LATER, WAITED

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIEnvironment

    from fenland.web.http.calls import Call


class Wait(NamedTuple):
    """What is waited for: entries after this one, until then by `time.monotonic`.

    `again` is whether it was woken before, and had nothing to be told of.
    """

    above: int
    until: float
    again: bool = False


class Later(Answer):
    """Not answered yet."""

    __slots__ = ("_wait",)

    def __init__(self, wait: Wait) -> None:
        super().__init__(b"", 200, {})
        self._wait = wait

    def __call__(self, environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        """Leaves word for the server, which sends nothing of this."""
        environ[LATER] = self._wait
        return super().__call__(environ, start_response)


def waited_above(call: Call) -> int | None:
    """Of a request that has waited, behind which entry it did: all up to there was looked through."""
    waited: Wait | None = call.environ.get(WAITED)
    return None if waited is None else waited.above


def later(call: Call, above: int, seconds: int) -> Later | None:
    """What to answer while the history ends with the entry `above`, or before; None where there is more.

    None as well where the time is over, or the server cannot wait.
    """
    waited: Wait | None = call.environ.get(WAITED)
    until = time.monotonic() + seconds if waited is None else waited.until
    if CAN_WAIT not in call.environ or call.service.database.growth.end > above:
        return None
    return Later(Wait(above, until, waited is not None)) if time.monotonic() < until else None
