"""Accounts: added, changed and listed, by whoever runs the service or by those who manage accounts."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields, replace
from typing import Any

from fenland.core.access.policy import RESERVED_NAMES, Caller
from fenland.core.changes.patches import merge
from fenland.core.limits import weight
from fenland.core.names import did_you_mean
from fenland.core.problems import Conflict, Invalid, NotFound, NotPermitted, Problem, VersionMismatch
from fenland.core.values.plain import MISSING
from fenland.service.accounts.entries import AccountEvent, account_changes, enter
from fenland.service.accounts.passwords import hashed, problems_of
from fenland.service.service import Service
from fenland.storage.door import Account, Reading, Writing

NAME = re.compile(r"[a-z0-9][a-z0-9._-]{0,63}")
NAME_RULE = "Must be lower-case letters, digits, '.', '_' or '-', 64 at most."
_LONGEST_TEXT = 200
#: Characters of JSON that an account's attributes may hold: every request carries them.
_MOST_ATTRIBUTES = 10_000


@dataclass(frozen=True, slots=True)
class AccountChange:
    """What is to change of an account; `MISSING` stays. A password of None is taken away."""

    title: Any = MISSING
    roles: Any = MISSING
    attributes: Any = MISSING
    disabled: Any = MISSING
    password: Any = MISSING
    #: A merge patch (RFC 7396) for the attributes, in place of all of them.
    merged: Any = MISSING

    def given(self) -> dict[str, Any]:
        """What is to change, by name."""
        values = {one.name: getattr(self, one.name) for one in fields(self)}
        return {name: value for name, value in values.items() if value is not MISSING}


@dataclass(frozen=True, slots=True)
class NewAccount:
    """An account to add."""

    name: str
    title: str = ""
    roles: Iterable[str] = ()
    attributes: Mapping[str, Any] = field(default_factory=dict)
    password: str | None = None


def manages(service: Service, caller: Caller) -> bool:
    """Whether the caller may manage accounts: with a token for everything, and for themselves."""
    managers = service.ways_in.managers
    return caller.is_themselves and not managers.isdisjoint(caller.actor.roles)


def permit_managing(service: Service, caller: Caller) -> None:
    """Raises `NotPermitted` to who may not manage accounts."""
    if not manages(service, caller):
        raise NotPermitted(
            "Accounts are managed by those whose role the setting account_managers names. Ask one of them."
        )


def add_account(service: Service, new: NewAccount, by: Caller | None = None) -> Account:
    """Adds an account. Raises `Invalid`, or `Conflict` for a name that is taken."""
    problems: list[Problem] = []
    if not NAME.fullmatch(new.name):
        problems.append(Problem("/name", "pattern", NAME_RULE))
    if new.name in RESERVED_NAMES:
        problems.append(
            Problem("/name", "pattern", f"{new.name!r} has a meaning of its own. Choose another.")
        )
    account = Account(new.name, new.title or new.name, frozenset(new.roles), new.attributes)
    if new.password is not None:
        problems += problems_of(new.password)
    _check(service, account, problems)
    now, secret = service.now(), _secret(service, new.password)

    def work(writing: Writing) -> None:
        accounts = service.database.accounts
        if accounts.by_name(writing, new.name) is not None:
            raise Conflict(
                f"There is an account {new.name!r} already. Change it with: fenland account change {new.name}"
            )
        accounts.add(writing, account, now)
        if secret is not None:
            accounts.set_password(writing, new.name, secret)
        changes = account_changes(None, account) | _password(new.password is not None)
        enter(service, writing, AccountEvent(new.name, "create", changes), by)

    service.database.change_accounts(work)
    return account


def change_account(
    service: Service,
    name: str,
    change: AccountChange,
    by: Caller | None = None,
    match: tuple[str, ...] | None = None,
) -> Account:
    """Changes an account. Raises `NotFound`, `Invalid`, and `Conflict` for the last who manages accounts.

    A new password, or a disabled account, ends every session it has. `match` holds entity tags of which one
    must be the account's: else raises `VersionMismatch`.
    """
    given = change.given()
    merged = given.pop("merged", None)
    has_password, password = "password" in given, given.pop("password", None)
    if password is not None and (found := problems_of(password)):
        raise Invalid(found)
    secret = _secret(service, password)
    if "roles" in given:
        given["roles"] = frozenset(given["roles"])
    if "title" in given:
        given["title"] = given["title"] or name

    def work(writing: Writing) -> Account:
        accounts = service.database.accounts
        before = there(service, writing, name)
        if match is not None and "*" not in match and account_etag(before) not in match:
            raise VersionMismatch(
                f"The account is at version {before.version} now. Read it again, then decide.",
                version=before.version,
            )
        account = replace(before, **given)
        if merged is not None:
            account = replace(account, attributes=merge(account.attributes, merged))
        if account != before:
            account = replace(account, version=before.version + 1)
        _check(service, account, [])
        _keep_a_manager(service, writing, account)
        accounts.change(writing, account)
        if has_password:
            accounts.set_password(writing, name, secret)
        if has_password or account.disabled:
            ends = service.ways_in.password_ends_tokens and has_password
            for one in accounts.tokens_of(writing, name):
                if one.kind == "session" or (ends and one.made_with in ("session", "password")):
                    accounts.revoke_one(writing, name, one.id, service.now())
        changes = account_changes(before, account) | _password(has_password)
        if changes:
            enter(service, writing, AccountEvent(name, "update", changes), by)
        return account

    return service.database.change_accounts(work)


def account_etag(account: Account) -> str:
    """The entity tag of an account."""
    return f'"{account.name}.{account.version}"'


def _password(changed: bool) -> dict[str, tuple[Any, Any]]:
    """That a password was changed, and nothing of what it is."""
    return {"password": (None, "changed")} if changed else {}


def _secret(service: Service, password: str | None) -> str | None:
    """The hash of a password. Hashing takes long, on purpose: others work meanwhile."""
    with service.database.turn.aside():
        return None if password is None else hashed(password)


def _keep_a_manager(service: Service, writing: Writing, changed: Account) -> None:
    managers = service.ways_in.managers

    def manager(account: Account) -> bool:
        return not account.disabled and not managers.isdisjoint(account.roles)

    before = service.database.accounts.all(writing)
    left = [one for one in before if one.name != changed.name and manager(one)]
    if not left and not manager(changed) and any(map(manager, before)):
        raise Conflict(f"{changed.name} is the last who manages accounts. Give another that role first.")


def _check(service: Service, account: Account, problems: list[Problem]) -> None:
    known = service.definitions.roles
    if len(account.title) > _LONGEST_TEXT or not account.title.isprintable():
        problems.append(
            Problem("/title", "max_length", f"Must be a line of at most {_LONGEST_TEXT} characters.")
        )
    for role in sorted(account.roles - set(known)):
        detail = f"There is no role {role!r}. {did_you_mean(role, known)}"
        problems.append(Problem("/roles", "enum", detail))
    if weight(dict(account.attributes)) > _MOST_ATTRIBUTES:
        detail = f"Must be at most {_MOST_ATTRIBUTES} characters of JSON: every request carries them."
        problems.append(Problem("/attributes", "max_length", detail))
    if problems:
        raise Invalid(problems)


def there(service: Service, reading: Reading, name: str) -> Account:
    """The account of this name. Raises `NotFound`."""
    account = service.database.accounts.by_name(reading, name)
    if account is None:
        known = [one.name for one in service.database.accounts.all(reading)]
        raise NotFound(f"There is no account {name!r}. {did_you_mean(name, known)}")
    return account


def find_account(service: Service, name: str) -> Account:
    """The account of this name. Raises `NotFound`."""
    with service.database.reading() as reading:
        return there(service, reading, name)


def list_accounts(service: Service) -> list[Account]:
    """Every account, by name."""
    with service.database.reading() as reading:
        return service.database.accounts.all(reading)
