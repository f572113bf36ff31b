"""Accounts and tokens, as whoever runs the service keeps them."""

from __future__ import annotations

import re
import secrets
from collections.abc import Sequence

from fenland.core.names import did_you_mean
from fenland.core.problems import Invalid, NotFound, Problem
from fenland.service.service import Service
from fenland.storage.accounts import Account

_NAME = re.compile(r"[a-z0-9][a-z0-9._-]{0,63}")


def put_account(service: Service, name: str, title: str, roles: Sequence[str]) -> Account:
    """Adds an account, or changes its title and roles. Raises `Invalid`."""
    problems = []
    if not _NAME.fullmatch(name):
        detail = "Must be lower-case letters, digits, '.', '_' or '-', 64 at most."
        problems.append(Problem("/name", "pattern", detail))
    known = service.definitions.roles
    for role in roles:
        if role not in known:
            detail = f"There is no role {role!r}. {did_you_mean(role, known)}"
            problems.append(Problem("/roles", "enum", detail))
    if problems:
        raise Invalid(problems)
    account = Account(name, title or name, frozenset(roles))
    now = service.now()
    service.database.change_accounts(
        lambda connection: service.database.accounts.put(connection, account, now)
    )
    return account


def issue_token(service: Service, name: str, *, label: str = "", token: str | None = None) -> str:
    """A new token for an account; only its hash is kept. Raises `NotFound`."""
    token = token or secrets.token_urlsafe(32)
    now = service.now()
    accounts = service.database.accounts
    known = [account.name for account in list_accounts(service)]
    if name not in known:
        raise NotFound(f"There is no account {name!r}. {did_you_mean(name, known)}")
    service.database.change_accounts(
        lambda connection: accounts.add_token(connection, token, name, now=now, label=label)
    )
    return token


def revoke_tokens(service: Service, name: str) -> int:
    """Revokes every token of an account; returns how many."""
    now = service.now()
    return service.database.change_accounts(
        lambda connection: service.database.accounts.revoke(connection, name, now)
    )


def list_accounts(service: Service) -> list[Account]:
    """Every account, by name."""
    with service.database.reading() as connection:
        return service.database.accounts.all(connection)
