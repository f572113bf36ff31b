"""Who is asking: a caller is made once for each request, at the edge, and handed to the use cases."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from fenland.core.access.policy import Actor, Caller, Scope
from fenland.core.problems import NotPermitted, NotSignedIn, TooMany
from fenland.service.addresses import counted_as
from fenland.service.service import Service
from fenland.storage.door import Account, Token

#: Seconds for which requests are counted.
_MINUTE = 60
#: For how long nobody asks again whether a token of an outside issuer still lets in.
_OUTSIDE = timedelta(seconds=1)
#: And whether a session does.
_IDLING = timedelta(minutes=1)


@dataclass(frozen=True, slots=True)
class Origin:
    """How a request came: through what, under which id, from which client program and address."""

    via: str = "api"
    request_id: str = ""
    client: str | None = None
    address: str = ""
    #: Whether it counts against rates: one that has waited was counted when it came.
    counts: bool = True


def caller_by_token(
    service: Service, token: str | None, origin: Origin, *, name: str | None = None
) -> Caller:
    """The caller that a token stands for: one of ours, or of the outside issuer.

    With `name`, the token must be of that account. Raises `NotSignedIn`.
    """
    if not token:
        raise NotSignedIn("No token was sent. Send one as: Authorization: Bearer TOKEN.")
    # Tokens of ours hold no dots.
    if service.issued is not None and token.count(".") == 2:
        actor = service.issued.actor(token, service.clock())
        with service.database.reading() as reading:
            account = service.database.accounts.by_name(reading, actor.name)
        if account is not None and not service.ways_in.joined:
            raise NotSignedIn(
                "An account here has this name, and is somebody else's. Whether the issuer's names are those "
                "of the accounts here, the setting issuer_joins_accounts says."
            )
        if account is not None and account.disabled:
            raise NotSignedIn("The account is disabled. Ask those who manage accounts.")
        return replace(_caller(service, actor, origin), outside=account is None, let_in="issuer")
    found = service.database.admitted(token, service.clock(), used=origin.counts)
    # A session's secret is a cookie's alone, which comes with the proof that its own pages sent it.
    if found is None or found.token.kind != "token" or name not in (None, found.account.name):
        raise NotSignedIn("The token is unknown, expired or revoked. Sign in again.")
    return _let_in(_caller(service, actor_of(found.account), origin, found.token.scope), found.token)


def caller_by_session(service: Service, secret: str, origin: Origin) -> Caller:
    """The caller whose session it is. Raises `NotSignedIn`."""
    found = service.database.admitted(secret, service.clock(), used=origin.counts)
    if found is None or found.token.kind != "session":
        raise NotSignedIn("The session is over. Sign in again.")
    return _let_in(_caller(service, actor_of(found.account), origin), found.token)


def _let_in(caller: Caller, token: Token) -> Caller:
    # Of most requests nothing more is asked than who they come from.
    until = token.expires_at if token.kind == "token" else None
    if until is None and token.kind == "token" and not token.made_with:
        return caller
    return replace(caller, let_in=token.kind, until=until, made_with=token.made_with)


def _caller(service: Service, actor: Actor, origin: Origin, scope: Scope | None = None) -> Caller:
    count_request(service, origin, actor.name)
    return Caller(actor, origin.via, origin.request_id, origin.client, scope)


def count_request(service: Service, origin: Origin, account: str | None = None) -> None:
    """Counts a request of an account, or else of an address, where they are limited. Raises `TooMany`."""
    most = service.ways_in.rate
    if not most or not origin.counts:
        return
    whose = f"address {counted_as(origin.address)}" if account is None else f"account {account}"
    found = service.database.counters.count(f"requests of {whose}", _MINUTE, service.clock().timestamp())
    if found.times > most:
        policy, left = f'"minute";q={most};w={_MINUTE}', f'"minute";r=0;t={found.left}'
        raise TooMany(
            f"These are more than {most} requests a minute. Wait {found.left} seconds.",
            headers={"Retry-After": str(found.left), "RateLimit-Policy": policy, "RateLimit": left},
        )


def ends_at(service: Service, secret: str) -> datetime | None:
    """Until when a token, or a session, lets in, as far as that is known; None for one without an end.

    Of those of an outside issuer nothing is remembered, so that they are to be asked about again and again.
    """
    now = service.clock()
    found = service.database.admitted(secret, now, used=False)
    if found is None:
        return now + _OUTSIDE
    ends = None if found.token.expires_at is None else datetime.fromisoformat(found.token.expires_at)
    # A session may end before, for want of requests: following is none.
    return min(ends or now + _IDLING, now + _IDLING) if found.token.kind == "session" else ends


def on_behalf(service: Service, caller: Caller, name: str) -> Caller:
    """The caller, acting for another account. Raises `NotPermitted`."""
    with service.database.reading() as reading:
        account = service.database.accounts.by_name(reading, name)
    allowed = not service.ways_in.delegates.isdisjoint(caller.actor.roles)
    if not allowed or account is None or account.disabled:
        raise NotPermitted(f"{caller.actor.title or caller.actor.name} may not act on behalf of {name!r}.")
    return replace(caller, actor=actor_of(account), acting=caller.actor)


def actor_of(account: Account) -> Actor:
    """Who an account is to rules."""
    return Actor(account.name, account.title, account.roles, account.attributes)
