"""What this service adds to the WSGI environment of a request (PEP 3333): the keys, each named once."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

#: Where a request's account and client address stand in its WSGI environment, once they are known.
ACCOUNT, ADDRESS = "fenland.account", "fenland.address"
#: When its answering began, on the clock of `time.perf_counter`.
STARTED = "fenland.started"
#: Where the front leaves what tells whether a request's client has gone.
GONE = "fenland.gone"
#: Where the front says that it can wait; where a view then says what for; and, when a request that waited is
#: answered anew, until when it was to wait.
CAN_WAIT, LATER, WAITED = "fenland.can_wait", "fenland.later", "fenland.waited"
#: Where a view leaves the stream that an answer begins, for a front that can go on with it.
STREAM = "fenland.stream"


#: What the addresses of passes begin with, whose next step is a secret.
PAGES = "/p"


def told(path: str) -> str:
    """A path as logs may say it: without the secret of a pass, also where a link was mistyped before it."""
    if path.startswith("/v1/"):
        return path
    steps = path.split("/")
    marks = [place for place, step in enumerate(steps[:-1]) if step.lower() == PAGES.strip("/")]
    for place in marks[:1]:
        secret = next((at for at in range(place + 1, len(steps)) if steps[at]), None)
        if secret is not None:
            steps[secret] = "…"
    return "/".join(steps)


def about(environ: Mapping[str, Any]) -> dict[str, Any]:
    """What a log line says of the request it is about."""
    return {
        "method": environ["REQUEST_METHOD"],
        "path": told(environ["PATH_INFO"]),
        "request_id": environ.get("fenland.request_id", ""),
        "account": environ.get(ACCOUNT),
        "address": environ.get(ADDRESS),
    }
