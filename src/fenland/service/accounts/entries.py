"""Entries about accounts: who was let in or refused, which tokens were made and ended, which roles given.

They stand in the history beside those of records, of a collection of the service's own; passwords, secrets
and their hashes are in none of them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

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


def enter(service: Service, writing: Writing, event: AccountEvent, by: Caller | None) -> None:
    """Adds an entry about an account."""
    history, caller, record_id = service.database.history, by or OPERATOR, account_id(event.name)
    newest, _ = history.of_record(writing, record_id, below=BEYOND_ALL, limit=1)
    acting = caller.acting
    entry = Entry(
        time=service.now(),
        collection=ACCOUNTS,
        record_id=record_id,
        key=event.name,
        version=newest[0].version + 1 if newest else 1,
        action=event.action,
        actor=caller.actor.name if acting is None else acting.name,
        behalf=None if acting is None else caller.actor.name,
        via=caller.via,
        request_id=caller.request_id,
        client=caller.client,
        changes=event.changes,
    )
    history.add(writing, entry)


def account_changes(before: Account | None, after: Account) -> dict[str, tuple[Any, Any]]:
    """What differs between two states of an account."""
    old, new = {} if before is None else before.parts, after.parts
    return {name: (old.get(name), value) for name, value in new.items() if not same(old.get(name), value)}
