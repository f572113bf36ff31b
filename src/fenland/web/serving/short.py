"""Which requests are sure to be short, so that the front may answer them on its loop.

A record by its key; a page of a list that an index gives in order; a small change of one record, and one to
create, from which not much follows. Records that have no bounds are taken for small until one proves not to
be: that request is left to a thread (`storage/shared/records/records.py`), and so are others for a while.
"""

from __future__ import annotations

import re
from collections.abc import Callable
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


def short_requests(service: Service) -> Callable[[dict[str, Any]], Short | None]:
    """A function that tells of a request's environ what it is, if it is sure to be short."""
    records = {name: resource.records for name, resource in service.resources.items()}
    # A condition may hold for few records, and all the others be read before they are found.
    listed = {name for name in records if not _conditional(service.resources[name])}
    # What follows from a change may be much more than that, and functions take their time in threads.
    changed = set() if service.calls else {name for name in records if not _follows_far(service, name)}

    def short(environ: dict[str, Any]) -> Short | None:
        method = environ["REQUEST_METHOD"]
        if method not in ("GET", "PATCH", "POST"):
            return None
        path = environ["PATH_INFO"]
        if method == "GET" and path == "/v1/session":
            return Short.READ
        found = _RECORD.fullmatch(path)
        if found is None or found[1] not in records or not records[found[1]].seems_small():
            return None
        if method != "GET":
            # A change of a record, or a record to create.
            if (method == "PATCH") != (found[2] is not None):
                return None
            little = found[1] in changed and len(environ["CONTENT_LENGTH"]) < 6
            return Short.CHANGE if little and int(environ["CONTENT_LENGTH"] or 0) < _SMALL_BODY else None
        if found[2] is not None and not _PAST.search(environ["QUERY_STRING"]):
            return Short.READ
        if found[2] is None and (found[1] in listed and _PAGE.fullmatch(environ["QUERY_STRING"])):
            return Short.READ
        return None

    return short
