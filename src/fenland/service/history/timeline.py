"""A record's history, newest first, also after the record is gone."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.evolving.lineage import Lineage
from fenland.core.history.entries import BEYOND_ALL, Entry
from fenland.core.history.telling import Known, Telling, entry_json
from fenland.core.problems import Malformed
from fenland.service.changes.finding import Address
from fenland.service.history.causing import seen_by, tell_causes
from fenland.service.history.past import Subject, newest_first, subject
from fenland.service.records.labels import labels_of
from fenland.service.service import Service
from fenland.service.work import View, snapshot

#: Entries that a filtered page looks through.
_MOST_LOOKED = 2_000


@dataclass(frozen=True, slots=True)
class Asked:
    """Which entries are wanted: of versions under `below`, of this field, by this account."""

    below: int | None = None
    limit: int = 50
    field: str | None = None
    actor: str | None = None


@dataclass(frozen=True, slots=True)
class Timeline:
    """A page of entries as answers show them, and the version to ask below for the next page.

    `labels` says what references and owners in them stand for, `people` what accounts are called; `archived`
    where older entries are.
    """

    items: list[dict[str, Any]]
    next: int | None
    labels: dict[str, dict[str, str]]
    people: dict[str, str]
    archived: list[str]


def timeline(service: Service, caller: Caller, address: Address, asked: Asked) -> Timeline:
    """The entries of a record that are wanted. Who may read a record may read its history."""
    with snapshot(service) as view:
        found = subject(view, caller, address)
        if asked.field is not None and asked.field not in found.resource.collection.fields:
            raise Malformed(f"field is {asked.field!r}, which is no field of {address.collection}.")
        shown, more = _wanted(view, found, asked)
        labels = _labels(view, caller, found, shown)
        people = people_of(view, shown)
        history = service.database.history
        archives = history.archives(view.reading)
        # Nothing is in them where all of it was looked through, from the first entry on.
        if archives and more is None and history.of_record(view.reading, found.id, below=2, limit=1)[0]:
            archives = []
        tell, known = telling_of(service, found), Known(people, labels)
        items = [entry_json(one, tell(one), known) for one in shown]
        tell_causes(view, items, seen_by(view, caller))
    return Timeline(items, more, labels, people, [one.file for one in archives])


def _wanted(view: View, found: Subject, asked: Asked) -> tuple[list[Entry], int | None]:
    """The entries of a page, and below which version the next one begins."""
    below = BEYOND_ALL if asked.below is None else asked.below
    history, lineage = view.history, view.service.lineage(found.resource)
    if asked.field is None and asked.actor is None:
        shown, more = history.of_record(view.reading, found.id, below=below, limit=asked.limit)
        return shown, shown[-1].version if more else None
    shown = []
    for looked, one in enumerate(newest_first(view, found.id, below)):
        if len(shown) == asked.limit or looked == _MOST_LOOKED:
            return shown, one.version + 1
        if asked.actor in (None, one.actor, one.behalf) and (
            asked.field is None or changes_field(one, asked.field, lineage)
        ):
            shown.append(one)
    return shown, None


def changes_field(entry: Entry, name: str, lineage: Lineage | None) -> bool:
    """Whether an entry changed the field of today that is called so."""
    then = name if lineage is None else lineage.name_then(entry.sequence or 0, name)
    return then in entry.changes


def telling_of(service: Service, found: Subject) -> Callable[[Entry], Telling]:
    """What says how an entry of the record is told."""
    access, lineage = found.access, service.lineage(found.resource)
    usual = Telling(access.collection.fields, access.hidden)
    return lambda entry: usual if lineage is None else lineage.telling(entry.sequence or 0, access)


def people_of(view: View, entries: Iterable[Entry]) -> dict[str, str]:
    """What people call the accounts that made changes."""
    names = {name for one in entries for name in (one.actor, one.behalf) if name is not None}
    return {name: _title(view, name) for name in names}


def _title(view: View, name: str) -> str:
    account = view.account(name)
    return account.title if account is not None and account.title else name


def _labels(view: View, caller: Caller, found: Subject, entries: list[Entry]) -> dict[str, dict[str, str]]:
    """What references and owners stand for in entries, as far as the caller may know."""
    tell = telling_of(view.service, found)
    return labels_of(view, caller, found.resource, sides_of(entries, lambda one: tell(one).hidden))


def sides_of(entries: Iterable[Entry], hidden: Callable[[Entry], frozenset[str]]) -> list[dict[str, Any]]:
    """What was before and after each entry, without what its reader may not see."""
    return [
        {name: pair[side] for name, pair in one.changes.items() if name not in hidden(one)}
        for one in entries
        for side in (0, 1)
    ]
