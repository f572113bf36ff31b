"""Who is asking: the one place where a request becomes a caller.

A token in Authorization, as Bearer (RFC 6750) or as the password of Basic (RFC 7617); or a session's cookie.
"""

from __future__ import annotations

import base64
import binascii
import re
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from flask import Request

from fenland.core.access.policy import Caller
from fenland.core.problems import Malformed, NotSignedIn
from fenland.service.accounts.callers import (
    Origin,
    caller_by_session,
    caller_by_token,
    count_request,
    ends_at,
    on_behalf,
)
from fenland.service.service import Service
from fenland.web.http.cookies import check_proof, session_of
from fenland.web.http.environ import ACCOUNT, ADDRESS, WAITED

#: Through what a change may say it came; anything else counts as the API itself.
VIAS = ("api", "client", "command-line", "console")

#: How a client may name itself.
_CLIENT = re.compile(r"[A-Za-z0-9._~-]{8,64}")


def origin_of(environ: Mapping[str, Any]) -> Origin:
    """How a request came, by our own `Fenland-Via` and `Fenland-Client`. Raises `Malformed`."""
    via = environ.get("HTTP_FENLAND_VIA", "api")
    client = environ.get("HTTP_FENLAND_CLIENT")
    if client is not None and not _CLIENT.fullmatch(client):
        raise Malformed(
            f"Fenland-Client is {client[:80]!r}. It must be 8 to 64 letters, digits, '.', '_', '~' or '-'."
        )
    request_id, address = environ.get("fenland.request_id", ""), environ.get(ADDRESS, "")
    return Origin(via if via in VIAS else "api", request_id, client, address, WAITED not in environ)


def caller_of(request: Request, service: Service) -> Caller:
    """Who is asking. To be asked before all else, since nothing is told to who is not signed in.

    Raises `NotSignedIn`, `NotPermitted` for a change that another page sent, and `TooMany`.
    """
    environ = request.environ
    origin = origin_of(environ)
    count_request(service, origin)
    caller = _signed_in(environ, service, origin)
    behalf = environ.get("HTTP_FENLAND_ON_BEHALF_OF")
    if behalf:
        caller = on_behalf(service, caller, behalf)
    environ[ACCOUNT] = caller.actor.name if caller.acting is None else caller.acting.name
    return caller


def caller_again(environ: Mapping[str, Any], service: Service) -> tuple[Caller, datetime | None]:
    """Who asked, as of now, and until when that is known; not counted as another request.

    Raises `NotSignedIn` or `NotPermitted` where they would not be let in any more.
    """
    origin = Origin(counts=False)
    caller, behalf = _signed_in(environ, service, origin), environ.get("HTTP_FENLAND_ON_BEHALF_OF")
    until = ends_at(service, _secret(environ))
    return (on_behalf(service, caller, behalf) if behalf else caller), until


def _secret(environ: Mapping[str, Any]) -> str:
    """The token or the secret of the session that a request is let in by, which it has."""
    scheme, _, rest = environ.get("HTTP_AUTHORIZATION", "").partition(" ")
    if scheme:
        return _basic(rest.strip())[1] if scheme.lower() == "basic" else rest.strip()
    return session_of(environ) or ""


def _signed_in(environ: Mapping[str, Any], service: Service, origin: Origin) -> Caller:
    authorization = environ.get("HTTP_AUTHORIZATION", "")
    scheme, _, rest = authorization.partition(" ")
    if scheme.lower() == "basic":
        name, token = _basic(rest.strip())
        return caller_by_token(service, token, origin, name=name)
    if authorization:
        return caller_by_token(service, rest.strip() if scheme.lower() == "bearer" else None, origin)
    secret = session_of(environ)
    if secret is None:
        return caller_by_token(service, None, origin)
    caller = caller_by_session(service, secret, origin)
    check_proof(environ, service.ways_in, secret)
    return caller


def _basic(credentials: str) -> tuple[str, str]:
    """Account and token."""
    try:
        name, colon, token = base64.b64decode(credentials, validate=True).decode().partition(":")
    except (binascii.Error, ValueError):
        name, colon, token = "", "", ""
    if not colon:
        raise NotSignedIn("Basic takes account:token in Base64. Send that, or Authorization: Bearer TOKEN.")
    return name, token
