"""Accounts and their bearer tokens. A token itself is never kept, only its SHA-256."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Table, bindparam, func, or_, select

from fenland.core.access.policy import Scope
from fenland.core.values.identity import timestamp
from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared, parameters_of
from fenland.storage.shared.values import Account, Admission, Token

#: What `_account` takes.
_COLUMNS = ("name", "title", "roles", "attributes", "disabled", "version")
_SHOWN = len(_COLUMNS)
#: How much of a token's hash is shown: enough to name it, and far from enough to guess it.
_ID_LENGTH = 10


def token_hash(token: str) -> str:
    """What is kept of a token. Tokens are long and random, so one round of SHA-256 is enough."""
    return hashlib.sha256(token.encode()).hexdigest()


class TableAccounts:
    """`Accounts` of the door over their tables; its statements are prepared once."""

    def __init__(self, accounts: Table, tokens: Table, engine: Engine) -> None:
        shown = [getattr(accounts.c, name) for name in _COLUMNS]
        columns = [
            getattr(tokens.c, name)
            for name in (
                "hash",
                "label",
                "created_at",
                "expires_at",
                "kind",
                "scope",
                "used_at",
                "idle",
                "made_with",
            )
        ]
        now = bindparam("now", type_=tokens.c.expires_at.type)
        self._by_token = Prepared(
            select(*shown, *columns)
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
            .values(parameters_of(accounts, _COLUMNS[1:])),
            engine,
        )
        mine = accounts.c.name == bindparam("x_name")
        self._password = Prepared(select(accounts.c.password).where(mine), engine)
        self._set_password = Prepared(
            accounts.update().where(mine).values(parameters_of(accounts, ["password"])), engine
        )
        self._use = Prepared(
            tokens.update()
            .where(tokens.c.hash == bindparam("x_hash"))
            .values(parameters_of(tokens, ["used_at"])),
            engine,
        )
        self._add_token = Prepared(_insert(tokens), engine)
        self._tokens_of = Prepared(
            select(*columns)
            .where(tokens.c.account == bindparam("account"), tokens.c.revoked_at.is_(None))
            .order_by(tokens.c.created_at),
            engine,
        )
        revoked = {"revoked_at": bindparam("v_now", type_=tokens.c.revoked_at.type)}
        theirs = (tokens.c.account == bindparam("x_account")) & tokens.c.revoked_at.is_(None)
        named = func.substr(tokens.c.hash, 1, _ID_LENGTH) == bindparam("x_id")
        self._revoke_one = Prepared(tokens.update().where(theirs, named).values(revoked), engine)
        self._revoke = Prepared(tokens.update().where(theirs).values(revoked), engine)

    def by_token(self, reading: Reading, digest: str, moment: datetime) -> Admission | None:
        """Whom a token of this hash lets in; or None."""
        row = self._by_token.one(reading, {"hash": digest, "now": timestamp(moment)})
        if row is None:
            return None
        values = self._by_token.converted(row)
        found = Admission(_account(values[:_SHOWN]), _token(values[_SHOWN:]))
        last = found.token.used_at or found.token.created_at
        idle = found.token.idle
        ended = idle is not None and moment > datetime.fromisoformat(last) + timedelta(seconds=idle)
        return None if ended or found.account.disabled else found

    def tokens_of(self, reading: Reading, account: str) -> list[Token]:
        """See `Accounts`."""
        rows = self._tokens_of.all(reading, {"account": account})
        return [_token(self._tokens_of.converted(row)) for row in rows]

    def by_name(self, reading: Reading, name: str) -> Account | None:
        """See `Accounts`."""
        row = self._by_name.one(reading, {"name": name})
        return None if row is None else _account(self._by_name.converted(row))

    def all(self, reading: Reading) -> list[Account]:
        """See `Accounts`."""
        return [_account(self._all.converted(row)) for row in self._all.all(reading, {})]

    def add(self, writing: Writing, account: Account, now: str) -> None:
        """See `Accounts`."""
        given = {"v_name": account.name, "v_created_at": now, "v_password": None}
        self._add.run(writing, {**given, **_values(account)})

    def change(self, writing: Writing, account: Account) -> None:
        """See `Accounts`."""
        self._set.run(writing, {"x_name": account.name, **_values(account)})

    def password(self, reading: Reading, name: str) -> str | None:
        """See `Accounts`."""
        row = self._password.one(reading, {"x_name": name})
        return None if row is None else row[0]

    def set_password(self, writing: Writing, name: str, hashed: str | None) -> None:
        """See `Accounts`."""
        self._set_password.run(writing, {"x_name": name, "v_password": hashed})

    def use(self, writing: Writing, uses: Mapping[str, str]) -> None:
        """See `Accounts`."""
        for digest, moment in uses.items():
            self._use.run(writing, {"x_hash": digest, "v_used_at": moment})

    def add_token(self, writing: Writing, account: str, token: str, about: Token) -> Token:
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
                "v_kind": about.kind,
                "v_scope": None if about.scope is None else about.scope.as_json(),
                "v_used_at": about.used_at,
                "v_idle": about.idle,
                "v_made_with": about.made_with or None,
            },
        )
        return replace(about, id=token_hash(token)[:_ID_LENGTH])

    def revoke_one(self, writing: Writing, account: str, token_id: str, now: str) -> int:
        """See `Accounts`."""
        given = {"x_account": account, "x_id": token_id, "v_now": now}
        return self._revoke_one.run(writing, given)

    def revoke(self, writing: Writing, account: str, now: str) -> int:
        """See `Accounts`."""
        return self._revoke.run(writing, {"x_account": account, "v_now": now})


def _insert(table: Table) -> Any:
    return table.insert().values(parameters_of(table, table.c.keys()))


def _values(account: Account) -> dict[str, Any]:
    return {
        "v_title": account.title,
        "v_roles": sorted(account.roles),
        "v_attributes": dict(account.attributes),
        "v_disabled": account.disabled,
        "v_version": account.version,
    }


def _account(row: Sequence[Any]) -> Account:
    name, title, roles, attributes, disabled, version = row
    # Accounts from before layout 7 have no version yet.
    return Account(name, title, frozenset(roles), attributes or {}, bool(disabled), version or 1)


def _token(row: Sequence[Any]) -> Token:
    digest, label, made, ends, kind, scope, used, idle, made_with = row
    narrowed = None if scope is None else Scope.from_json(scope)
    return Token(
        label, made, ends, digest[:_ID_LENGTH], kind or "token", narrowed, used, idle, made_with or ""
    )
