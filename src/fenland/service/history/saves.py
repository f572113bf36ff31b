"""Saves: which ones are to be taken back, and in which order what followed from each goes back with it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

from fenland.core.access.policy import Caller
from fenland.core.history.entries import OWN, Action, Entry
from fenland.core.limits import beyond
from fenland.core.problems import Conflict, Malformed, NotFound
from fenland.service.history.searching import Reader
from fenland.service.records.once import Once
from fenland.service.work import View
from fenland.storage.door import Candidates

#: Entries that may have followed from one save, at most: then nothing is undone, and not a part.
_MOST_CONSEQUENCES = 100_000


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
    #: Whether what followed from it by rules goes back as well.
    consequences: bool = True
    reason: str | None = None
    once: Once | None = None


class _Entry(NamedTuple):
    """What of an entry says whether it goes back by itself."""

    sequence: int
    cause: int | None
    action: Action


#: A save: the sequences of its entry, which is the lowest, and of those that follow from it, in the order in
#: which they go back.
Save = tuple[int, ...]


def saves_of(view: View, caller: Caller, request: UndoRequest) -> list[Save]:
    """The saves to take back, newest first; each with what followed from it."""
    history = view.history
    reader = Reader(view, caller)
    if request.sequence is not None:
        found = history.entry(view.reading, request.sequence)
        if found is None or not reader.sees(found):
            raise NotFound(f"There is no entry {request.sequence} that you may see.")
        chosen = [_Entry(request.sequence, found.cause, found.action)]
    else:
        chosen = _chosen(view, request, reader)
    # What follows from another goes with it, and what is derived follows by itself.
    causes = {one.sequence: one.cause for one in chosen}
    return [
        # Where the next entry is at hand and follows from another, nothing follows from this one.
        (one,) if causes.get(one + 1, one) != one else _with_followed(view, one, request)
        for one, cause, action in chosen
        if cause not in causes and (action != "derive" or len(chosen) == 1)
    ]


def _chosen(view: View, request: UndoRequest, reader: Reader) -> list[_Entry]:
    """The entries that are meant, newest first."""
    history = view.history
    setting, most = ("many_limit", view.limits.many) if request.atomic else ("import_limit", view.limits.rows)
    above, below = 0, 2**62
    if request.since is not None:
        above = history.before(view.reading, request.since)
    if request.until is not None:
        below = history.at(view.reading, request.until) + 1
    if request.batch is not None:
        wanted = Candidates.having("batch", request.batch, above)
    elif request.actor is not None and request.since is not None:
        wanted = Candidates.having("actor", request.actor, above)
    else:
        raise Malformed("Say what is to be undone: a batch, or an actor and from.")
    found, saved = list[_Entry](), 0
    for marks in history.marks(view.reading, wanted, below=below):
        for one in marks:
            if one.collection not in OWN and request.actor in (None, one.actor) and reader.sees(one):
                found.append(_Entry(one.sequence, one.cause, one.action))
                saved += one.action != "derive"
        view.breathe()
        if saved > most:
            how = " Send atomic: false to undo them some at a time." if request.atomic else ""
            raise beyond(setting, most, f"There are more than {most} changes to undo.{how}")
    return found


def _with_followed(view: View, sequence: int, request: UndoRequest) -> Save:
    """An entry and those that follow from it, in the order in which they go back.

    What rules did because of it goes back before it, the last first: it may refer to the record. What else
    followed, as the records that a deletion took along, comes behind: it may be referred to again.
    """
    children: dict[int, list[Entry]] = {}
    for one in _followed(view, sequence):
        children.setdefault(one.cause or 0, []).append(one)

    def ordered(sequence: int) -> Iterator[int]:
        mine = children.get(sequence, [])
        ruled = [one for one in mine if one.rule is not None]
        for one in reversed(ruled) if request.consequences else ():
            # What is derived follows by itself; what came of it does not.
            leave = one.sequence if one.action == "derive" else None
            yield from (each for each in ordered(one.sequence or 0) if each != leave)
        yield sequence
        for one in mine:
            if one.rule is None:
                yield from ordered(one.sequence or 0)

    return tuple(ordered(sequence))


def _followed(view: View, sequence: int) -> Iterator[Entry]:
    """The entries that follow from one, and from those: they stand right behind it."""
    history, above, count, family = view.history, sequence, 1, {sequence}
    while True:
        page = history.following(view.reading, above, count)
        for one in page:
            if one.cause not in family:
                return
            family.add(one.sequence or 0)
            if len(family) > _MOST_CONSEQUENCES:
                raise Conflict(f"More than {_MOST_CONSEQUENCES} changes followed from entry {sequence}.")
            yield one
        if len(page) < count:
            return
        above, count = page[-1].sequence or 0, min(count * 8, 200)
