"""Accounts and tokens, as whoever runs the service keeps them."""

from __future__ import annotations

import re
import secrets
from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta

from fenland.core.names import did_you_mean
from fenland.core.problems import Conflict, Invalid, NotFound, Problem
from fenland.service.service import Service
from fenland.storage.door import Account, Reading, Token, Writing

_NAME = re.compile(r"[a-z0-9][a-z0-9._-]{0,63}")
_LONGEST_TEXT = 200


def add_account(service: Service, name: str, title: str, roles: Sequence[str]) -> Account:
    """Adds an account. Raises `Invalid`, or `Conflict` for a name that is taken."""
    problems = []
    if not _NAME.fullmatch(name):
        detail = "Must be lower-case letters, digits, '.', '_' or '-', 64 at most."
        problems.append(Problem("/name", "pattern", detail))
    account = Account(name, title or name, frozenset(roles))
    _check(service, account, problems)
    now = service.now()

    def work(writing: Writing) -> None:
        if service.database.accounts.by_name(writing, name) is not None:
            raise Conflict(
                f"There is an account {name!r} already. Change it with: fenland account change {name}"
            )
        service.database.accounts.add(writing, account, now)

    service.database.change_accounts(work)
    return account


def change_account(
    service: Service, name: str, *, title: str | None = None, roles: Sequence[str] | None = None
) -> Account:
    """Gives an account another title, other roles, or both; what is None stays. Raises as `add_account`."""

    def work(writing: Writing) -> Account:
        account = _there(service, writing, name)
        account = replace(account, title=account.title if title is None else title or name)
        account = replace(account, roles=account.roles if roles is None else frozenset(roles))
        _check(service, account, [])
        service.database.accounts.change(writing, account)
        return account

    return service.database.change_accounts(work)


def _check(service: Service, account: Account, problems: list[Problem]) -> None:
    known = service.definitions.roles
    if len(account.title) > _LONGEST_TEXT or not account.title.isprintable():
        problems.append(
            Problem("/title", "max_length", f"Must be a line of at most {_LONGEST_TEXT} characters.")
        )
    for role in sorted(account.roles - set(known)):
        detail = f"There is no role {role!r}. {did_you_mean(role, known)}"
        problems.append(Problem("/roles", "enum", detail))
    if problems:
        raise Invalid(problems)


def _there(service: Service, reading: Reading, name: str) -> Account:
    account = service.database.accounts.by_name(reading, name)
    if account is None:
        known = [one.name for one in service.database.accounts.all(reading)]
        raise NotFound(f"There is no account {name!r}. {did_you_mean(name, known)}")
    return account


def issue_token(
    service: Service,
    name: str,
    *,
    label: str = "",
    lifetime: timedelta | None = None,
    token: str | None = None,
) -> str:
    """A new token for an account, which ends after its lifetime; only its hash is kept. Raises `NotFound`."""
    token = token or secrets.token_urlsafe(32)
    expires = None if lifetime is None else service.now(lifetime)
    about = Token(label[:_LONGEST_TEXT], service.now(), expires)

    def work(writing: Writing) -> None:
        _there(service, writing, name)
        service.database.accounts.add_token(writing, name, token, about)

    service.database.change_accounts(work)
    return token


def list_tokens(service: Service, name: str) -> list[Token]:
    """The tokens of an account that are not revoked, oldest first. Raises `NotFound`."""
    with service.database.reading() as reading:
        _there(service, reading, name)
        return service.database.accounts.tokens_of(reading, name)


def revoke_tokens(service: Service, name: str, token_id: str | None = None) -> int:
    """Revokes every token of an account, or the one with this id; returns how many. Raises `NotFound`."""
    now = service.now()

    def work(writing: Writing) -> int:
        _there(service, writing, name)
        if token_id is None:
            return service.database.accounts.revoke(writing, name, now)
        known = [one.id for one in service.database.accounts.tokens_of(writing, name)]
        if token_id not in known:
            raise NotFound(f"{name} has no token {token_id!r}. {did_you_mean(token_id, known)}")
        return service.database.accounts.revoke_one(writing, name, token_id, now)

    return service.database.change_accounts(work)


def list_accounts(service: Service) -> list[Account]:
    """Every account, by name."""
    with service.database.reading() as reading:
        return service.database.accounts.all(reading)
