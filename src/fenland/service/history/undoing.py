"""Undoing: one save, all of a batch, or all that an account did in a while.

Each save is taken back by an ordinary change through the pipeline, with an entry of its own that says which
one it undoes: what was changed is changed back, what was created is deleted, what was deleted comes back. A
field that was changed again since is in conflict, and named. What followed from a save goes back with it.
"""

from __future__ import annotations

import time
from collections.abc import Iterable
from contextlib import nullcontext
from dataclasses import dataclass, field, replace
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.changes.change import Act
from fenland.core.changes.patches import Exactly
from fenland.core.expressions.budget import renew
from fenland.core.history.entries import PASSES, Entry
from fenland.core.problems import Conflict, Refusal, Unavailable, pointer_to
from fenland.service.changes.applying import apply
from fenland.service.changes.drafting import Draft
from fenland.service.changes.finding import Address, Base, Preconditions
from fenland.service.handing_out import revoke
from fenland.service.history.past import Subject, deletion_of, last_copy, subject, today
from fenland.service.history.restoring import RestoreRequest, bring_back
from fenland.service.history.saves import Save, UndoRequest, saves_of
from fenland.service.history.searching import Reader
from fenland.service.records.delete import DeleteRequest, decide_deletion
from fenland.service.records.once import Keeping, once
from fenland.service.records.update import UpdateRequest, carry_out, decide
from fenland.service.service import Resource, Service
from fenland.service.work import Work, snapshot, written

#: Saves that share a transaction where each is on its own, and how long others then have for theirs.
_TOGETHER, _BREATH = 50, 0.0003
#: Seconds that all of them may take; and how many are told one by one.
_MOST_SECONDS, _MOST_TOLD = 600, 1_000
#: How much of what came after an entry is looked through.
_MOST_LATER, _MOST_CHARACTERS = 1_000, 1_000_000
#: Entries that are read at once.
_AHEAD = 500


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
    #: Whether the caller may not see the record: then it is counted, and not told.
    unseen: bool = False


@dataclass(slots=True)
class Undoing:
    """What became of all of them, newest first; `done` is whether anything of it was kept.

    Of very many, not all are told one by one: `undone` and `refused` count them, and `left` those that there
    was no time for. `unseen` counts records among them that the caller may not see, which are not named.
    """

    items: list[Undone] = field(default_factory=list)
    done: bool = True
    repeated: bool = False
    #: What its entries share, where it was more than one save.
    batch: str | None = None
    undone: int = 0
    refused: int = 0
    left: int = 0
    unseen: int = 0

    def take(self, found: Iterable[Undone]) -> None:
        """Takes note of what became of a save."""
        for one in found:
            self.undone += one.did != "nothing"
            self.refused += one.refusal is not None
            self.unseen += one.unseen
            room = len(self.items) < _MOST_TOLD or (one.refusal is not None and self.refused <= _MOST_TOLD)
            if not one.unseen and room:
                self.items.append(one)


class _Back(Exception):
    """Carries what was found out of a transaction that is to be undone."""

    def __init__(self, found: Undoing) -> None:
        super().__init__("undone")
        self.found = found


class _Refused(Exception):
    """Something stood in the way of one of several saves that were taken back together."""


def undo(service: Service, caller: Caller, request: UndoRequest) -> Undoing:
    """Takes back what was asked, or with `preview` tells what that would do.

    All or nothing, or with `atomic` false each save on its own, some at a time: others work in between.
    """
    act = Act(batch=service.new_batch() if request.sequence is None else None)
    if request.preview:
        with service.database.snapshot(caller.actor.name) as reading:
            draft = Draft(service, reading, act)
            return replace(
                _taken_back_by(draft, caller, request, saves_of(draft, caller, request)), done=False
            )
    if not request.atomic and request.sequence is None and request.once is None:
        return _in_portions(service, caller, request, act)

    def work(unit: Work) -> Undoing:
        found = _taken_back_by(unit, caller, request, saves_of(unit, caller, request))
        if request.atomic and found.refused:
            raise _Back(found)
        return found

    try:
        return written(service, once(caller, request.once, work, _KEEPING), act)
    except _Back as back:
        return replace(back.found, done=False, undone=0)


