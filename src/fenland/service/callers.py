"""Who is asking: a caller is made once for each request, at the edge, and handed to the use cases."""

from __future__ import annotations

from fenland.core.access import Actor, Caller
from fenland.core.problems import NotSignedIn
from fenland.service.service import Service
from fenland.storage.door import Account


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
    found = service.database.admitted(token, service.clock())
    if found is None:
        raise NotSignedIn("The token is unknown, expired or revoked. Sign in again.")
    return Caller(actor_of(found.account), via, request_id, client, found.token.scope)


def actor_of(account: Account) -> Actor:
    """Who an account is to rules."""
    return Actor(account.name, account.title, account.roles, account.attributes)
