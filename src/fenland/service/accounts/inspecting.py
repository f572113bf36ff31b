"""The request inspector: whose own requests are noted, for how long, and what was noted.

What is told of a request is made where it is answered (`web/http/noting.py`): values of secret fields never
reach this room.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.problems import NotFound, NotPermitted, TooMany
from fenland.core.values.identity import timestamp
from fenland.service.service import Service
from fenland.storage.door import Inspection, Noted

#: Seconds for which it can still be read what was noted, once it is off by itself.
_KEPT = 3600


def switch_on(service: Service, caller: Caller, minutes: int, *, console: bool) -> Inspection:
    """Notes the caller's requests from now on, for so many minutes. Raises `NotPermitted`, `TooMany`."""
    now = service.clock().timestamp()
    until = now + minutes * 60
    asked = Inspection(until, until + _KEPT, console)
    if not service.database.inspector.begin(_own(caller), asked, now):
        raise TooMany("Too many accounts have it on now. Try it again in a while, or have one switch it off.")
    return asked


def switch_off(service: Service, caller: Caller) -> None:
    """Notes nothing any more, and forgets what was noted. Raises `NotPermitted`."""
    service.database.inspector.forget(_own(caller))


def inspected(service: Service, caller: Caller) -> Inspection | None:
    """How the caller has it on; None where they have not. Raises `NotPermitted`."""
    return service.database.inspector.of(_own(caller), service.clock().timestamp())


def noted_requests(service: Service, caller: Caller, after: int, limit: int) -> list[dict[str, Any]]:
    """The last requests that were noted, the newest first: of those after a number, as many as that.

    A number that none has yet is of an earlier time, and then all are after it. Raises `NotPermitted`.
    """
    found = service.database.inspector.noted(_own(caller), service.clock().timestamp())
    if found and after > found[-1].number:
        after = 0
    behind = [one for one in found if one.number > after]
    return [_told(one) for one in reversed(behind[-limit:])]


def noted_request(service: Service, caller: Caller, number: int) -> Mapping[str, Any]:
    """One of them. Raises `NotFound`, `NotPermitted`."""
    for one in service.database.inspector.noted(_own(caller), service.clock().timestamp()):
        if one.number == number:
            return _told(one)
    raise NotFound(f"No request {number} is kept. The last ones are: GET /v1/requests.")


def _told(one: Noted) -> dict[str, Any]:
    # Numbers as they were sent, to the last digit.
    return {"number": one.number, **json.loads(one.content, parse_float=Decimal)}


def when(seconds: float) -> str:
    """A moment in Unix seconds, as answers tell it."""
    return timestamp(datetime.fromtimestamp(seconds, UTC))


def _own(caller: Caller) -> str:
    if caller.scope is not None or caller.acting is not None:
        raise NotPermitted(
            "What an account sends, only the account itself may look at. Sign in, or use its full token."
        )
    return caller.actor.name