def _in_portions(service: Service, caller: Caller, request: UndoRequest, act: Act) -> Undoing:
    with snapshot(service, caller) as view:
        saves = saves_of(view, caller, request)
    together = {sequence for save in saves for sequence in save}
    found, ends = Undoing(batch=act.batch), time.monotonic() + _MOST_SECONDS
    for begin in range(0, len(saves), _TOGETHER):
        if time.monotonic() > ends:
            found.left = len(saves) - begin
            break
        portion = saves[begin : begin + _TOGETHER]

        def work(unit: Work, portion: list[Save] = portion) -> Undoing:
            return _taken_back_by(unit, caller, request, portion, together)

        part = written(service, work, act)
        renew()
        found.take(part.items)
        found.unseen += part.unseen
        with service.database.turn.aside():
            # Whoever waited to write comes first.
            time.sleep(_BREATH)
    return found


# --- one by one --------------------------------------------------------------------------------------


def _taken_back_by(
    work: Work, caller: Caller, request: UndoRequest, saves: list[Save], together: set[int] | None = None
) -> Undoing:
    """Takes saves back within a unit of work. `together` are the entries of all that are taken back."""
    found = Undoing(batch=work.act.batch)
    together = together or {sequence for save in saves for sequence in save}
    run = _Run(work, caller, request, together, Reader(work, caller))
    run.look_ahead(saves)
    try:
        # Mostly nothing stands in the way, so that what each takes to be undone by itself is spared.
        with work.nested():
            done = []
            for save in saves:
                done.append(run.attempt(save))
                # What it did before it was refused still stands: nothing goes on from there.
                if any(one.refusal for one in done[-1]):
                    raise _Refused
    except _Refused:
        done = [run.attempt(save, by_itself=True) for save in saves]
    for part in done:
        found.take(part)
    return found


@dataclass(slots=True)
class _Run:
    """Saves being taken back."""

    work: Work
    caller: Caller
    request: UndoRequest
    #: The entries that are taken back with each other: none of them stands in the way of another.
    together: set[int]
    reader: Reader
    #: Entries that were read together, by sequence.
    ahead: dict[int, Entry] = field(default_factory=dict)
    #: The entry of the save that is being taken back, which is not what followed from it.
    root: int = 0

    def look_ahead(self, saves: list[Save]) -> None:
        """Reads the entries of saves, and their records, at once, where they are close together and few."""
        wanted = {sequence for save in saves for sequence in save}
        if not wanted or len(wanted) > _AHEAD or max(wanted) - min(wanted) > 2 * _AHEAD:
            return
        history, first, last = self.work.history, min(wanted), max(wanted)
        for one in history.following(self.work.reading, first - 1, 2 * _AHEAD + 1, last + 1):
            self.ahead[one.sequence or 0] = one
        ids: dict[str, set[str]] = {}
        for sequence in wanted & self.ahead.keys():
            one = self.ahead[sequence]
            ids.setdefault(one.collection, set()).add(one.record_id)
        for name, these in ids.items():
            resource = self.work.service.resources.get(name)
            if resource is not None:
                self.work.look_ahead(resource, these)

    def entry(self, sequence: int) -> Entry | None:
        """An entry, or None where it is in an archive."""
        known = self.ahead.get(sequence)
        return known or self.work.history.entry(self.work.reading, sequence)

    def acting(self, entry: Entry) -> Caller:
        """By whose right an entry goes back: what a rule did because of the save goes by that of the rule."""
        followed = entry.rule is not None and entry.sequence != self.root
        return replace(self.caller, by_rule=True) if followed else self.caller

    def told(self, entry: Entry, conflict: Conflict) -> Conflict:
        """The same conflict; of what a rule did, without values, of which the caller may not read some."""
        return conflict if entry.rule is None else Conflict(conflict.detail)

    def attempt(self, save: Save, *, by_itself: bool = False) -> list[Undone]:
        """Takes a save back, all of it or nothing; for the latter it must be `by_itself`."""
        reader, turn = self.reader, self.work.service.database.turn
        turn.breathe()
        done: list[Undone] = []
        entry: Entry | None = None
        self.root = min(save)
        try:
            with self.work.nested() if by_itself else nullcontext():
                for sequence in save:
                    entry = self.entry(sequence)
                    if entry is None:
                        raise Conflict(f"Entry {sequence} was moved to an archive.")
                    found = _undone(self, entry, reader.resource(entry))
                    unseen = entry.cause is not None and not reader.sees(entry)
                    done.append(replace(found, unseen=True) if unseen else found)
        except Unavailable:
            raise
        except Refusal as refusal:
            if entry is None:
                return [Undone(min(save), "", None, "nothing", refusal=refusal)]
            if entry.cause is not None and not reader.sees(entry):
                # Of what they may not see no more is told than that it stands in the way.
                refusal = Conflict("Something that followed from it, and is not yours to see, is in the way.")
                entry = self.entry(min(save)) or entry
            return [Undone(entry.sequence or 0, entry.collection, entry.key, "nothing", refusal=refusal)]
        return done


