"""Entering: entries about what the service keeps beside records, such as accounts, subscriptions and passes.

They stand in the history beside those of records, of collections of the service's own; passwords, secrets
and their hashes are in none of them.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from fenland.core.access.policy import Actor, Caller
from fenland.core.history.entries import BEYOND_ALL, Action, Entry
from fenland.core.values.plain import same
from fenland.service.service import Service
from fenland.storage.door import Writing

#: Who changes what is kept with the database at hand, and no account of their own.
OPERATOR = Caller(Actor("fenland"), via="command-line")


class Did(NamedTuple):
    """What was done, what of it changed how, and why; by which rule, and which entry it follows from.

    `version` is the one that it is at by then, where that is known.
    """

    action: Action
    changes: Mapping[str, tuple[Any, Any]]
    reason: str | None = None
    rule: str | None = None
    cause: int | None = None
    version: int | None = None


class About(NamedTuple):
    """What an entry is about, that is no record."""

    collection: str
    record_id: str
    key: Any


def enter_about(service: Service, writing: Writing, about: About, did: Did, by: Caller | None) -> None:
    """Adds an entry about something that is no record."""
    history, caller, version = service.database.history, by or OPERATOR, did.version
    if version is None:
        newest, _ = history.of_record(writing, about.record_id, below=BEYOND_ALL, limit=1)
        version = newest[0].version + 1 if newest else 1
    acting = caller.acting
    entry = Entry(
        # Times of the history never go back, whatever the clock does.
        time=max(service.now(), history.last(writing).time),
        collection=about.collection,
        record_id=about.record_id,
        key=about.key,
        version=version,
        action=did.action,
        actor=caller.name if acting is None else acting.name,
        behalf=None if acting is None else caller.name,
        via=caller.via if did.cause is None else "effect",
        request_id=caller.request_id,
        client=caller.client,
        changes=did.changes,
        reason=did.reason,
        rule=did.rule,
        cause=did.cause,
    )
    history.add(writing, entry)


def parts_changed(old: Mapping[str, Any], new: Mapping[str, Any]) -> dict[str, tuple[Any, Any]]:
    """What differs between two states, by part."""
    return {name: (old.get(name), value) for name, value in new.items() if not same(old.get(name), value)}
