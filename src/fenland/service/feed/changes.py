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
    DEFINITIONS,
    DEFINITIONS_ID,
    PROPOSALS,
    Entry,
    account_id,
)
from fenland.core.history.leaves import leaf_value
from fenland.core.history.terms import term, value_term
from fenland.core.limits import weight
from fenland.core.problems import Archived
from fenland.core.values.plain import same
from fenland.service.feed.groups import Group, group_of
from fenland.service.feed.membership import Leads, Membership
from fenland.service.feed.states import MOST_BACK, States, TooMuch
from fenland.service.history.past import Subject, names_of, newest_first, subject_of, today
from fenland.service.history.searching import Reader
from fenland.service.passes.reviewing import may_review, reviewable
from fenland.service.service import Resource, Service
from fenland.service.work import View, snapshot
from fenland.storage.door import Candidates, Proposal

#: Entries that one page looks through, and how many are read at a time; those that are searched for records
#: which referred to another then.
_MOST_LOOKED, _AT_A_TIME, _MOST_SEARCHED = 5_000, 200, 20_000
#: Characters of an event beside its data.
_LEAST = 400
#: What of an account decides what it sees.
_RIGHTS = frozenset({"roles", "attributes", "disabled"})

Did = Literal["created", "updated", "deleted", "arrived", "left", "reset", "proposed", "reviewed"]
Data = Literal["none", "changes", "record"]
#: The fields of a record that somebody may not see; None where they may not see it at all.
Seen = frozenset[str] | None


class Place(NamedTuple):
    """How far a follower has come: behind an entry; with `record_id`, also behind this one of the records
    that the next entry took into or out of what they see, which come in the order of their ids."""

    sequence: int
    record_id: str = ""

    def __str__(self) -> str:
        return f"{self.sequence}.{self.record_id}" if self.record_id else str(self.sequence)


class Following(NamedTuple):
    """What is followed: the changes behind a place, of these collections, of which none is all.

    `where` is a condition over records of the one, as lists take it: what is followed is that list.
    """

    after: Place
    collections: tuple[str, ...]
    where: str
    limit: int
    data: Data
    #: Entries that one page looks through at most, where that is less than usual.
    most: int = 0


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
    #: Of what came in through a pass, or was decided about it, what that is by now; the key is its number.
    proposal: Proposal | None = None

    @property
    def weight(self) -> int:
        """About how many characters of an answer it makes."""
        pairs = (self.changes or {}).values()
        return _LEAST + weight(self.record) + sum(weight(one) for pair in pairs for one in pair)


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


def changes_after(service: Service, caller: Caller, request: Following, upto: int | None = None) -> Changes:
    """The next events of a follower.

    With `upto`, none behind that entry, and whoever asks sees to it that their rights are as they were.
    Raises `Malformed`, `NotFound`, `NotPermitted`, and `Archived` where the next entries are in an archive.
    """
    with snapshot(service, caller) as view:
        follower = _Follower(view, caller, request, upto)
        if request.after.sequence < view.history.first(view.reading) - 1:
            last = view.history.last(view.reading).sequence
            raise Archived(
                f"The entries behind {request.after.sequence} were moved to an archive. Read the list again, "
                f"and follow from after={last}.",
                after=str(last),
            )
        return follower.page()


def followed(service: Service, caller: Caller, request: Following) -> Group:
    """With whom a follower is told the same, and what concerns them. Raises what `changes_after` raises."""
    with snapshot(service, caller) as view:
        follower = _Follower(view, caller, request)
        return group_of(follower.members, caller, request.where, reviews=may_review(view, caller))