def _undone(run: _Run, entry: Entry, resource: Resource | None) -> Undone:
    if entry.collection == PASSES and entry.rule is not None:
        return _handed_back(run, entry)
    if resource is None or entry.action == "erase":
        raise Conflict(f"Entry {entry.sequence} cannot be undone: what it did is for good.")
    if entry.action == "derive":
        raise Conflict(f"Entry {entry.sequence} is merely derived. Undo what it follows from: {entry.cause}.")
    work = run.work
    entry = today(work, resource, entry)
    with work.doing(undoes=entry.sequence):
        if entry.action == "update":
            return _changed_back(run, resource, entry)
        if entry.action == "delete":
            return _brought_back(run, resource, entry)
        return _removed(run, resource, entry)


def _handed_back(run: _Run, entry: Entry) -> Undone:
    """Revokes the pass that a rule handed out, unless somebody made a link of it: that was their doing."""
    work = run.work
    one = work.service.database.passes.by_number(work.reading, int(entry.key))
    if one is None or one.hash is not None or one.revoked_at is not None:
        return Undone(entry.sequence or 0, entry.collection, entry.key, "nothing")
    if not isinstance(work, Draft):
        revoke(work.service, work.writing, one, run.caller)
    return Undone(entry.sequence or 0, entry.collection, entry.key, "revoke", one.version + 1)


def _changed_back(run: _Run, resource: Resource, entry: Entry) -> Undone:
    work, caller = run.work, run.acting(entry)
    address = Address(resource.collection.name, entry.record_id, "id")
    # Before anything is told of it: whoever may not read the record is told that it is not there.
    found = subject(work, caller, address)
    if not found.there:
        raise Conflict("The record was deleted since. Bring it back first.", version=found.record["version"])
    gone = [name for name in entry.changes if entry.gone.get(name, (False, False))[0]]
    if gone:
        conflicts = [{"pointer": pointer_to(name)} for name in gone]
        raise Conflict("What was there before is in the history no more.", conflicts=conflicts)
    fields = resource.collection.fields
    # What is derived goes back with what it is derived from.
    values = {
        name: old
        for name, (old, _) in entry.changes.items()
        if name in fields and fields[name].derived is None
    }
    asked = UpdateRequest(
        address,
        Exactly(values),
        preconditions=_ANY,
        base=Base(entry.version, entry.record_id),
        blank="store",
        reason=run.request.reason,
        trigger=None,
    )
    try:
        decision = decide(work, caller, asked)
    except Conflict as conflict:
        if _taken_back(work, entry):
            return Undone(entry.sequence or 0, resource.collection.name, entry.key, "nothing")
        raise run.told(entry, _changed_again(entry, conflict)) from None
    saved = carry_out(work, caller, asked, decision)
    fields_changed = {} if decision.change is None else dict(decision.change.fields)
    # By whatever right it is done, nobody is shown what they may not read.
    seen = resource.policy.fields(work.sight(run.caller), decision.stored)
    shown = seen.shown(fields_changed)
    return Undone(
        entry.sequence or 0,
        resource.collection.name,
        saved.record[resource.collection.key],
        "update" if saved.changed else "nothing",
        saved.record.get("version"),
        {name: {"before": was, "after": now} for name, (was, now) in shown.items()},
    )


