"""Entries about accounts: who was let in or refused, which tokens were made and ended, which roles given."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.history.entries import ACCOUNTS, Action, account_id
from fenland.service.entering import About, Did, enter_about, parts_changed
from fenland.service.service import Service
from fenland.storage.door import Account, Writing


@dataclass(frozen=True, slots=True)
class AccountEvent:
    """What happened to an account."""

    name: str
    action: Action
    changes: Mapping[str, tuple[Any, Any]] = field(default_factory=dict)


def enter(service: Service, writing: Writing, event: AccountEvent, by: Caller | None) -> None:
    """Adds an entry about an account."""
    about = About(ACCOUNTS, account_id(event.name), event.name)
    enter_about(service, writing, about, Did(event.action, event.changes), by)


def account_changes(before: Account | None, after: Account) -> dict[str, tuple[Any, Any]]:
    """What differs between two states of an account."""
    return parts_changed({} if before is None else before.parts, after.parts)
