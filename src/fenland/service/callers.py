"""Who is asking: a caller is made once for each request, at the edge, and handed to the use cases."""

from __future__ import annotations

from fenland.core.access import Actor, Caller
from fenland.core.problems import NotSignedIn
from fenland.service.service import Service


def caller_by_token(
    service: Service,
    token: str | None,
    *,
    via: str = "api",
    request_id: str = "",
    client: str | None = None,
) -> Caller:
    """The caller that a bearer token stands for. Raises `NotSignedIn`."""
    if not token:
        raise NotSignedIn("No token was sent. Send one as: Authorization: Bearer TOKEN.")
    account = service.database.account_of(token, service.clock())
    if account is None:
        raise NotSignedIn("The token is unknown, expired or revoked. Sign in again.")
    return Caller(Actor(account.name, account.title, account.roles), via, request_id, client)
