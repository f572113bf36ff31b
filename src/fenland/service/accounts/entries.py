"""Entries about what the service keeps beside records: who was let in or refused, which tokens were made and
ended, which roles given.

They stand in the history beside those of records, of collections of the service's own; passwords, secrets
and their hashes are in none of them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from fenland.core.access.policy import Actor, Caller
from fenland.core.history.entries import ACCOUNTS, BEYOND_ALL, Action, Entry, account_id
from fenland.core.values.plain import same
from fenland.service.service import Service
from fenland.storage.door import Account, Writing

#: Who changes accounts with the database at hand, and no account of their own.
OPERATOR = Caller(Actor("fenland"), via="command-line")


@dataclass(frozen=True, slots=True)
class AccountEvent:
    """What happened to an account."""

    name: str
    action: Action
    changes: Mapping[str, tuple[Any, Any]] = field(default_factory=dict)


class Did(NamedTuple):
    """What was done, and what of it changed how."""

    action: Action
    changes: Mapping[str, tuple[Any, Any]]


class About(NamedTuple):
    """What an entry is about, that is no record."""

    collection: str
    record_id: str
    key: str


def enter(service: Service, writing: Writing, event: AccountEvent, by: Caller | None) -> None:
    """Adds an entry about an account."""
    about = About(ACCOUNTS, account_id(event.name), event.name)
    enter_about(service, writing, about, Did(event.action, event.changes), by)


def enter_about(service: Service, writing: Writing, about: About, did: Did, by: Caller | None) -> None:
    """Adds an entry about something that is no record."""
    history, caller = service.database.history, by or OPERATOR
    newest, _ = history.of_record(writing, about.record_id, below=BEYOND_ALL, limit=1)
    acting = caller.acting
    entry = Entry(
        time=service.now(),
        collection=about.collection,
        record_id=about.record_id,
        key=about.key,
        version=newest[0].version + 1 if newest else 1,
        action=did.action,
        actor=caller.actor.name if acting is None else acting.name,
        behalf=None if acting is None else caller.actor.name,
        via=caller.via,
        request_id=caller.request_id,
        client=caller.client,
        changes=did.changes,
    )
    history.add(writing, entry)


def account_changes(before: Account | None, after: Account) -> dict[str, tuple[Any, Any]]:
    """What differs between two states of an account."""
    return parts_changed({} if before is None else before.parts, after.parts)


def parts_changed(old: Mapping[str, Any], new: Mapping[str, Any]) -> dict[str, tuple[Any, Any]]:
    """What differs between two states, by part."""
    return {name: (old.get(name), value) for name, value in new.items() if not same(old.get(name), value)}