class _Follower:
    """One caller, who follows."""

    def __init__(self, view: View, caller: Caller, request: Following, upto: int | None = None) -> None:
        self._view, self._caller, self._request = view, caller, request
        self._reader, self._states = Reader(view, caller), States(view, request.after.sequence)
        service = view.service
        chosen = [*map(service.resource, request.collections)] or [*service.resources.values()]
        self.members = {
            one.collection.name: Membership(view, caller, one, request.where)
            for one in chosen
            if one.policy.ever("read", view.sight(caller))
        }
        self._followed, self._reviews = {one.collection.name for one in chosen}, may_review(view, caller)
        #: By a field of a collection, in which others' membership may change with it.
        self._led: dict[tuple[str, str], list[tuple[Membership, Leads]]] = {}
        for member in self.members.values():
            for leads in member.leads:
                self._led.setdefault((leads.collection, leads.field), []).append((member, leads))
        self._searched, self._upto = 0, upto
        self._newest = view.history.last(view.reading).sequence
        self._last = self._newest if upto is None else upto
        self._today = {name: one for one in service.resources.values() for name in names_of(view, one)}

    def page(self) -> Changes:
        """The events behind the place, and the place to go on from."""
        request, view = self._request, self._view
        reset = self._reset() if self._upto is None else None
        if self._upto is None and request.after.sequence > self._last:
            # It is of a history that is not this one, such as before a backup was put back.
            reset = view.history.entry(view.reading, self._last)
        if reset is not None:
            # What was told before it is of no use; what comes behind is judged by the same rights.
            place = Place(reset.sequence or 0)
            return Changes(place, [Event(place, "reset", reset)], more=True)
        found, after, looked = list[Event](), request.after, 0
        room = view.limits.answer
        while looked < (request.most or _MOST_LOOKED):
            entries = view.history.following(view.reading, after.sequence, _AT_A_TIME, self._last + 1)
            for entry in entries:
                try:
                    for event in self._events(entry, after):
                        found.append(event)
                        after, room = event.place, room - event.weight
                        if len(found) == request.limit or room < 0:
                            return Changes(after, found, more=True)
                except TooMuch:
                    if after > request.after:
                        # What was found out is told first.
                        return Changes(after, found, more=True)
                    after = Place(self._last)
                    return Changes(after, [Event(after, "reset", entry)], more=True)
                after = Place(entry.sequence or 0)
            # There may be fewer since they are large.
            if not entries or after.sequence >= self._last:
                return Changes(after, found)
            looked += len(entries)
            view.breathe()
        return Changes(after, found, more=True)

    def _reset(self) -> Entry | None:
        """The last entry behind the place that changed what the caller may see at all."""
        ids = [DEFINITIONS_ID, account_id(self._caller.actor.name)]
        if self._caller.acting is not None:
            ids.append(account_id(self._caller.acting.name))
        found = [one for one in map(self._resetting, ids) if one is not None]
        return max(found, key=lambda one: one.sequence or 0, default=None)

    def _resetting(self, record_id: str) -> Entry | None:
        for place, entry in enumerate(newest_first(self._view, record_id)):
            if (entry.sequence or 0) <= self._request.after.sequence:
                break
            # An account that signed in ever so often is not looked through to the end for each page.
            if entry.collection == DEFINITIONS or not _RIGHTS.isdisjoint(entry.changes) or place > MOST_BACK:
                return entry
        return None

    # --- one entry ---------------------------------------------------------------------------------------

    def _events(self, entry: Entry, after: Place) -> Iterator[Event]:
        """What an entry is to the follower, behind a place: records of others that it took in or out first,
        by their ids. Raises `TooMuch`.
        """
        if entry.collection == PROPOSALS:
            yield from self._proposed(entry)
            return
        resource = self._today.get(entry.collection)
        if resource is None:
            # Of accounts or definitions, or of a collection that is no more.
            return
        for record_id, member in sorted(self._referring(resource, entry).items()):
            if Place((entry.sequence or 0) - 1, record_id) > after:
                yield from self._moved(member, entry, record_id)
        own = self.members.get(resource.collection.name)
        if own is not None:
            yield from self._own(own, entry)

    def _proposed(self, entry: Entry) -> Iterator[Event]:
        """What came in through a pass, or was decided about it, where the follower may review it."""
        if self._request.where or entry.action == "delete" or not self._reviews:
            return
        found = reviewable(self._view, self._caller, entry.key)
        if found is None or found.own.collection.name not in self._followed:
            return
        did: Did = "proposed" if entry.action == "create" else "reviewed"
        place, name = Place(entry.sequence or 0), found.own.collection.name
        yield Event(
            place, did, entry, name, entry.record_id, entry.key, entry.version, proposal=found.proposal
        )

    def _sides(self, member: Membership, entry: Entry) -> tuple[Seen, Seen, bool]:
        """How the follower saw the record of an entry before and behind it; whether it is there behind."""
        sequence, states, resource = entry.sequence or 0, self._states, member.resource
        if member.plain and entry.action != "erase":
            # Nothing has to be known of the record but whether it was there.
            new, there = entry.action in ("create", "restore"), entry.action != "delete"
            return None if new else member.hidden, member.hidden if there else None, there
        before = states.by_id(resource, entry.record_id, sequence - 1)
        after = states.by_id(resource, entry.record_id, sequence)
        had, has = member.seen(states, before, sequence - 1), member.seen(states, after, sequence)
        return had, has, after is not None

    def _own(self, member: Membership, entry: Entry) -> Iterator[Event]:
        """The event of the record that an entry is of, if it is one to the follower."""
        had, has, there = self._sides(member, entry)
        if had is None and has is None:
            return
        place, name = Place(entry.sequence or 0), member.resource.collection.name
        event = Event(place, "left", entry, name, entry.record_id, entry.key)
        subject = None
        if has is not None or not there:
            subject = subject_of(self._view, self._caller, member.resource, entry.record_id)
        if subject is not None:
            new = entry.action in ("create", "restore")
            did: Did = (
                "created" if new else "deleted" if has is None else "updated" if had == has else "arrived"
            )
            yield self._with_data(replace(event, did=did, version=entry.version, own=True), subject)
        elif has is None:
            yield event
        # Otherwise it is not theirs any more, and an entry further on says so.

    def _moved(self, member: Membership, entry: Entry, record_id: str) -> Iterator[Event]:
        """The event of a record that an entry of another took in or out, or shows otherwise."""
        sequence, states, resource = entry.sequence or 0, self._states, member.resource
        record = states.by_id(resource, record_id, sequence)
        if record is None or record_id == entry.record_id:
            return
        had, has = member.seen(states, record, sequence - 1), member.seen(states, record, sequence)
        place, key = Place(sequence - 1, record_id), record[resource.collection.key]
        event = Event(place, "left", entry, resource.collection.name, record_id, key)
        if had != has and has is None:
            yield event
        elif had != has:
            subject = subject_of(self._view, self._caller, resource, record_id)
            if subject is not None:
                yield self._with_data(replace(event, did="arrived", version=record["version"]), subject)

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
        """The records, by their ids, whose membership may have changed with what an entry changed.

        Raises `TooMuch` for more than may follow from a change.
        """
        found: dict[str, Membership] = {}
        if not self._led:
            return found
        for name in today(self._view, resource, entry).changes:
            for member, leads in self._led.get((resource.collection.name, name), ()):
                found |= dict.fromkeys(self._along(member.resource, leads, entry), member)
        return found

    def _along(self, resource: Resource, leads: Leads, entry: Entry) -> set[str]:
        """The ids of the records that the references lead from to the record of an entry, now or then."""
        service, records, most = (
            self._view.service,
            {entry.record_id: entry.key},
            self._view.limits.consequences,
        )
        holders = [resource, *(service.resources[str(one.references)] for one in leads.way[:-1])]
        for holder, step in zip(reversed(holders), reversed(leads.way), strict=True):
            found: dict[str, Any] = {}
            for key in records.values():
                if len(found) + self._view.count_referring(holder, step.name, key) > most:
                    raise TooMuch
                for one in self._view.all_referring(holder, step.name, key):
                    found[one["id"]] = one[holder.collection.key]
                found |= self._moved_away(holder, step.name, key, entry.sequence or 0)
            records = found
        return set(records)

    def _moved_away(self, holder: Resource, name: str, key: Any, above: int) -> dict[str, Any]:
        """The keys, by id, of records that referred by this field to a key, and were changed since."""
        found: dict[str, Any] = {}
        # Also behind what is told now: who refers to it is asked of the records as they are.
        view, below = self._view, self._newest + 1
        if above + 1 >= below:
            return found
        lineage = view.service.lineage(holder)
        # Entries from before a field was called so have other terms.
        renamed = lineage is not None and lineage.older_names(name)
        terms = () if renamed else (term("field", name), value_term(name, leaf_value(key)))
        wanted = Candidates(terms, {"collection": names_of(view, holder)}, above)
        for _, entries in view.history.candidates(view.reading, wanted, below=below):
            for one in entries:
                pair = today(view, holder, one).changes.get(name)
                if pair is not None and same(pair[0], key):
                    found[one.record_id] = one.key
            self._searched += len(entries)
            if self._searched > _MOST_SEARCHED:
                raise TooMuch
            view.breathe()
        return found
