"""What follows from a deletion, by what each field that refers to the record says.

`restrict` forbids it, `clear` empties the reference, `cascade` deletes the referring record too. All of it is
decided before anything is written; every record touched gets its own history entry, whose cause is the entry
of the change that was asked for.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.changes.change import Change, alteration, deletion
from fenland.core.definitions.model import Collection, Field
from fenland.core.limits import beyond
from fenland.core.problems import Conflict
from fenland.service.changes.intent import Intent
from fenland.service.changes.settling import judge, with_consequences
from fenland.service.service import Resource
from fenland.service.work import View

#: How many records that stand in the way are named.
_NAMED = 10
#: The place, in the list of changes, of the one that was asked for.
_ASKED_FOR = 0


def with_referring(view: View, caller: Caller, change: Change) -> list[Change]:
    """A deletion, and what it does to the records that refer to what it deletes.

    Raises `Conflict` where something forbids it, and `TooLarge` where too much would follow.
    """
    if not view.service.definitions.referring_to(change.collection):
        return [change]
    found = _Deleting(view, caller, change)
    found.follow()
    found.refuse_blocked()
    return found.changes()


@dataclass(slots=True)
class _Touched:
    """A record that the deletion touches; for one that stays, the references to be emptied."""

    resource: Resource
    record: Record
    cleared: dict[str, Any] = field(default_factory=dict)


class _Deleting:
    """What a deletion will touch: records to delete, references to clear, and what forbids it."""

    def __init__(self, view: View, caller: Caller, deletion: Change) -> None:
        resource, record = view.resource(deletion.collection), deletion.result
        self._asked = deletion
        self._view, self._caller = view, caller
        self._room = view.limits.cascade
        first = _Touched(resource, record)
        self._deleted = {record["id"]: first}
        self._ahead = [first]
        self._cleared: dict[str, _Touched] = {}
        self._blocking: dict[str, _Touched] = {}

    def follow(self) -> None:
        """Finds everything that refers to the record, and to what goes with it. Raises `TooLarge`."""
        definitions = self._view.service.definitions
        while self._ahead:
            gone = self._ahead.pop()
            for collection, item in definitions.referring_to(gone.resource.collection.name):
                self._refer(gone, collection, item)

    def _refer(self, gone: _Touched, collection: Collection, item: Field) -> None:
        """Takes in what refers to a record that goes, by one field of one collection."""
        referring, view = self._view.resource(collection.name), self._view
        key, most = gone.record[gone.resource.collection.key], view.limits.cascade
        if item.on_delete != "restrict":
            self._room -= view.count_referring(referring, item.name, key)
            if self._room < 0:
                raise beyond("cascade_limit", most, f"The deletion would touch {most - self._room} records.")
        # Of those that forbid, more than could be deleted along with it need not be known.
        for other in view.referring(referring, item.name, key, most + _NAMED):
            touched = _Touched(referring, other)
            if other["id"] in self._deleted:
                continue
            if item.on_delete == "cascade":
                self._deleted[other["id"]] = touched
                self._ahead.append(touched)
            elif item.on_delete == "clear":
                self._cleared.setdefault(other["id"], touched).cleared[item.name] = None
            else:
                self._blocking[other["id"]] = touched

    def refuse_blocked(self) -> None:
        """Raises `Conflict` when something forbids the deletion."""
        # What is itself deleted does not forbid it, in whichever order it was met.
        blocking = [one for record_id, one in self._blocking.items() if record_id not in self._deleted]
        if not blocking:
            return
        # Only those the caller may see are counted and named: a count of the others would tell of them.
        sight = self._view.sight(self._caller)
        seen = [one for one in blocking if one.resource.policy.may("read", sight, one.record)]
        named = [
            {"collection": one.resource.collection.name, "key": one.record[one.resource.collection.key]}
            for one in seen[:_NAMED]
        ]
        who = "records that you may not see refer"
        if seen:
            who = "1 record refers" if len(seen) == 1 else f"{len(seen)} records refer"
        raise Conflict(
            f"{who[0].upper()}{who[1:]} to this one. Change or delete what refers to it first.",
            count=len(seen),
            referring=named,
        )

    def _with_consequences(self, one: _Touched) -> dict[str, Any]:
        """The emptied references, and what is derived from them. Raises `Conflict` where that cannot be."""
        cleared = Intent(one.resource, one.record, one.record, one.cleared, {}, None, "update")
        intent, wrong = with_consequences(self._view, self._caller, cleared, [])
        if intent.values != one.cleared:
            # Of what else changes as much is asked as of any change.
            judge(self._view, self._caller, intent, wrong)
        if wrong:
            raise Conflict(
                "Records that refer to this one could not be kept without it: what follows from that would "
                "not be allowed. Change what refers to it first."
            )
        return dict(intent.values)

    def changes(self) -> list[Change]:
        """All of it as changes; the first is the deletion asked for, and the others follow from it.

        The reason is that of the deletion: what is cleared by it has its own entry, which names the cause.
        """
        stamp = self._asked.stamp
        clearing, others = replace(stamp, reason=None), list(self._deleted.values())[1:]
        found = [self._asked]
        found += [deletion(one.resource.collection, one.record, stamp, _ASKED_FOR) for one in others]
        found += [
            alteration(
                one.resource.collection, one.record, self._with_consequences(one), clearing, _ASKED_FOR
            )
            for record_id, one in self._cleared.items()
            # What is itself deleted needs no clearing.
            if record_id not in self._deleted
        ]
        return found
