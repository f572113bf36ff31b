"""Erasing what the history still holds of sensitive fields of a collection that is no more.

Its records went with it, and so did whoever might erase by its rules: this is for who has the database at
hand. Each record gets one entry more, which says that all its sealed values are gone, and why.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import groupby

from fenland.core.changes.change import Change
from fenland.core.history.entries import BEYOND_ALL, DEFINITIONS, DEFINITIONS_ID, Entry
from fenland.core.problems import Conflict, NotFound
from fenland.service.accounts.entries import OPERATOR
from fenland.service.history.erasing import rewrite_outcomes
from fenland.service.history.past import names_of
from fenland.service.records.applying import apply
from fenland.service.records.finding import checked_reason
from fenland.service.service import Service
from fenland.service.work import View, Work, snapshot, written
from fenland.storage.door import Reading

#: Records whose values are erased in one transaction.
_TOGETHER = 200


@dataclass(slots=True)
class Held:
    """What is kept under seals of records of a collection that is no more: how much, of how many records."""

    values: int = 0
    records: int = 0
    #: By record, the newest entry and the fields; while they are erased.
    found: list[tuple[Entry, list[str]]] = field(default_factory=list)


def removed(service: Service) -> dict[str, Held]:
    """What the history holds of collections that are no more, by the name that their entries have."""
    with snapshot(service) as view:
        return _held(view)


def erase_removed(service: Service, collection: str, reason: str | None) -> Held:
    """Erases all of it, for good. Raises `NotFound` where nothing is held of such a collection, and
    `Conflict` for one that is there.
    """
    reason = checked_reason(reason)
    if reason is None:
        raise Conflict("Say why: what is erased cannot.")
    with snapshot(service) as view:
        if collection in _there(view):
            raise Conflict(f"{collection} is there. Erase what its records hold, one by one: fenland erase.")
        held = _held(view).get(collection)
    if held is None:
        raise NotFound(
            f"The history holds nothing under seals of a collection {collection!r} that was removed."
        )
    for begin in range(0, len(held.found), _TOGETHER):
        portion = held.found[begin : begin + _TOGETHER]

        def work(unit: Work, portion: list[tuple[Entry, list[str]]] = portion) -> None:
            for newest, fields in portion:
                _erase(unit, newest, fields, reason)

        written(service, work)
    service.database.scrub()
    return held


def _there(view: View) -> set[str]:
    """What collections are called, and were."""
    return {name for one in view.service.resources.values() for name in names_of(view, one)}


def _held(view: View) -> dict[str, Held]:
    there, found = _there(view), dict[str, Held]()
    history = view.history
    for record_id, places in groupby(_sealed(view.service, view.reading), key=lambda one: one[0]):
        counts = {name: count for _, name, count in places}
        newest, _ = history.of_record(view.reading, record_id, below=BEYOND_ALL, limit=1)
        # Of a record whose entries are all in an archive nothing here says what it was of.
        if newest and newest[0].collection not in there and newest[0].collection != DEFINITIONS:
            held = found.setdefault(newest[0].collection, Held())
            held.values += sum(counts.values())
            held.records += 1
            held.found.append((newest[0], list(counts)))
    return found


def _sealed(service: Service, reading: Reading) -> Iterator[tuple[str, str, int]]:
    """Each record and field with sealed values, in order, and how many there are."""
    after = (DEFINITIONS_ID, "")
    while page := service.database.history.sealed_fields(reading, after, limit=_TOGETHER):
        yield from page
        after = page[-1][:2]
        service.database.turn.breathe()


def _erase(work: Work, newest: Entry, fields: list[str], reason: str) -> None:
    change = Change(
        action="erase",
        collection=newest.collection,
        record_id=newest.record_id,
        key=newest.key,
        version=newest.version + 1,
        before=None,
        after=None,
        fields=dict.fromkeys(fields, (None, None)),
        stamp=work.stamp(OPERATOR, reason),
    )
    apply(work, OPERATOR, [change])
    for name in fields:
        work.history.erase(work.writing, newest.record_id, name, 0, BEYOND_ALL)
    rewrite_outcomes(work, newest.record_id, set(fields))