def _taken_back(work: Work, entry: Entry) -> bool:
    """Whether an entry was undone before, and that was not undone in its turn."""
    later = work.history.since(
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


def _brought_back(run: _Run, resource: Resource, entry: Entry) -> Undone:
    work, caller, reason = run.work, run.acting(entry), run.request.reason
    deletion = deletion_of(work, resource, entry.record_id)
    if deletion is None or deletion.sequence != entry.sequence:
        raise Conflict("The record is there again, or was deleted again since.")
    address = Address(resource.collection.name, entry.record_id, "id")
    found = subject(work, caller, address)
    found = replace(found, record=last_copy(work, resource, deletion))
    saved = bring_back(work, caller, found, RestoreRequest(address, reason=reason, trigger=None))
    key = saved.record[resource.collection.key]
    return Undone(entry.sequence or 0, resource.collection.name, key, "restore", saved.record.get("version"))


def _removed(run: _Run, resource: Resource, entry: Entry) -> Undone:
    work, caller, key = run.work, run.acting(entry), resource.collection.key
    address = Address(resource.collection.name, entry.record_id, "id")
    stored = work.find(resource, "id", entry.record_id)
    if stored is None or stored["version"] != entry.version:
        try:
            _refuse_changed_since(run, resource, entry, subject(work, caller, address))
        except Conflict as conflict:
            raise run.told(entry, conflict) from None
    asked = DeleteRequest(address, _ANY, reason=run.request.reason, trigger=None)
    _, stored, changes = decide_deletion(work, caller, asked)
    apply(work, caller, changes)
    return Undone(entry.sequence or 0, resource.collection.name, stored[key], "delete", stored["version"] + 1)


def _refuse_changed_since(run: _Run, resource: Resource, entry: Entry, found: Subject) -> None:
    """Raises `Conflict` where others changed a record, or deleted it, since an entry made it."""
    since = _changed_since(run, resource, entry)
    if found.there and since is not None and not since:
        return
    conflicts = [
        {"pointer": pointer_to(name)}
        if name in found.access.hidden
        else {"pointer": pointer_to(name), "base": old, "current": found.record.get(name), "yours": None}
        for name, old in (since or {}).items()
    ]
    raise Conflict(
        "The record was changed, or deleted, since it was made.",
        version=found.record["version"],
        conflicts=conflicts,
    )


def _changed_since(run: _Run, resource: Resource, entry: Entry) -> dict[str, Any] | None:
    """By field that others changed after an entry, what it held then; None where too much was changed.

    What is taken back together with the entry, and the taking back of that, is nobody else's change.
    """
    found: dict[str, Any] = {}
    work = run.work
    later = work.history.since(
        work.reading, entry.record_id, entry.version, most=_MOST_LATER, characters=_MOST_CHARACTERS
    )
    if later is None:
        return None
    for one in later:
        if one.action == "derive" or one.sequence in run.together or one.undoes in run.together:
            continue
        changes = today(work, resource, one).changes
        if not changes:
            return None
        for name, (old, _) in changes.items():
            found.setdefault(name, old)
    return found


# --- once --------------------------------------------------------------------------------------------


def _keep(undoing: Undoing) -> dict[str, Any]:
    # What was done, and no values: whoever asks again may not be allowed to see them any more.
    return {
        "items": [[one.sequence, one.collection, one.key, one.did, one.version] for one in undoing.items],
        "batch": undoing.batch,
        "counts": [undoing.undone, undoing.unseen],
    }


def _give(_work: Work, _caller: Caller, kept: dict[str, Any]) -> Undoing:
    undone, unseen = kept.get("counts", [0, 0])
    items = [Undone(*one) for one in _rows(kept)]
    return Undoing(items, repeated=True, batch=kept["batch"], undone=undone, unseen=unseen)


def _rows(kept: dict[str, Any]) -> Iterable[list[Any]]:
    rows: list[list[Any]] = kept["items"]
    return rows


_KEEPING = Keeping(_keep, _give)
