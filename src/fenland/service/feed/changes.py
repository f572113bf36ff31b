"""Changes: what one follower is told of the entries behind a place of the history, in the order of commits.

Rights are judged as they are now, records as they stood before and behind each entry: one that came to be the
follower's arrives, whole, and one that is not theirs any more leaves, by id and key alone, also where it was
a record that it refers to that changed. What is told of a record's values is what may be seen of it now.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal, NamedTuple

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.history.entries import (
    ACCOUNTS,
    BEYOND_ALL,
    DEFINITIONS,
    DEFINITIONS_ID,
    Entry,
    account_id,
)
from fenland.core.history.leaves import leaf_value
from fenland.core.history.terms import term, value_term
from fenland.core.problems import Archived
from fenland.core.values.plain import same
from fenland.service.feed.membership import Leads, Membership
from fenland.service.feed.states import States
from fenland.service.history.past import Subject, names_of, subject_of, today
from fenland.service.history.searching import Reader
from fenland.service.service import Resource, Service
from fenland.service.work import View, snapshot
from fenland.storage.door import Candidates

#: Entries that one page looks through, and how many are read at a time.
_MOST_LOOKED, _AT_A_TIME = 5_000, 200
#: What of an account decides what it sees.
_RIGHTS = frozenset({"roles", "attributes", "disabled"})

Did = Literal["created", "updated", "deleted", "arrived", "left", "reset"]
Data = Literal["none", "changes", "record"]


class Place(NamedTuple):
    """How far a follower has come: behind an entry; with `record_id`, also behind this one of the records
    that the next entry took into or out of what they see, which come in the order of their ids."""

    sequence: int
    record_id: str = ""

    def __str__(self) -> str:
        return f"{self.sequence}.{self.record_id}" if self.record_id else str(self.sequence)


class Following(NamedTuple):
    """What is followed: the changes behind a place, of one collection or of all.

    `where` is a condition over records of the collection, as lists take it: what is followed is that list.
    """

    after: Place
    collection: str | None = None
    where: str = ""
    limit: int = 100
    data: Data = "none"


@dataclass(frozen=True, slots=True)
class Event:
    """One change, as the follower is told of it. `entry` is the one that it comes of."""

    place: Place
    did: Did
    entry: Entry
    #: Of a record: its collection by the name of today, id and key; and the version that it has behind it.
    collection: str = ""
    record_id: str = ""
    key: Any = None
    version: int | None = None
    changes: Mapping[str, tuple[Any, Any]] | None = None
    record: Record | None = None
    #: Whether it is of the record that the entry is of, and may be told who changed it.
    own: bool = False


@dataclass(frozen=True, slots=True)
class Changes:
    """Events in order, and how far the follower has come with them; there may be more behind."""

    after: Place
    events: list[Event] = field(default_factory=list)
    more: bool = False


def end_of(service: Service) -> Place:
    """Where the history ends now: who follows from here is told of all that comes."""
    with service.database.reading() as reading:
        return Place(service.database.history.last(reading).sequence)


def changes_after(service: Service, caller: Caller, request: Following) -> Changes:
    """The next events of a follower.

    Raises `Malformed`, `NotFound`, `NotPermitted`, and `Archived` where the next entries are in an archive.
    """
    with snapshot(service, caller) as view:
        follower = _Follower(view, caller, request)
        first = view.history.first(view.reading)
        last = view.history.last(view.reading).sequence
        if request.after.sequence < first - 1 and last:
            raise Archived(
                f"The entries behind {request.after.sequence} were moved to an archive. Read the list again, "
                f"and follow from after={last}.",
                after=str(last),
            )
        return follower.page()


class _Follower:
    """One caller, who follows."""

    def __init__(self, view: View, caller: Caller, request: Following) -> None:
        self._view, self._caller, self._request = view, caller, request
        self._reader, self._states = Reader(view, caller), States(view, request.after.sequence)
        service = view.service
        chosen = (
            service.resources.values()
            if request.collection is None
            else [service.resource(request.collection)]
        )
        self._members = {
            one.collection.name: Membership(view, caller, one, request.where)
            for one in chosen
            if one.policy.ever("read", view.sight(caller))
        }
        #: By a field of a collection, in which others' membership may change with it.
        self._led: dict[tuple[str, str], list[tuple[Membership, Leads]]] = {}
        for member in self._members.values():
            for leads in member.leads:
                self._led.setdefault((leads.collection, leads.field), []).append((member, leads))
        self._last = view.history.last(view.reading).sequence
        self._today = {name: one for one in service.resources.values() for name in names_of(view, one)}

    def page(self) -> Changes:
        """The events behind the place, and the place to go on from."""
        request, view = self._request, self._view
        reset = self._reset()
        if reset is not None:
            # What was told before it is of no use; what comes behind is judged by the same rights.
            place = Place(reset.sequence or 0)
            return Changes(place, [Event(place, "reset", reset)], more=True)
        found, after, looked = list[Event](), request.after, 0
        above = after.sequence
        while looked < _MOST_LOOKED:
            entries = view.history.following(view.reading, above, _AT_A_TIME)
            for entry in entries:
                for event in self._events(entry):
                    if event.place > request.after:
                        found.append(event)
                        after = event.place
                        if len(found) == request.limit:
                            return Changes(after, found, more=True)
                above = entry.sequence or 0
                after = Place(above)
            looked += _AT_A_TIME
            view.breathe()
            if len(entries) < _AT_A_TIME:
                # There may be fewer since they are large.
                if above >= self._last:
                    return Changes(max(after, request.after), found)
                if not entries:
                    break
        return Changes(max(after, request.after), found, more=True)

    def _reset(self) -> Entry | None:
        """The last entry behind the place that changed what the caller may see at all."""
        ids = [DEFINITIONS_ID, account_id(self._caller.actor.name)]
        if self._caller.acting is not None:
            ids.append(account_id(self._caller.acting.name))
        found = [one for record_id in ids for one in self._resetting(record_id)]
        return max(found, key=lambda one: one.sequence or 0, default=None)

    def _resetting(self, record_id: str) -> Iterator[Entry]:
        history, below, more = self._view.history, BEYOND_ALL, True
        while more:
            entries, more = history.of_record(self._view.reading, record_id, below=below, limit=8)
            for entry in entries:
                if (entry.sequence or 0) <= self._request.after.sequence:
                    return
                if entry.collection == DEFINITIONS or not _RIGHTS.isdisjoint(entry.changes):
                    yield entry
                    return
            below = entries[-1].version if entries else 0

    # --- one entry ---------------------------------------------------------------------------------------

    def _events(self, entry: Entry) -> Iterator[Event]:
        """What an entry is to the follower: records of others that it took in or out first, by their ids."""
        if entry.collection in (ACCOUNTS, DEFINITIONS):
            return
        resource = self._today.get(entry.collection)
        if resource is None:
            return
        others = self._referring(resource, entry)
        if len(others) > self._view.limits.consequences:
            # To read the list again is less than to be told of each.
            yield Event(Place(entry.sequence or 0), "reset", entry)
            return
        for record_id, member in sorted(others.items()):
            event = self._moved(member, entry, record_id)
            if event is not None:
                yield event
        own = self._members.get(resource.collection.name)
        if own is not None:
            event = self._own(own, entry)
            if event is not None:
                yield event

    def _own(self, member: Membership, entry: Entry) -> Event | None:
        """The event of the record that an entry is of."""
        sequence, states, resource = entry.sequence or 0, self._states, member.resource
        before = states.by_id(resource, entry.record_id, sequence - 1)
        after = states.by_id(resource, entry.record_id, sequence)
        had, has = member.seen(states, before, sequence - 1), member.seen(states, after, sequence)
        place, name = Place(sequence), resource.collection.name
        if had is None and has is None:
            return None
        key = (after or before or {})[resource.collection.key]
        if has is None and after is not None:
            return Event(place, "left", entry, name, entry.record_id, key)
        subject = subject_of(self._view, self._caller, resource, entry.record_id)
        if subject is None:
            # Not theirs any more: an entry further on says so, but of one that is gone there may be none.
            return Event(place, "left", entry, name, entry.record_id, key) if has is None else None
        did: Did = "deleted" if after is None else "updated" if had == has else "arrived"
        did = "created" if before is None else did
        event = Event(place, did, entry, name, entry.record_id, key, entry.version, own=True)
        return self._with_data(event, subject)

    def _moved(self, member: Membership, entry: Entry, record_id: str) -> Event | None:
        """The event of a record that an entry of another took in or out, or shows otherwise."""
        sequence, states, resource = entry.sequence or 0, self._states, member.resource
        record = states.by_id(resource, record_id, sequence)
        if record is None or (resource.collection.name, record_id) == (entry.collection, entry.record_id):
            return None
        had, has = member.seen(states, record, sequence - 1), member.seen(states, record, sequence)
        if had == has:
            return None
        place, key = Place(sequence - 1, record_id), record[resource.collection.key]
        if has is None:
            return Event(place, "left", entry, resource.collection.name, record_id, key)
        subject = subject_of(self._view, self._caller, resource, record_id)
        if subject is None:
            return None
        name, version = resource.collection.name, record["version"]
        return self._with_data(Event(place, "arrived", entry, name, record_id, key, version), subject)

    def _with_data(self, event: Event, subject: Subject) -> Event:
        """The event with what is wanted beside it; one that arrives has all of the record."""
        if event.did == "deleted":
            return event
        if event.did == "arrived" or self._request.data == "record":
            return replace(event, record=subject.access.shown(subject.record)) if subject.there else event
        if self._request.data == "none":
            return event
        telling, entry = self._reader.telling(event.entry), event.entry
        changes = {
            telling.now.get(name, name): pair
            for name, pair in entry.changes.items()
            if name not in telling.hidden
        }
        return replace(event, changes=changes)

    # --- what refers to it ---------------------------------------------------------------------------------

    def _referring(self, resource: Resource, entry: Entry) -> dict[str, Membership]:
        """The records, by their ids, whose membership may have changed with what an entry changed."""
        found: dict[str, Membership] = {}
        if not self._led:
            return found
        for name in today(self._view, resource, entry).changes:
            for member, leads in self._led.get((resource.collection.name, name), ()):
                found |= dict.fromkeys(self._along(member.resource, leads, entry), member)
        return found

    def _along(self, resource: Resource, leads: Leads, entry: Entry) -> set[str]:
        """The ids of the records that the references lead from to the record of an entry, now or then."""
        service, records = self._view.service, {entry.record_id: entry.key}
        holders = [resource, *(service.resources[str(one.references)] for one in leads.way[:-1])]
        for holder, step in zip(reversed(holders), reversed(leads.way), strict=True):
            found: dict[str, Any] = {}
            for key in records.values():
                for one in self._view.all_referring(holder, step.name, key):
                    found[one["id"]] = one[holder.collection.key]
                found |= self._moved_away(holder, step.name, key, entry.sequence or 0)
            records = found
        return set(records)

    def _moved_away(self, holder: Resource, name: str, key: Any, above: int) -> dict[str, Any]:
        """The keys, by id, of records that referred by this field to a key, and were changed since."""
        found: dict[str, Any] = {}
        view, below = self._view, self._last + 1
        if above + 1 >= below:
            return found
        lineage = view.service.lineage(holder)
        terms = (term("field", name), value_term(name, leaf_value(key))) if lineage is None else ()
        wanted = Candidates(terms, {"collection": names_of(view, holder)}, above)
        for _, entries in view.history.candidates(view.reading, wanted, below=below):
            for one in entries:
                pair = today(view, holder, one).changes.get(name)
                if pair is not None and same(pair[0], key):
                    found[one.record_id] = one.key
            view.breathe()
        return found
