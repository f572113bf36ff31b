"""Undoing: one save, all of a batch, or all that an account did in a while.

Each save is taken back by an ordinary change through the pipeline, with an entry of its own that says which
one it undoes: what was changed is changed back, what was created is deleted, what was deleted comes back. A
field that was changed again since is in conflict, and named. What a save entailed goes back with it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from fenland.core.access import Caller
from fenland.core.history import ACCOUNTS, DEFINITIONS, Entry
from fenland.core.limits import beyond
from fenland.core.patches import Exactly
from fenland.core.problems import Conflict, Malformed, NotFound, Refusal, Unavailable, pointer_to
from fenland.service.delete import DeleteRequest, delete_within
from fenland.service.finding import Address, Base, Preconditions
from fenland.service.once import Keeping, Once, once
from fenland.service.past import deletion_of, last_copy, subject, today
from fenland.service.restoring import RestoreRequest, bring_back
from fenland.service.searching import Reader
from fenland.service.service import Resource, Service
from fenland.service.update import UpdateRequest, carry_out, decide
from fenland.service.work import Work, written
from fenland.storage.door import Candidates

#: How much of what came after an entry is looked through.
_MOST_LATER, _MOST_CHARACTERS = 1_000, 1_000_000
#: Entries that one save may have entailed, at most.
_MOST_ENTAILED = 10_000


@dataclass(frozen=True, slots=True)
class UndoRequest:
    """What is to be taken back: the save of one entry, a batch, or what an account did between two times."""

    sequence: int | None = None
    batch: str | None = None
    actor: str | None = None
    since: str | None = None
    until: str | None = None
    atomic: bool = True
    preview: bool = False
    reason: str | None = None
    once: Once | None = None


@dataclass(frozen=True, slots=True)
class Undone:
    """What became of one entry: what was done for it, and the changes; or why it was refused."""

    sequence: int
    collection: str
    key: Any
    did: str
    version: int | None = None
    changes: dict[str, Any] = field(default_factory=dict)
    refusal: Refusal | None = None


@dataclass(frozen=True, slots=True)
class Undoing:
    """What became of all of them, newest first; `done` is whether anything of it was kept."""

    items: list[Undone]
    done: bool = True
    repeated: bool = False
    #: What its entries share, where it was more than one save.
    batch: str | None = None


class _Back(Exception):
    """Carries what was found out of a transaction that is to be undone."""

    def __init__(self, items: list[Undone]) -> None:
        super().__init__("undone")
        self.items = items


def undo(service: Service, caller: Caller, request: UndoRequest) -> Undoing:
    """Takes back what was asked, or with `preview` tells what that would do.

    All or nothing, or with `atomic` false each save on its own.
    """

    if request.sequence is None:
        caller = replace(caller, batch=service.new_batch())

    def work(unit: Work) -> Undoing:
        items = [
            one for save in _saves(unit, caller, request) for one in _attempt(unit, caller, save, request)
        ]
        if request.preview or (request.atomic and any(one.refusal for one in items)):
            raise _Back(items)
        return Undoing(items, batch=caller.batch)

    try:
        asked = None if request.preview else request.once
        return written(service, once(caller, asked, work, _KEEPING))
    except _Back as back:
        return Undoing(back.items, done=False)


# --- which ones --------------------------------------------------------------------------------------


def _saves(work: Work, caller: Caller, request: UndoRequest) -> list[list[Entry]]:
    """The entries to take back, newest save first; each save with what it entailed."""
    history = work.service.database.history
    reader = Reader(work, caller)
    if request.sequence is not None:
        found = history.entry(work.reading, request.sequence)
        if found is None or not reader.sees(found):
            raise NotFound(f"There is no entry {request.sequence} that you may see.")
        chosen = [found]
    else:
        chosen = _chosen(work, request, reader)
    # What follows from another goes with it.
    numbers = {one.sequence for one in chosen}
    return [[one, *_entailed(work, one)] for one in chosen if one.cause not in numbers]


def _chosen(work: Work, request: UndoRequest, reader: Reader) -> list[Entry]:
    history, most = work.service.database.history, work.limits.many
    above, below = 0, 2**62
    if request.since is not None:
        above = history.before(work.reading, request.since)
    if request.until is not None:
        below = history.at(work.reading, request.until) + 1
    if request.batch is not None:
        wanted = Candidates.equal_to("batch", request.batch, above)
    elif request.actor is not None and request.since is not None:
        wanted = Candidates.equal_to("actor", request.actor, above)
    else:
        raise Malformed("Say what is to be undone: a batch, or an actor and since.")
    found: list[Entry] = []
    for _, entries in history.candidates(work.reading, wanted, below=below):
        found += [
            one for one in entries if one.collection not in (ACCOUNTS, DEFINITIONS) and reader.sees(one)
        ]
        if len(found) > most:
            raise beyond("many_limit", most, f"There are more than {most} changes to undo.")
    return found


def _entailed(work: Work, entry: Entry) -> list[Entry]:
    """The entries that follow from one: they stand right behind it."""
    found: list[Entry] = []
    history, above = work.service.database.history, entry.sequence or 0
    while len(found) < _MOST_ENTAILED:
        page = history.following(work.reading, above, 200)
        entailed = [one for one in page if one.cause == entry.sequence]
        found += entailed
        if len(entailed) < len(page) or not page:
            break
        above = page[-1].sequence or 0
    return found


# --- one by one --------------------------------------------------------------------------------------


def _attempt(work: Work, caller: Caller, save: Sequence[Entry], request: UndoRequest) -> list[Undone]:
    """Takes a save back, all of it or nothing."""
    done: list[Undone] = []
    try:
        with work.nested():
            # A deletion comes before what it entailed: what comes back may be referred to again.
            for entry in save:
                done.append(_undone(work, caller, entry, request.reason))
    except Unavailable:
        raise
    except Refusal as refusal:
        entry = save[len(done)]
        return [Undone(entry.sequence or 0, entry.collection, entry.key, "nothing", refusal=refusal)]
    return done


def _undone(work: Work, caller: Caller, entry: Entry, reason: str | None) -> Undone:
    resource = Reader(work, caller).resource(entry)
    if resource is None or entry.action == "erase":
        raise Conflict(f"Entry {entry.sequence} cannot be undone: what it did is for good.")
    caller = replace(caller, undoes=entry.sequence, restores=None)
    entry = today(work, resource, entry)
    if entry.action == "update":
        return _changed_back(work, caller, resource, entry, reason)
    if entry.action == "delete":
        return _brought_back(work, caller, resource, entry, reason)
    return _removed(work, caller, resource, entry, reason)


def _changed_back(work: Work, caller: Caller, resource: Resource, entry: Entry, reason: str | None) -> Undone:
    address = Address(resource.collection.name, entry.record_id, "id")
    found = subject(work, caller, address)
    if not found.there:
        raise Conflict("The record was deleted since. Bring it back first.", version=found.record["version"])
    gone = [name for name in entry.changes if entry.gone.get(name, (False, False))[0]]
    if gone:
        conflicts = [{"pointer": pointer_to(name)} for name in gone]
        raise Conflict("What was there before is in the history no more.", conflicts=conflicts)
    fields = resource.collection.fields
    values = {name: old for name, (old, _) in entry.changes.items() if name in fields}
    asked = UpdateRequest(
        address,
        lambda access: Exactly(values),
        preconditions=_ANY,
        base=Base(entry.version, entry.record_id),
        blank="store",
        reason=reason,
    )
    try:
        decision = decide(work, caller, asked)
    except Conflict as conflict:
        if _taken_back(work, entry):
            return Undone(entry.sequence or 0, resource.collection.name, entry.key, "nothing")
        raise _changed_again(entry, conflict) from None
    saved = carry_out(work, caller, asked, decision)
    fields_changed = {} if decision.change is None else dict(decision.change.fields)
    shown = decision.access.shown(fields_changed)
    return Undone(
        entry.sequence or 0,
        resource.collection.name,
        saved.record[resource.collection.key],
        "update" if saved.changed else "nothing",
        saved.record["version"],
        {name: {"before": was, "after": now} for name, (was, now) in shown.items()},
    )


def _taken_back(work: Work, entry: Entry) -> bool:
    """Whether an entry was undone before, and that was not undone in its turn."""
    later = work.service.database.history.since(
        work.reading, entry.record_id, entry.version, most=_MOST_LATER, characters=_MOST_CHARACTERS
    )
    undoings = {one.undoes: one.sequence for one in later or []}
    place, count = undoings.get(entry.sequence), 0
    while place is not None:
        place, count = undoings.get(place), count + 1
    return count % 2 == 1


def _changed_again(entry: Entry, conflict: Conflict) -> Conflict:
    """The same conflict, in the words of who takes something back."""
    if "conflicts" not in conflict.extra:
        return conflict
    return Conflict(f"Fields of entry {entry.sequence} were changed again since.", **conflict.extra)


#: Whatever version the record is at: the fields are looked at one by one.
_ANY = Preconditions(match=("*",))


def _brought_back(work: Work, caller: Caller, resource: Resource, entry: Entry, reason: str | None) -> Undone:
    deletion = deletion_of(work, resource, entry.record_id)
    if deletion is None or deletion.sequence != entry.sequence:
        raise Conflict("The record is there again, or was deleted again since.")
    address = Address(resource.collection.name, entry.record_id, "id")
    found = subject(work, caller, address)
    found = replace(found, record=last_copy(work, resource, deletion))
    saved = bring_back(work, caller, found, RestoreRequest(address, reason=reason))
    key = saved.record[resource.collection.key]
    return Undone(entry.sequence or 0, resource.collection.name, key, "restore", saved.record["version"])


def _removed(work: Work, caller: Caller, resource: Resource, entry: Entry, reason: str | None) -> Undone:
    address = Address(resource.collection.name, entry.record_id, "id")
    found = subject(work, caller, address)
    if not found.there or found.record["version"] != entry.version:
        since = _changed_since(work, resource, entry)
        conflicts = [
            {"pointer": pointer_to(name)}
            if name in found.access.hidden
            else {"pointer": pointer_to(name), "base": old, "current": found.record.get(name), "yours": None}
            for name, old in since.items()
        ]
        raise Conflict(
            "The record was changed, or deleted, since it was made.",
            version=found.record["version"],
            conflicts=conflicts,
        )
    saved = delete_within(work, caller, DeleteRequest(address, _ANY, reason))
    key = saved.record[resource.collection.key]
    return Undone(entry.sequence or 0, resource.collection.name, key, "delete", entry.version + 1)


def _changed_since(work: Work, resource: Resource, entry: Entry) -> dict[str, Any]:
    """By field that was changed after an entry, what it held then."""
    found: dict[str, Any] = {}
    later = work.service.database.history.since(
        work.reading, entry.record_id, entry.version, most=_MOST_LATER, characters=_MOST_CHARACTERS
    )
    for one in later or []:
        for name, (old, _) in today(work, resource, one).changes.items():
            found.setdefault(name, old)
    return found


# --- once --------------------------------------------------------------------------------------------


def _keep(undoing: Undoing) -> dict[str, Any]:
    # What was done, and no values: whoever asks again may not be allowed to see them any more.
    return {
        "items": [[one.sequence, one.collection, one.key, one.did, one.version] for one in undoing.items],
        "batch": undoing.batch,
    }


def _give(work: Work, caller: Caller, kept: dict[str, Any]) -> Undoing:
    return Undoing([Undone(*one) for one in _rows(kept)], repeated=True, batch=kept["batch"])


def _rows(kept: dict[str, Any]) -> Iterable[list[Any]]:
    rows: list[list[Any]] = kept["items"]
    return rows


_KEEPING = Keeping(_keep, _give)
