"""Erasing what the history still holds of sensitive fields of a collection that is no more.

Its records went with it, and so did whoever might erase by its rules: this is for who has the database at
hand. Each record gets one entry more, which says that all its sealed values are gone, and why.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import groupby, takewhile

from fenland.core.changes.change import Change
from fenland.core.history.entries import BEYOND_ALL, DEFINITIONS_ID, Entry
from fenland.core.problems import Conflict, NotFound
from fenland.service.changes.applying import apply
from fenland.service.changes.finding import checked_reason
from fenland.service.changes.proposals import scrub_proposals
from fenland.service.entering import OPERATOR
from fenland.service.history.erasing import rewrite_outcomes
from fenland.service.history.past import names_of
from fenland.service.service import Service
from fenland.service.work import View, Work, snapshot, written

#: Records whose values are erased in one transaction.
_TOGETHER = 200


@dataclass(slots=True)
class Held:
    """What is kept under seals of a collection that is no more: how many values, of which records."""

    values: int = 0
    records: list[str] = field(default_factory=list)


def removed(service: Service) -> dict[str, Held]:
    """What the history holds of collections that are no more, by the name that their entries have."""
    with snapshot(service) as view:
        return _held(view)


def erase_removed(service: Service, collection: str, reason: str | None) -> Held:
    """Erases all of it, for good. Raises `NotFound` where nothing is held of such a collection, and
    `Conflict` for one that is there, or without a reason.

    What entries hold in clear, from before a field was sensitive, stays: the proofs stand on it.
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
    for begin in range(0, len(held.records), _TOGETHER):
        portion = held.records[begin : begin + _TOGETHER]

        def work(unit: Work, portion: list[str] = portion) -> None:
            for record_id in portion:
                _erase(unit, record_id, reason)

        written(service, work)
    service.database.scrub()
    return held


def _there(view: View) -> set[str]:
    """What collections are called, and were."""
    return {name for one in view.service.resources.values() for name in names_of(view, one)}


def _held(view: View) -> dict[str, Held]:
    there, found = _there(view), dict[str, Held]()
    for record_id, places in groupby(_sealed(view), key=lambda one: one[0]):
        newest = _newest(view, record_id)
        # Of a record whose entries are all in an archive nothing here says what it was of.
        if newest is not None and newest.collection not in there:
            held = found.setdefault(newest.collection, Held())
            held.values += sum(count for _, _, count in places)
            held.records.append(record_id)
    return found


def _newest(view: View, record_id: str) -> Entry | None:
    found, _ = view.history.of_record(view.reading, record_id, below=BEYOND_ALL, limit=1)
    return found[0] if found else None


def _sealed(view: View, after: tuple[str, str] = (DEFINITIONS_ID, "")) -> Iterator[tuple[str, str, int]]:
    """Each record and field with sealed values behind a place, in order, and how many there are."""
    while page := view.history.sealed_fields(view.reading, after, limit=_TOGETHER):
        yield from page
        after = page[-1][:2]
        view.breathe()


def _erase(work: Work, record_id: str, reason: str) -> None:
    newest = _newest(work, record_id)
    sealed = takewhile(lambda one: one[0] == record_id, _sealed(work, (record_id, "")))
    fields = [name for _, name, _ in sealed]
    if newest is None or not fields:
        # Somebody was quicker.
        return
    change = Change(
        action="erase",
        collection=newest.collection,
        record_id=record_id,
        key=newest.key,
        version=newest.version + 1,
        before=None,
        after=None,
        fields=dict.fromkeys(fields, (None, None)),
        stamp=work.stamp(OPERATOR, reason),
    )
    apply(work, OPERATOR, [change])
    for name in fields:
        work.history.erase(work.writing, record_id, name, 0, BEYOND_ALL)
    rewrite_outcomes(work, record_id, set(fields))
    scrub_proposals(work, OPERATOR, record_id, fields)
