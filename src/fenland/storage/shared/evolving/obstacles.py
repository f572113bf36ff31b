"""Obstacles: the records that stand in the way of newer definitions, found before anything is moved."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.definitions.model import Collection, Field, place_of
from fenland.core.definitions.validation import REFUSED, Check, compile_nullable
from fenland.core.evolving.comparing import Comparison, Succession
from fenland.core.evolving.moving import FieldMover, Mover
from fenland.core.problems import Problem
from fenland.core.values.plain import as_written, frozen
from fenland.storage.shared.protocols import Reading
from fenland.storage.shared.records.records import TableRecords
from fenland.storage.shared.values import Obstacle, Page

#: How many of the records are named.
_NAMED = 5
#: After how many records it is told how far the looking is.
_TOLD_EACH = 1_000


@dataclass(slots=True)
class _Found:
    """What is found of one kind at one place."""

    words: str
    blocks: bool
    count: int = 0
    first: list[tuple[Any, str]] = field(default_factory=list)

    def add(self, key: Any, shown: str) -> None:
        self.count += 1
        if len(self.first) < _NAMED:
            self.first.append((key, shown))


@dataclass(slots=True)
class _Watched:
    """One field that may stand in the way, and what is asked of its values."""

    place: str
    mover: FieldMover
    filled: bool
    check: Check | None
    #: Keys that there will be, for a reference that is new.
    keys: set[Any] | None
    #: Values so far, for a field whose values may not be shared any more.
    seen: set[Any] | None

    def judge(self, older: Record, key: Any, found: Callable[[str, str, bool], _Found]) -> None:
        """Notes what is wrong with the field's value in a record."""
        value, source = self.mover.value(older), self.mover.source
        was = None if source is None else older[source]
        if value is REFUSED:
            words = "cannot be kept as it would have to be"
            found(self.place, words, True).add(key, "" if was is None else as_written(was))
        elif value is None:
            if self.filled:
                found(self.place, "must be given, and is not; give it default: or fill:", True).add(key, "")
        else:
            self._judge_value(value, key, found)

    def _judge_value(self, value: Any, key: Any, found: Callable[[str, str, bool], _Found]) -> None:
        if self.seen is not None:
            same = frozen(value)
            if same in self.seen:
                found(self.place, "holds what another record holds", True).add(key, as_written(value))
            self.seen.add(same)
        if self.keys is not None and value not in self.keys:
            found(self.place, "refers to a record that is not there", True).add(key, as_written(value))
        if self.check is not None:
            problems: list[Problem] = []
            self.check(value, "", problems)
            if problems:
                words = "breaks its newer limits, and can be kept as it is"
                found(self.place, words, False).add(key, f"{as_written(value)}: {problems[0].detail}")


class Obstacles:
    """Looks through the records of the older definitions."""

    def __init__(
        self,
        reading: Reading,
        old: Mapping[str, TableRecords],
        comparison: Comparison,
    ) -> None:
        self._reading = reading
        self._old = old
        self._comparison = comparison

    def count(self) -> int:
        """How many records are to be looked through."""
        watched = (one.old.name for one in self._comparison.kept if self._watched(one))
        return sum(self._old[name].count(self._reading, Page()) for name in watched)

    def lost(self, place: str) -> int:
        """How many records hold what would be lost."""
        if any(one.name == place for one in self._comparison.gone):
            return self._old[place].count(self._reading, Page())
        for one in self._comparison.kept:
            for item in one.lost:
                if place_of(one.new, item) == place:
                    return sum(record[item.name] is not None for record in self._records(one.old))
        return 0

    def all(self, looked: Callable[[int], None] = lambda _number: None) -> list[Obstacle]:
        """Everything that stands in the way; `looked` is told how many more records were looked at."""
        found: dict[tuple[str, str], _Found] = {}

        def note(place: str, words: str, blocks: bool) -> _Found:
            return found.setdefault((place, words), _Found(words, blocks))

        for one in self._comparison.kept:
            watched = self._watched(one)
            if not watched:
                continue
            for number, record in enumerate(self._records(one.old), 1):
                for each in watched:
                    each.judge(record, record[one.old.key], note)
                if not number % _TOLD_EACH:
                    looked(_TOLD_EACH)
        return [
            Obstacle(place, one.words, one.count, tuple(one.first), one.blocks)
            for (place, _), one in found.items()
        ]

    def _records(self, collection: Collection) -> Iterator[Record]:
        return self._old[collection.name].walk(self._reading)

    def _watched(self, one: Succession) -> list[_Watched]:
        """The fields that may stand in the way; none of a collection whose values all stay as they are."""
        found = []
        for name, mover in Mover(one).fields.items():
            item, source = mover.move.field, mover.move.source
            if mover.later:
                continue
            begins = source is None or (item.filled and not source.filled)
            shared = item.unique and (source is None or not source.unique or not mover.plain)
            target = one.new.fields[name].references
            refers = target is not None and source is not None and self._refers_otherwise(source, target)
            check = compile_nullable(item) if name in one.tightened else None
            if not mover.plain or (item.filled and begins) or shared or refers or check is not None:
                keys = self._keys(str(target)) if refers else None
                seen: set[Any] | None = set() if shared else None
                place = place_of(one.new, item)
                found.append(_Watched(place, mover, item.filled, check, keys, seen))
        return found

    def _refers_otherwise(self, source: Field, target: str) -> bool:
        was = self._comparison.before(target)
        return was is None or source.references != was.old.name

    def _keys(self, target: str) -> set[Any]:
        """The keys that a collection will have."""
        one = self._comparison.before(target)
        if one is None:
            return set()
        if one.new.key == "id":
            return {record["id"] for record in self._records(one.old)}
        mover = Mover(one).fields[one.new.key]
        return {mover.value(record) for record in self._records(one.old)}
