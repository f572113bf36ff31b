"""Who is asking: the one place where a request becomes a caller."""

from __future__ import annotations

import re

from flask import Request

from fenland.core.access import Caller
from fenland.service.callers import caller_by_token
from fenland.service.service import Service
from fenland.web.logs import ACCOUNT

#: Through what a change may say it came; anything else counts as the API itself.
VIAS = ("api", "client", "command-line", "console")

#: How a client may name itself; a name of another kind is taken for none.
_CLIENT = re.compile(r"[A-Za-z0-9._~-]{8,64}")


def caller_of(request: Request, service: Service) -> Caller:
    """Who is asking, by the Authorization header (RFC 6750) and our own `Fenland-Via`, `Fenland-Client`.

    To be asked before all else, since nothing is told to who is not signed in. Raises `NotSignedIn`.
    """
    environ = request.environ
    scheme, _, token = environ.get("HTTP_AUTHORIZATION", "").partition(" ")
    via = environ.get("HTTP_FENLAND_VIA", "api")
    client = environ.get("HTTP_FENLAND_CLIENT")
    if client is not None and not _CLIENT.fullmatch(client):
        client = None
    known = token.strip() if scheme.lower() == "bearer" else None
    via = via if via in VIAS else "api"
    request_id = environ.get("fenland.request_id", "")
    caller = caller_by_token(service, known, via=via, request_id=request_id, client=client)
    environ[ACCOUNT] = caller.actor.name
    return caller
