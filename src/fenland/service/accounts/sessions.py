"""Sessions of browsers: begun with a name and a password, and ended by sign-out, by time, or by another.

A session is a token that only a cookie carries (`web/http/cookies.py`). Attempts are slowed for each name and
for each address, and nothing tells an unknown name from a wrong password.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass

from fenland.core.access.policy import Actor, Caller
from fenland.core.problems import NotSignedIn, TooMany
from fenland.service.accounts.accounts import AccountChange, change_account
from fenland.service.accounts.entries import AccountEvent, enter
from fenland.service.accounts.passwords import matches
from fenland.service.accounts.tokens import NewToken, issue_token, keep_token
from fenland.service.addresses import counted_as
from fenland.service.service import Service
from fenland.storage.door import Account, Token

#: Attempts that may fail within a quarter of an hour from one address: for one name, and in all.
_MOST_FOR_NAME, _MOST_FROM_ADDRESS = 8, 40
_WINDOW = 900


@dataclass(frozen=True, slots=True)
class Attempt:
    """Somebody who wants to sign in, and from where."""

    name: str
    password: str
    address: str = ""
    label: str = ""
    request_id: str = ""


def sign_in(service: Service, attempt: Attempt) -> tuple[Account, str]:
    """The account, and the secret of its new session. Raises `NotSignedIn`, `TooMany`."""
    account = _verified(service, attempt)
    secret, ways_in = secrets.token_urlsafe(32), service.ways_in
    about = Token(
        attempt.label[:200],
        service.now(),
        service.now(ways_in.session),
        kind="session",
        idle=int(ways_in.idle.total_seconds()),
    )
    keep_token(service, account.name, secret, about, _themselves(account, attempt))
    return account, secret


def token_for_password(service: Service, attempt: Attempt, new: NewToken) -> tuple[str, Token]:
    """A bearer token for who has the password. Raises `NotSignedIn`, `TooMany`."""
    account = _verified(service, attempt)
    return issue_token(service, account.name, new, _themselves(account, attempt))


def _themselves(account: Account, attempt: Attempt) -> Caller:
    return Caller(Actor(account.name), "sign-in", attempt.request_id)


def _note_refusal(service: Service, account: Account, attempt: Attempt) -> None:
    """Enters that somebody was refused. Of names that nobody has, nothing is kept: passwords end up there."""
    by = _themselves(account, attempt)
    service.database.write(
        lambda writing: enter(service, writing, AccountEvent(account.name, "sign_in_refused"), by)
    )


def _verified(service: Service, attempt: Attempt) -> Account:
    counters, now = service.database.counters, service.clock().timestamp()
    # By name and address together: nobody can lock another out from elsewhere.
    place = counted_as(attempt.address)
    counted = [(f"sign-in {place} {attempt.name}", _MOST_FOR_NAME)]
    counted += [(f"sign-in address {place}", _MOST_FROM_ADDRESS)] if place else []
    for what, most in counted:
        found = counters.count(what, _WINDOW, now)
        if found.times > most:
            raise TooMany(
                f"There were too many attempts to sign in. Try again in {found.left // 60 + 1} minutes.",
                headers={"Retry-After": str(found.left)},
            )
    accounts = service.database.accounts
    with service.database.reading() as reading:
        account = accounts.by_name(reading, attempt.name)
        kept = accounts.password(reading, attempt.name)
    usable = account is not None and not account.disabled
    # Hashing takes long, on purpose: others work meanwhile.
    with service.database.turn.aside():
        fitting = matches(attempt.password, kept if usable else None)
    if not fitting or account is None:
        if account is not None:
            _note_refusal(service, account, attempt)
        raise NotSignedIn("Name and password do not fit together. Check both, then try again.")
    for what, _ in counted:
        counters.count(what, _WINDOW, now, add=-1)
    return account


def change_password(service: Service, caller: Caller, current: str, new: str, address: str = "") -> None:
    """Gives the caller's account another password, which ends its sessions. Raises also `Invalid`."""
    _verified(service, Attempt(caller.actor.name, current, address))
    change_account(service, caller.actor.name, AccountChange(password=new), caller)
