"""Accounts and their bearer tokens. A token itself is never kept, only its SHA-256."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import Any

from sqlalchemy import Table, bindparam, func, or_, select

from fenland.storage.protocols import Account, Reading, Token, Writing
from fenland.storage.statements import Engine, Prepared

#: How much of a token's hash is shown: enough to name it, and far from enough to guess it.
_ID_LENGTH = 10


def token_hash(token: str) -> str:
    """What is kept of a token. Tokens are long and random, so one round of SHA-256 is enough."""
    return hashlib.sha256(token.encode()).hexdigest()


class TableAccounts:
    """`Accounts` of the door over their tables; its statements are prepared once."""

    def __init__(self, accounts: Table, tokens: Table, engine: Engine) -> None:
        shown = [accounts.c.name, accounts.c.title, accounts.c.roles]
        now = bindparam("now", type_=tokens.c.expires_at.type)
        self._by_token = Prepared(
            select(*shown, tokens.c.expires_at)
            .join_from(tokens, accounts, tokens.c.account == accounts.c.name)
            .where(
                tokens.c.hash == bindparam("hash"),
                tokens.c.revoked_at.is_(None),
                or_(tokens.c.expires_at.is_(None), tokens.c.expires_at > now),
            ),
            engine,
        )
        self._by_name = Prepared(select(*shown).where(accounts.c.name == bindparam("name")), engine)
        self._all = Prepared(select(*shown).order_by(accounts.c.name), engine)
        self._add = Prepared(_insert(accounts), engine)
        self._set = Prepared(
            accounts.update()
            .where(accounts.c.name == bindparam("x_name"))
            .values(title=bindparam("v_title"), roles=bindparam("v_roles", type_=accounts.c.roles.type)),
            engine,
        )
        self._add_token = Prepared(_insert(tokens), engine)
        self._tokens_of = Prepared(
            select(tokens.c.hash, tokens.c.label, tokens.c.created_at, tokens.c.expires_at)
            .where(tokens.c.account == bindparam("account"), tokens.c.revoked_at.is_(None))
            .order_by(tokens.c.created_at),
            engine,
        )
        revoked = {"revoked_at": bindparam("v_now", type_=tokens.c.revoked_at.type)}
        mine = (tokens.c.account == bindparam("x_account")) & tokens.c.revoked_at.is_(None)
        named = func.substr(tokens.c.hash, 1, _ID_LENGTH) == bindparam("x_id")
        self._revoke_one = Prepared(tokens.update().where(mine, named).values(revoked), engine)
        self._revoke = Prepared(tokens.update().where(mine).values(revoked), engine)

    def by_token(self, reading: Reading, digest: str, now: str) -> tuple[Account, str | None] | None:
        """The account that a token of this hash stands for, and when the token expires; or None."""
        row = self._by_token.one(reading, {"hash": digest, "now": now})
        if row is None:
            return None
        *shown, expires = self._by_token.converted(row)
        return _account(shown), expires

    def tokens_of(self, reading: Reading, account: str) -> list[Token]:
        """See `Accounts`."""
        rows = self._tokens_of.all(reading, {"account": account})
        converted = (self._tokens_of.converted(row) for row in rows)
        return [Token(label, made, ends, digest[:_ID_LENGTH]) for digest, label, made, ends in converted]

    def by_name(self, reading: Reading, name: str) -> Account | None:
        """See `Accounts`."""
        row = self._by_name.one(reading, {"name": name})
        return None if row is None else _account(self._by_name.converted(row))

    def all(self, reading: Reading) -> list[Account]:
        """See `Accounts`."""
        return [_account(self._all.converted(row)) for row in self._all.all(reading, {})]

    def add(self, writing: Writing, account: Account, now: str) -> None:
        """See `Accounts`."""
        given = {"v_name": account.name, "v_title": account.title, "v_roles": sorted(account.roles)}
        self._add.run(writing, {**given, "v_created_at": now})

    def change(self, writing: Writing, account: Account) -> None:
        """See `Accounts`."""
        given = {"x_name": account.name, "v_title": account.title, "v_roles": sorted(account.roles)}
        self._set.run(writing, given)

    def add_token(self, writing: Writing, account: str, token: str, about: Token) -> None:
        """See `Accounts`."""
        self._add_token.run(
            writing,
            {
                "v_hash": token_hash(token),
                "v_account": account,
                "v_label": about.label,
                "v_created_at": about.created_at,
                "v_expires_at": about.expires_at,
                "v_revoked_at": None,
            },
        )

    def revoke_one(self, writing: Writing, account: str, token_id: str, now: str) -> int:
        """See `Accounts`."""
        given = {"x_account": account, "x_id": token_id, "v_now": now}
        return self._revoke_one.run(writing, given)

    def revoke(self, writing: Writing, account: str, now: str) -> int:
        """See `Accounts`."""
        return self._revoke.run(writing, {"x_account": account, "v_now": now})


def _insert(table: Table) -> Any:
    return table.insert().values(
        {column.name: bindparam(f"v_{column.name}", type_=column.type) for column in table.columns}
    )


def _account(row: Sequence[Any]) -> Account:
    name, title, roles = row
    return Account(name, title, frozenset(roles))
