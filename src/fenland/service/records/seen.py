"""What the caller of a change has seen: the record as at their base, and as they made it since."""

from __future__ import annotations

from dataclasses import replace

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.history.entries import BEYOND_ALL, Entry
from fenland.core.limits import weight
from fenland.core.problems import Conflict, Malformed
from fenland.service.changes.finding import Base
from fenland.service.service import Resource
from fenland.service.work import View

#: How far back a base is followed: in changes, and in characters of what they changed.
_MOST_CHANGES, _MOST_CHARACTERS = 1_000, 4_000_000


def as_seen(view: View, caller: Caller, resource: Resource, stored: Record, base: Base | None) -> Record:
    """The record as its caller last knew it: as at `base`, with what the same client saved since.

    It is `stored` itself without a base, and when nothing was changed since. Raises `Malformed` for a
    version that is yet to come, and `Conflict` when the record was deleted and made again, or changed too
    often to look through.
    """
    if base is None:
        return stored
    version = stored["version"]
    if base.record_id is not None and base.record_id != stored["id"]:
        raise Conflict(
            "The record you saw was deleted, and another has its key now. Read it again.", version=version
        )
    if base.version == version:
        return stored
    if not 1 <= base.version < version:
        raise Malformed(f"base is {base.version}, and the record is at version {version}. Read it again.")
    entries = view.history.since(
        view.reading, stored["id"], base.version - 1, most=_MOST_CHANGES, characters=_MOST_CHARACTERS
    )
    if entries is None:
        # Many of them may be of no account.
        entries = _but_for_derived(view, stored["id"], base.version)
    if not entries or entries[0].version != base.version:
        raise Conflict(
            f"The record was changed too often since version {base.version}. Read it again.", version=version
        )
    lineage = view.service.lineage(resource)
    if lineage is not None:
        entries = [replace(one, changes=lineage.today(one.sequence or 0, one.changes)) for one in entries]
    seen: Record = {}
    for entry in entries[1:]:
        for name, (before, _) in entry.changes.items():
            seen.setdefault(name, before)
    seen = {**stored, **seen, **entries[0].kept()}
    for entry in entries[1:]:
        if (
            # Who takes an older change back has not seen what came of it, whoever made that.
            view.act.undoes is None
            and entry.on_behalf == caller.actor.name
            and entry.client is not None
            and entry.client == caller.client
        ):
            seen |= {name: after for name, (_, after) in entry.changes.items()}
            seen |= entry.kept()
    return seen


def _but_for_derived(view: View, record_id: str, version: int) -> list[Entry] | None:
    """The entry of a version and those since, oldest first, without those that merely derived.

    None where there are too many.
    """
    found, below, room = list[Entry](), BEYOND_ALL, _MOST_CHARACTERS
    while len(found) <= _MOST_CHANGES and room > 0:
        entries, _ = view.history.of_record(view.reading, record_id, below=below, limit=1)
        if not entries or entries[0].version < version:
            return None
        entry = entries[0]
        if entry.version == version:
            return [entry, *reversed(found)]
        if entry.settled is None:
            found.append(entry)
            room -= sum(weight(one) for pair in entry.changes.values() for one in pair)
            below = entry.version
        else:
            below = max(entry.settled, version) + 1
    return None
