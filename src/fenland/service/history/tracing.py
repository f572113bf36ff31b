"""Tracing: what differs between two versions of a record, and how much was changed day by day."""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.history.terms import BLOCK
from fenland.core.problems import Malformed
from fenland.core.values.differences import change_json, differing
from fenland.core.values.identity import timestamp
from fenland.service.changes.finding import Address
from fenland.service.history.past import When, as_it_was, subject
from fenland.service.history.searching import HistoryRequest, Question, Reader
from fenland.service.service import Service
from fenland.service.work import View, snapshot

#: Days that one picture holds: those that are usual, and the most.
_USUAL_DAYS, _MOST_DAYS = 30, 366
#: Entries of collections whose records are judged one by one that are looked at, newest first.
_MOST_JUDGED = 20_000


def difference(
    service: Service, caller: Caller, address: Address, older: int, newer: int | None
) -> dict[str, Any]:
    """What differs between two versions of a record, the newer being the newest where none is named."""
    with snapshot(service, caller) as view:
        found = subject(view, caller, address)
        newer = found.record["version"] if newer is None else newer
        sides = [found.access.shown(as_it_was(view, found, When(version=one))) for one in (older, newer)]
    fields = found.resource.collection.fields
    one, other = ({name: side[name] for name in fields if name in side} for side in sides)
    changes = {name: change_json(old, new) for name, (old, new) in differing(one, other).items()}
    return {"from": older, "to": newer, "changes": changes, "before": sides[0], "after": sides[1]}


def activity(service: Service, caller: Caller, request: HistoryRequest, by: str) -> dict[str, Any]:
    """How many entries there were on each day (UTC), by collection or by actor, as far as they may see them.

    `since` says from when on they are counted whole.
    """
    now = service.clock().astimezone(UTC)
    last = now if request.until is None else datetime.fromisoformat(request.until)
    first = _days_before(last, _USUAL_DAYS - 1)
    if request.since is not None:
        first = datetime.fromisoformat(request.since)
    begin = first.replace(hour=0, minute=0, second=0, microsecond=0)
    days = (last.date() - begin.date()).days + 1
    if not 1 <= days <= _MOST_DAYS:
        raise Malformed(f"from and to are {days} days apart. Ask for 1 to {_MOST_DAYS}.")
    with snapshot(service, caller) as view:
        history, reading = view.history, view.reading
        reader = Reader(view, caller)
        edges = [history.before(reading, _edge(begin, day)) for day in range(days + 1)]
        counts: list[Counter[str]] = []
        for above, top in pairwise(edges):
            counted = Counter[str]()
            for collection, actor, number in history.counts(reading, above, top):
                part = {"collection": collection, "actor": actor}
                wanted = all(part[name] == value for name, value in request.equal.items())
                if reader.sees_all(collection) and wanted:
                    counted[part[by]] += number
            counts.append(counted)
        since = _judged(view, reader, request, (edges, counts), by)
    names = sorted({name for one in counts for name in one})
    return {
        "days": [(begin + timedelta(days=day)).date().isoformat() for day in range(days)],
        "series": [{"name": name, "counts": [one[name] for one in counts]} for name in names],
        "since": since,
    }


def _days_before(moment: datetime, days: int) -> datetime:
    try:
        return moment - timedelta(days=days)
    except OverflowError:
        return datetime.min.replace(tzinfo=UTC)


def _edge(begin: datetime, day: int) -> str:
    """When a day begins; of the one after all days, the last moment that there is."""
    try:
        return timestamp(begin + timedelta(days=day))
    except OverflowError:
        return timestamp(datetime.max.replace(tzinfo=UTC))


def _judged(
    view: View, reader: Reader, request: HistoryRequest, by_day: tuple[list[int], list[Counter[str]]], by: str
) -> str | None:
    """Counts entries of collections that the caller sees some of; from when on, where not from the start."""
    edges, counts = by_day
    if reader.sees_everything:
        return None
    asked, looked = Question(view, HistoryRequest(equal=request.equal)), 0
    history = view.history
    for above, entries in history.candidates(view.reading, asked.candidates, below=edges[-1] + 1):
        for one in entries:
            sequence = one.sequence or 0
            if sequence <= edges[0]:
                return None
            if not reader.sees_all(one.collection) and reader.sees(one) and asked.meets(one, reader):
                # An edge is the last entry before a day.
                day = bisect_left(edges, sequence) - 1
                counts[day][one.collection if by == "collection" else one.actor] += 1
        looked += BLOCK
        if above <= edges[0]:
            return None
        if looked >= _MOST_JUDGED:
            return entries[-1].time if entries else None
    return None
