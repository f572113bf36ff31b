"""What entries tell besides records: accounts, subscriptions, passes, what came in through them, definitions,
and which secret values were erased.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Literal

from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.evolving.comparing import Comparison
from fenland.core.evolving.replaying import Replay
from fenland.core.history.auditing import Fault
from fenland.core.history.entries import (
    ACCOUNTS,
    DEFINITIONS,
    PASSES,
    PROPOSALS,
    SUBSCRIPTIONS,
    Entry,
    Seal,
)
from fenland.core.history.leaves import commitment
from fenland.core.values.plain import same
from fenland.service.proof.reports import Report
from fenland.storage.door import Account, Defined, Pass, Proposal, Subscription

#: A field of a record, by the names of its time.
_Place = tuple[str, str, str]


class Told:
    """Takes in entries one by one, in their order, and holds what they tell against what is there."""

    def __init__(self, defined: Sequence[Defined], report: Report, *, partial: bool) -> None:
        """With `partial`, entries are missing at the beginning."""
        self._defined = {one.number: one for one in defined}
        self._report, self._partial = report, partial
        #: What accounts and the like are by their entries, by what they are called; None: removed.
        self._entered: dict[str, dict[Any, dict[str, Any] | None]] = {
            one: {} for one in (ACCOUNTS, SUBSCRIPTIONS, PASSES, PROPOSALS)
        }
        self._numbers: set[int] = set()
        #: By field, the last entry with a value that is gone, and the last that says it was erased.
        self._gone: dict[_Place, Entry] = {}
        self._erased: dict[_Place, int] = {}
        #: By record of a collection that was removed, the last entry that says all of it was erased.
        self._removed: dict[str, int] = {}
        #: Fields that are, or were at some time, never shown: no value of them is kept anywhere.
        self._unkept = {name for one in defined for name in self._unkept_of(one)}

    def _unkept_of(self, one: Defined) -> set[str]:
        try:
            return {name for item in one.read().collections.values() for name in item.unkept}
        except (DefinitionMistakes, ValueError, KeyError, TypeError, AttributeError):
            self._tell("definitions", f"Definitions {one.number} are kept in a form that cannot be read.")
            return set()

    def take(self, entry: Entry, replay: Replay | None) -> None:
        """Takes in an entry; `replay` has taken it in."""
        if entry.collection in self._entered:
            known = self._entered[entry.collection]
            values = {name: after for name, (_, after) in entry.changes.items()}
            known[entry.key] = None if entry.action == "delete" else (known.get(entry.key) or {}) | values
        elif entry.collection == DEFINITIONS:
            self._definitions(entry, replay)
        else:
            if entry.action == "erase" and replay and entry.collection not in replay.definitions.collections:
                self._removed[entry.record_id] = entry.sequence or 0
            self._secrets(entry)

    def _tell(self, kind: Any, words: str, entry: Entry | None = None) -> None:
        at = (None, None) if entry is None else (entry.sequence, entry.time)
        self._report.faults.append(Fault(kind, words, *at))

    # --- definitions ----------------------------------------------------------------------------

    def _definitions(self, entry: Entry, replay: Replay | None) -> None:
        number = entry.key
        self._numbers.add(number)
        if replay is None:
            return
        self._renamed(replay.comparison)
        kept = self._defined.get(number)
        if kept is None or not same(dict(kept.data), replay.data):
            words = f"Definitions {number} are not kept as entry {entry.sequence} has them."
            self._tell("definitions", words, entry)

    def _renamed(self, comparison: Comparison) -> None:
        """Has what is known of fields under the names that they have from now on."""
        names = {
            (one.old.name, move.source.name): (one.new.name, move.field.name)
            for one in comparison.kept
            for move in one.moves
            if move.source is not None
        }

        def today(place: _Place) -> _Place:
            collection, record_id, field = place
            newer = names.get((collection, field), (collection, field))
            return (newer[0], record_id, newer[1])

        self._gone = {today(place): entry for place, entry in self._gone.items()}
        self._erased = {today(place): sequence for place, sequence in self._erased.items()}

    # --- secret values ----------------------------------------------------------------------------

    def _secrets(self, entry: Entry) -> None:
        for name in entry.changes:
            place = (entry.collection, entry.record_id, name)
            if entry.action == "erase":
                self._erased[place] = entry.sequence or 0
            for seal, value in zip(entry.seals.get(name, ()), entry.changes[name], strict=False):
                if seal is not None:
                    self._seal(entry, name, seal, value)

    def _seal(self, entry: Entry, name: str, seal: Seal, value: Any) -> None:
        if seal.salt is None:
            self._gone[entry.collection, entry.record_id, name] = entry
        elif not seal.kept:
            if name not in self._unkept:
                words = f"The value of {name} in entry {entry.sequence} was taken out, and no entry says so."
                self._tell("salt", words, entry)
        elif commitment(seal.salt, value) != seal.hash:
            words = f"The value of {name} in entry {entry.sequence}, or its salt, is not what was entered."
            self._tell("salt", words, entry)

    # --- at the end ---------------------------------------------------------------------------------

    def end(
        self,
        accounts: Iterable[Account],
        subscriptions: Iterable[Subscription],
        handed_out: Iterable[Pass | Proposal],
        stray: Iterable[tuple[int, str, str]],
    ) -> None:
        """Once all entries were taken in."""
        for place, entry in self._gone.items():
            # What an erasure puts in the place of a value is behind it.
            erased = max(self._erased.get(place, 0), self._removed.get(place[1], 0))
            if erased <= (entry.sequence or 0):
                words = f"The value of {place[2]} in entry {entry.sequence} is gone, and no entry says so."
                self._tell("salt", words, entry)
        for sequence, time, name in stray:
            words = f"A value of {name} stands beside entry {sequence}, which has none sealed."
            self._report.faults.append(Fault("salt", words, sequence, time))
        if self._partial:
            return
        for number in sorted(self._defined.keys() - self._numbers):
            self._tell("definitions", f"Definitions {number} are kept, and no entry says so.")
        self._compare("account", {one.name: one.parts for one in accounts}, self._entered[ACCOUNTS])
        there = {one.name: one.parts for one in subscriptions}
        self._compare("subscription", there, self._entered[SUBSCRIPTIONS])
        passes, proposals = dict[int, Mapping[str, Any]](), dict[int, Mapping[str, Any]]()
        for one in handed_out:
            (passes if isinstance(one, Pass) else proposals)[one.number] = one.parts
        self._compare("pass", passes, self._entered[PASSES])
        self._compare("proposal", proposals, self._entered[PROPOSALS])

    def _compare(
        self,
        what: Literal["account", "subscription", "pass", "proposal"],
        there: Mapping[Any, Mapping[str, Any]],
        known: Mapping[Any, Mapping[str, Any] | None],
    ) -> None:
        """Holds what is there, by name, against what its entries say."""
        for name in sorted(there.keys() | known.keys()):
            stored, entered = there.get(name), known.get(name)
            # Of who was refused at signing in there are entries, and no account.
            if entered is None or (what == "account" and "roles" not in entered):
                if stored is not None:
                    self._tell(what, f"The {what} {name!r} is there, and no entry says so.")
            elif stored is None:
                self._tell(what, f"The {what} {name!r} is gone, and no entry says so.")
            elif differing := [one for one, value in stored.items() if not same(value, entered.get(one))]:
                words = f"The {what} {name!r} is not as its entries have it, in {', '.join(differing)}."
                self._tell(what, words)
