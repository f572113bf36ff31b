"""Applying: the one place where records are written. A list of changes in, rows and history entries out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta

from fenland.core.access.policy import Caller
from fenland.core.changes.change import Change, Handing
from fenland.core.definitions.model import place_of
from fenland.core.history.entries import Entry
from fenland.core.problems import Invalid
from fenland.core.values.identity import timestamp
from fenland.service.changes.drafting import Draft
from fenland.service.changes.others import unique_taken
from fenland.service.handing_out import blank_pass, hand_out
from fenland.service.service import Resource
from fenland.service.work import Work, just_changed
from fenland.storage.door import Noticed, ReferenceBroken, ValueTaken


def apply(work: Work, caller: Caller, changes: Sequence[Change]) -> None:
    """Writes each change with its history entry, in order, within the caller's transaction; or drafts it.

    Raises `Invalid` for a value that another record took meanwhile, and `Conflict` for a reference that
    came loose.
    """
    if isinstance(work, Draft):
        work.take(changes)
        return
    sequences = list[int]()
    try:
        for change in changes:
            _write(work, change)
            # What a change follows from stands before it.
            cause = None if change.cause is None else sequences[change.cause]
            sequences.append(work.enter(_entry(work, caller, change, cause)))
            if change.notices:
                _notify(work, change, sequences[-1])
            for handed in change.passes:
                _hand_out(work, caller, change, handed, sequences[-1])
    except ValueTaken as taken:
        raise Invalid([unique_taken(taken.field)]) from None
    except ReferenceBroken:
        raise just_changed() from None
    work.forget()


def _notify(work: Work, change: Change, sequence: int) -> None:
    """Puts the notices that a change leaves into the outbox."""
    service, time = work.service, change.stamp.time
    kept = timestamp(datetime.fromisoformat(time) - timedelta(days=work.limits.notice_days))
    for one in change.notices:
        place = (change.collection, change.record_id, change.key)
        service.database.notices.add(
            work.writing, Noticed(0, one.name, time, *place, sequence, one.rule, one.data), kept
        )


def _hand_out(work: Work, caller: Caller, change: Change, handed: Handing, sequence: int) -> None:
    """Makes a pass for the record, which has no link before somebody asks for that."""
    collection = work.service.resources[change.collection].collection
    blank = blank_pass(work.service, collection.name, collection.passes[handed.template])
    about = replace(blank, record_id=change.record_id, key=change.key, rule=handed.rule)
    hand_out(work.service, work.writing, about, caller, sequence)


def _entry(work: Work, caller: Caller, change: Change, cause: int | None) -> Entry:
    entry = change.entry(caller, cause)
    if change.action != "derive" or change.before is None:
        return entry
    return replace(entry, settled=work.settled(change.before))


def _write(work: Work, change: Change) -> None:
    if change.before is None and change.after is None:
        # Of a record that is gone, or whose collection is, only the history tells.
        return
    resource = work.service.resources[change.collection]
    records = resource.records
    work.wrote(change)
    if resource.rules.series and change.after is not None:
        # Ahead of the record, which may yet be refused: it is none of those that there were.
        _note_numbers(work, resource, change)
    if change.before is None and change.after is not None:
        records.add(work.writing, change.after)
    elif change.before is not None and change.after is not None:
        records.change(work.writing, change.record_id, change.before["version"], change.columns)
    elif change.before is not None:
        records.remove(work.writing, change.record_id, change.before["version"])


def _note_numbers(work: Work, resource: Resource, change: Change) -> None:
    """Has series of numbers go on behind those that a record got, whoever gave it them: none comes twice."""
    kept = work.service.database.series
    for item in resource.rules.series:
        given = change.result[item.name] if item.name in change.fields else None
        number = item.series.number(given) if item.series is not None else None
        place = place_of(resource.collection, item)
        if number is None or work.service.numbers.is_kept(place, number):
            continue
        last = kept.last(work.writing, place)
        if last is None:
            # The first that is noted: those that were there before count as well.
            kept.keep(work.writing, place, max(number, work.last_number(resource, item)))
        elif last < number:
            kept.keep(work.writing, place, number)
