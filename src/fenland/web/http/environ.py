"""What this service adds to the WSGI environment of a request (PEP 3333): the keys, each named once."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

#: Where a request's account and client address stand in its WSGI environment, once they are known.
ACCOUNT, ADDRESS = "fenland.account", "fenland.address"
#: Where the front leaves what tells whether a request's client has gone.
GONE = "fenland.gone"
#: Where the front says that it can wait; where a view then says what for; and, when a request that waited is
#: answered anew, until when it was to wait.
CAN_WAIT, LATER, WAITED = "fenland.can_wait", "fenland.later", "fenland.waited"
#: Where a view leaves the stream that an answer begins, for a front that can go on with it.
STREAM = "fenland.stream"


def about(environ: Mapping[str, Any]) -> dict[str, Any]:
    """What a log line says of the request it is about."""
    return {
        "method": environ["REQUEST_METHOD"],
        "path": environ["PATH_INFO"],
        "request_id": environ.get("fenland.request_id", ""),
        "account": environ.get(ACCOUNT),
        "address": environ.get(ADDRESS),
    }
