"""Tokens: issued by their account with a name, an end and a scope, listed, and revoked."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from fenland.core.access.policy import Caller, Scope
from fenland.core.definitions.model import RIGHTS
from fenland.core.names import did_you_mean
from fenland.core.problems import Invalid, NotFound, Problem
from fenland.core.values.plain import as_written
from fenland.service.accounts.accounts import there
from fenland.service.accounts.entries import AccountEvent, enter
from fenland.service.service import Service
from fenland.storage.door import Token, Writing

_LONGEST_LABEL = 200


@dataclass(frozen=True, slots=True)
class NewToken:
    """A token to issue: what it is for, how long it lasts, and how far it reaches."""

    label: str = ""
    lifetime: timedelta | None = None
    scope: Scope | None = None
    #: Of the sample alone, whose tokens are known to all.
    secret: str | None = None
    #: What let its maker in, and until when: a token never outlives the one that it was made with.
    made_with: str = ""
    until: str | None = None


def read_scope(service: Service, sent: Any) -> Scope | None:
    """A scope as it is sent. Raises `Invalid`."""
    if sent is None:
        return None
    if not isinstance(sent, dict) or not sent.keys() <= {"rights", "collections"}:
        detail = 'Must be an object such as {"rights": ["read"], "collections": ["stations"]}.'
        raise Invalid([Problem("/scope", "type", detail)])
    problems: list[Problem] = []
    for name, known in (("rights", RIGHTS), ("collections", tuple(service.resources))):
        problems += _unknown(name, sent.get(name), known)
    if problems:
        raise Invalid(problems)
    return Scope.from_json({"rights": sent.get("rights"), "collections": sent.get("collections")})


def _unknown(name: str, given: Any, known: Sequence[str]) -> list[Problem]:
    pointer = f"/scope/{name}"
    if given is None:
        return []
    if not isinstance(given, list):
        return [Problem(pointer, "type", f"Must be a list of {name}, or null for all.")]
    return [
        Problem(pointer, "enum", f"There is no {as_written(one)}. {did_you_mean(str(one), known)}")
        for one in given
        if one not in known
    ]


def issue_token(
    service: Service, name: str, new: NewToken | None = None, by: Caller | None = None
) -> tuple[str, Token]:
    """A new token for an account, shown this once: only its hash is kept. Raises `NotFound`."""
    new = new or NewToken()
    secret = new.secret or secrets.token_urlsafe(32)
    ends = [one for one in (None if new.lifetime is None else service.now(new.lifetime), new.until) if one]
    expires = min(ends, default=None)
    about = Token(
        new.label[:_LONGEST_LABEL], service.now(), expires, scope=new.scope, made_with=new.made_with
    )
    return secret, keep_token(service, name, secret, about, by)


def keep_token(service: Service, name: str, secret: str, about: Token, by: Caller | None = None) -> Token:
    """Keeps the hash of a token. Raises `NotFound`."""
    accounts = service.database.accounts

    def work(writing: Writing) -> Token:
        there(service, writing, name)
        kept = accounts.add_token(writing, name, secret, about)
        changes: dict[str, tuple[Any, Any]] = {"token": (None, kept.id)}
        if about.kind == "session":
            enter(service, writing, AccountEvent(name, "sign_in", changes), by)
        else:
            scope = None if about.scope is None else about.scope.as_json()
            parts = {"label": about.label or None, "expires_at": about.expires_at, "scope": scope}
            changes |= {part: (None, value) for part, value in parts.items() if value is not None}
            enter(service, writing, AccountEvent(name, "issue_token", changes), by)
        return kept

    return service.database.change_accounts(work)


def list_tokens(service: Service, name: str) -> list[Token]:
    """The tokens and sessions of an account that are not over, oldest first. Raises `NotFound`."""
    service.database.note_uses()
    now = service.now()
    with service.database.reading() as reading:
        there(service, reading, name)
        found = service.database.accounts.tokens_of(reading, name)
    return [one for one in found if one.expires_at is None or one.expires_at > now]


def revoke_tokens(service: Service, name: str, token_id: str | None = None, by: Caller | None = None) -> int:
    """Revokes every token of an account, or the one with this id; returns how many. Raises `NotFound`."""
    now, accounts = service.now(), service.database.accounts

    def work(writing: Writing) -> int:
        there(service, writing, name)
        known = [one.id for one in accounts.tokens_of(writing, name)]
        if token_id is not None and token_id not in known:
            raise NotFound(f"{name} has no token {token_id!r}. {did_you_mean(token_id, known)}")
        for one in known if token_id is None else [token_id]:
            enter(service, writing, AccountEvent(name, "revoke_token", {"token": (one, None)}), by)
        if token_id is None:
            return accounts.revoke(writing, name, now)
        return accounts.revoke_one(writing, name, token_id, now)

    return service.database.change_accounts(work)
