"""Which requests are taken for short, so that the front may answer them on its loop.

A record by its key; a page of a list that an index gives in order; a small change of one record, and one to
create, from which not much follows. How much is read for them is seen as it is read: where it is too much,
the statement says so (`WouldHoldUp`), a thread does it anew, and for a while others of the kind go there too.
"""

from __future__ import annotations

import re
import time
from enum import Enum
from typing import Any

from fenland.service.service import Resource, Service

_RECORD = re.compile(r"/v1/records/([a-z0-9_]+)(/[^/]+)?")
#: How a record was is worked out from its entries, of which there may be many.
#: A name may be written in escapes as well, so that where there are any this cannot tell.
_PAST = re.compile(r"\b(?:version|at)=|%")
_PAGE = re.compile(r"(?:limit=[1-9][0-9]?)?")
#: Bytes in the body of a small change.
_SMALL_BODY = 16_000
#: Seconds for which requests are not taken for short, after one of their kind that was not.
_LONG_SECONDS = 30.0


def _conditional(resource: Resource) -> bool:
    """Whether it depends on more than roles and owners who may read which records."""
    rule = resource.collection.access.get("read")
    return rule is not None and rule.condition is not None


def _follows_far(service: Service, name: str) -> bool:
    """Whether very many changes may follow from one there."""
    return service.reaches.concerns(name) or service.network.fans_out(name)


class Short(Enum):
    """What a short request does."""

    READ = "read"
    CHANGE = "change"


class ShortRequests:
    """Which requests of a service are taken for short."""

    def __init__(self, service: Service) -> None:
        self._names = frozenset(service.resources)
        # A condition may hold for few records, and all the others be read before they are found.
        self._listed = {name for name, one in service.resources.items() if not _conditional(one)}
        # What follows from a change may be much more than that, and functions take their time in threads.
        self._changed = (
            set() if service.calls else {name for name in self._names if not _follows_far(service, name)}
        )
        #: Until when those of a kind are not: method, collection, whether one record is meant.
        self._long_until: dict[tuple[str, str, bool], float] = {}

    def kind(self, environ: dict[str, Any]) -> Short | None:
        """What a request is, by its environ, where it is taken for short."""
        method, path = environ["REQUEST_METHOD"], environ["PATH_INFO"]
        if method == "GET" and path == "/v1/session":
            return Short.READ
        found = _RECORD.fullmatch(path)
        if found is None or found[1] not in self._names:
            return None
        name, one = found[1], found[2] is not None
        if self._long_until and time.monotonic() < self._long_until.get((method, name, one), 0):
            return None
        match method, one:
            case ("PATCH", True) | ("POST", False):
                # A change of a record, or a record to create.
                length = environ["CONTENT_LENGTH"]
                little = len(length) < 6 and int(length or 0) < _SMALL_BODY
                return Short.CHANGE if little and name in self._changed else None
            case ("GET", True):
                return None if _PAST.search(environ["QUERY_STRING"]) else Short.READ
            case ("GET", False):
                return (
                    Short.READ if name in self._listed and _PAGE.fullmatch(environ["QUERY_STRING"]) else None
                )
        return None

    def was_long(self, environ: dict[str, Any]) -> None:
        """To be called with a request that was taken for short and had to read much: for a while none of
        its kind is.
        """
        found = _RECORD.fullmatch(environ["PATH_INFO"])
        if found is not None:
            kind = (environ["REQUEST_METHOD"], found[1], found[2] is not None)
            self._long_until[kind] = time.monotonic() + _LONG_SECONDS
