"""Accounts and their bearer tokens. A token itself is never kept, only its SHA-256."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Dialect, Table, bindparam, func, select

from fenland.storage.codec import json_text, read_json_text
from fenland.storage.sqlite import Connection
from fenland.storage.statements import Prepared


@dataclass(frozen=True, slots=True)
class Account:
    """Somebody who may sign in."""

    name: str
    title: str
    roles: frozenset[str]


def token_hash(token: str) -> str:
    """What is kept of a token. Tokens are long and random, so one round of SHA-256 is enough."""
    return hashlib.sha256(token.encode()).hexdigest()


class Accounts:
    """The statements about accounts and tokens, prepared once."""

    def __init__(self, accounts: Table, tokens: Table, dialect: Dialect) -> None:
        shown = [accounts.c.name, accounts.c.title, accounts.c.roles]
        self._by_token = Prepared(
            select(*shown, tokens.c.expires_at)
            .join_from(tokens, accounts, tokens.c.account == accounts.c.name)
            .where(
                tokens.c.hash == bindparam("hash"),
                tokens.c.revoked_at.is_(None),
                func.coalesce(tokens.c.expires_at, "9999") > bindparam("now"),
            ),
            dialect,
        )
        self._by_name = Prepared(select(*shown).where(accounts.c.name == bindparam("name")), dialect)
        self._all = Prepared(select(*shown).order_by(accounts.c.name), dialect)
        self._add = Prepared(
            accounts.insert().values(
                {column.name: bindparam(f"v_{column.name}") for column in accounts.columns}
            ),
            dialect,
        )
        self._set = Prepared(
            accounts.update()
            .where(accounts.c.name == bindparam("x_name"))
            .values(title=bindparam("v_title"), roles=bindparam("v_roles")),
            dialect,
        )
        self._add_token = Prepared(
            tokens.insert().values({column.name: bindparam(f"v_{column.name}") for column in tokens.columns}),
            dialect,
        )
        self._revoke = Prepared(
            tokens.update()
            .where(tokens.c.account == bindparam("x_account"), tokens.c.revoked_at.is_(None))
            .values(revoked_at=bindparam("v_now")),
            dialect,
        )

    def by_token(self, connection: Connection, digest: str, now: str) -> tuple[Account, str | None] | None:
        """The account that a token of this hash stands for, and when the token expires; or None."""
        row = self._by_token.one(connection, {"hash": digest, "now": now})
        if row is None:
            return None
        *shown, expires = row
        return _account(shown), expires

    def by_name(self, connection: Connection, name: str) -> Account | None:
        """The account of this name, or None."""
        row = self._by_name.one(connection, {"name": name})
        return None if row is None else _account(row)

    def all(self, connection: Connection) -> list[Account]:
        """Every account, by name."""
        return [_account(row) for row in self._all.all(connection, {})]

    def put(self, connection: Connection, account: Account, now: str) -> None:
        """Adds an account, or gives an existing one this title and these roles."""
        roles = json_text(sorted(account.roles))
        given = {"x_name": account.name, "v_title": account.title, "v_roles": roles}
        if not self._set.run(connection, given):
            self._add.run(connection, {**given, "v_name": account.name, "v_created_at": now})

    def add_token(
        self,
        connection: Connection,
        token: str,
        account: str,
        *,
        now: str,
        label: str = "",
        expires: str | None = None,
    ) -> None:
        """Keeps the hash of a new token for an account."""
        self._add_token.run(
            connection,
            {
                "v_hash": token_hash(token),
                "v_account": account,
                "v_label": label,
                "v_created_at": now,
                "v_expires_at": expires,
                "v_revoked_at": None,
            },
        )

    def revoke(self, connection: Connection, account: str, now: str) -> int:
        """Revokes every token of an account; returns how many there were."""
        return self._revoke.run(connection, {"x_account": account, "v_now": now})


def _account(row: Sequence[Any]) -> Account:
    name, title, roles = row
    return Account(name, title, frozenset(read_json_text(roles)))
