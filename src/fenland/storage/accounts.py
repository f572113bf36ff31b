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


@dataclass(frozen=True, slots=True)
class Token:
    """What may be known of a token that was issued: `id` tells it from the account's others."""

    id: str
    label: str
    created_at: str
    expires_at: str | None


#: How much of a token's hash is shown: enough to name it, and far from enough to guess it.
_ID_LENGTH = 10


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
        mine = (tokens.c.account == bindparam("account")) & tokens.c.revoked_at.is_(None)
        self._tokens_of = Prepared(
            select(tokens.c.hash, tokens.c.label, tokens.c.created_at, tokens.c.expires_at)
            .where(mine)
            .order_by(tokens.c.created_at),
            dialect,
        )
        self._revoke_one = Prepared(
            tokens.update()
            .where(
                tokens.c.account == bindparam("x_account"),
                func.substr(tokens.c.hash, 1, _ID_LENGTH) == bindparam("x_id"),
                tokens.c.revoked_at.is_(None),
            )
            .values(revoked_at=bindparam("v_now")),
            dialect,
        )
        self._revoke = Prepared(
            tokens.update()
            .where(tokens.c.account == bindparam("x_account"), tokens.c.revoked_at.is_(None))
            .values(revoked_at=bindparam("v_now")),
            dialect,
        )

    def tokens_of(self, connection: Connection, account: str) -> list[Token]:
        """The tokens of an account that are not revoked, oldest first."""
        rows = self._tokens_of.all(connection, {"account": account})
        return [Token(digest[:_ID_LENGTH], *rest) for digest, *rest in rows]

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

    def add(self, connection: Connection, account: Account, now: str) -> None:
        """Adds an account, whose name nobody may have yet."""
        given = {"v_name": account.name, "v_title": account.title, "v_roles": _roles(account)}
        self._add.run(connection, {**given, "v_created_at": now})

    def change(self, connection: Connection, account: Account) -> None:
        """Gives the account of this name this title and these roles."""
        given = {"x_name": account.name, "v_title": account.title, "v_roles": _roles(account)}
        self._set.run(connection, given)

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

    def revoke_one(self, connection: Connection, account: str, token_id: str, now: str) -> int:
        """Revokes the token of an account with this id; returns how many there were."""
        given = {"x_account": account, "x_id": token_id, "v_now": now}
        return self._revoke_one.run(connection, given)

    def revoke(self, connection: Connection, account: str, now: str) -> int:
        """Revokes every token of an account; returns how many there were."""
        return self._revoke.run(connection, {"x_account": account, "v_now": now})


def _roles(account: Account) -> str:
    return json_text(sorted(account.roles))


def _account(row: Sequence[Any]) -> Account:
    name, title, roles = row
    return Account(name, title, frozenset(read_json_text(roles)))
