"""Which requests are sure to be short, so that the front may answer them on its loop.

A record by its key, and a page of a list that an index gives in order and whose records are small.
"""

from __future__ import annotations

import re
from typing import Any

from fenland.service.service import Service

_RECORD = re.compile(r"/v1/records/([a-z0-9_]+)(/[^/]+)?")
_PAGE = re.compile(r"(?:limit=[1-9][0-9]?)?")


def short_requests(service: Service) -> Any:
    """A function that tells of a request's environ whether it is sure to be short."""
    small = {name for name, resource in service.resources.items() if resource.records.small}

    def short(environ: dict[str, Any]) -> bool:
        if environ["REQUEST_METHOD"] != "GET":
            return False
        path = environ["PATH_INFO"]
        if path == "/v1/session":
            return True
        found = _RECORD.fullmatch(path)
        if found is None or found[1] not in small:
            return False
        return found[2] is not None or _PAGE.fullmatch(environ["QUERY_STRING"]) is not None

    return short
