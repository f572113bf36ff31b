"""Lineage: what was said under older definitions, in the words of today.

An entry keeps the names and values of its time. Read with a lineage, a field that is called otherwise by now
is known under both names, a value is what it would have become, and what is no more is told as it was.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from fenland.core.access.field_access import FieldAccess
from fenland.core.definitions.model import Collection, Field
from fenland.core.definitions.validation import REFUSED
from fenland.core.evolving.comparing import Comparison, Succession
from fenland.core.evolving.moving import Mover
from fenland.core.history.telling import Telling

Changes = Mapping[str, tuple[Any, Any]]


@dataclass(frozen=True, slots=True)
class Passage:
    """The step from one set of definitions to the next: its number, and the last entry of the older ones."""

    number: int
    sequence: int
    comparison: Comparison


@dataclass(frozen=True, slots=True)
class Span:
    """The entries over one sequence and up to another, in which a field has this name."""

    name: str
    above: int
    upto: int

    def holds(self, sequence: int) -> bool:
        """Whether an entry is one of them."""
        return self.above < sequence <= self.upto


#: The place of today among steps, and the last of all sequences.
_END, _ALWAYS = -1, 2**62


def always(name: str) -> list[Span]:
    """The spans of a field of a collection that was never otherwise."""
    return [Span(name, 0, _ALWAYS)]


def _names(fields: Iterable[Field]) -> set[str]:
    return {item.name for item in fields}


@dataclass(frozen=True, slots=True)
class _Step:
    passage: Passage
    succession: Succession
    mover: Mover


class Lineage:
    """How one collection came to be what it is, oldest step first."""

    def __init__(self, collection: Collection, passages: Sequence[Passage]) -> None:
        self.collection = collection
        steps: list[_Step] = []
        name = collection.name
        for passage in reversed(passages):
            found = passage.comparison.before(name)
            if found is None:
                break
            steps.insert(0, _Step(passage, found, Mover(found)))
            name = found.old.name
        self._steps = [step for step in steps if step.succession.remade]

    def __bool__(self) -> bool:
        return bool(self._steps)

    @property
    def since(self) -> int:
        """The sequence of the last entry that is not in the words of today."""
        return self._steps[-1].passage.sequence if self._steps else 0

    @property
    def names(self) -> list[str]:
        """What the collection is and was called, newest first."""
        older = (step.succession.old.name for step in reversed(self._steps))
        return list(dict.fromkeys([self.collection.name, *older]))

    def older_names(self, name: str) -> set[str]:
        """What a field of today was called before."""
        found = set[str]()
        for step in reversed(self._steps):
            source = step.mover.fields[name].source if name in step.mover.fields else None
            if source is None:
                break
            found.add(source)
            name = source
        return found

    def gone(self) -> dict[str, Field]:
        """Fields that are no more, by what they were called last."""
        found: dict[str, Field] = {}
        for step in self._steps:
            found |= {item.name: item for item in step.succession.lost}
        return found

    def spans(self, name: str) -> list[Span]:
        """Where a field of today stands in entries, under which names; and any so called that is no more."""
        lost = (_names(step.succession.lost) for step in self._steps)
        ends = [_END, *(place for place, names in enumerate(lost) if name in names)]
        return [span for end in ends for span in self._back(name, end)]

    def _back(self, name: str, end: int) -> Iterator[Span]:
        """The spans of a field that was called so until a step, or is today."""
        steps = self._steps if end == _END else self._steps[: end + 1]
        upto = _ALWAYS if end == _END else steps.pop().passage.sequence
        for step in reversed(steps):
            yield Span(name, step.passage.sequence, upto)
            source = step.mover.fields[name].source if name in step.mover.fields else None
            if source is None:
                return
            name, upto = source, step.passage.sequence
        yield Span(name, 0, upto)

    def name_then(self, sequence: int, name: str) -> str | None:
        """What a field of today was called when an entry was written; None where there was none."""
        for step in reversed(self._since(sequence)):
            source = step.mover.fields[name].source if name in step.mover.fields else None
            if source is None:
                return None
            name = source
        return name

    def today(self, sequence: int, changes: Changes) -> Changes:
        """What an entry changed, by the fields of today; a value that would not fit stays as it was."""
        for step in self._since(sequence):
            changes = {
                name: (_carried(mover, changes[source][0]), _carried(mover, changes[source][1]))
                for name, mover in step.mover.fields.items()
                if (source := mover.source) is not None and source in changes
            }
        return changes

    def record(self, number: int, record: Mapping[str, Any]) -> dict[str, Any]:
        """A record as it was shown under the definitions of this number, by the fields of today."""
        for step in self._steps:
            if step.passage.number > number:
                fields = step.mover.fields
                older = {*step.succession.old.fields}
                record = {name: value for name, value in record.items() if name not in older} | {
                    name: _carried(mover, record[source])
                    for name, mover in fields.items()
                    if (source := mover.source) is not None and source in record
                }
        return dict(record)

    def telling(self, sequence: int, access: FieldAccess) -> Telling:
        """How an entry is told to a reader with this access to the record."""
        steps = self._since(sequence)
        if not steps:
            return Telling(access.collection.fields, access.hidden)
        then = steps[0].succession.old
        fates = {name: _fate(steps, name) for name in then.fields}
        hidden = {
            name
            for name, (today, last) in fates.items()
            if (today in access.hidden if today is not None else _kept_from_readers(last))
        }
        renamed = {name: today for name, (today, _) in fates.items() if today not in (None, name)}
        return Telling(then.fields, frozenset(hidden), renamed)

    def _since(self, sequence: int) -> list[_Step]:
        """The steps that came after an entry."""
        return [step for step in self._steps if step.passage.sequence >= sequence]


def _carried(mover: Any, value: Any) -> Any:
    found = mover.carried({mover.source: value})
    return value if found is REFUSED else found


def _fate(steps: Sequence[_Step], name: str) -> tuple[str | None, Field]:
    """What a field is called today, None for one that is no more; and the field as it was known last."""
    last = steps[0].succession.old.fields[name]
    for step in steps:
        # What was made of it since, who may read it above all, counts until it goes.
        last = step.succession.old.fields[name]
        moved = next((one for one in step.mover.fields.values() if one.source == name), None)
        if moved is None:
            return None, last
        name, last = moved.field.name, moved.field
    return name, last


def _kept_from_readers(item: Field) -> bool:
    """Whether not all who could read the record could read a field that is no more: then nobody is told."""
    return item.write_only or "read" in item.access


def current_name(passages: Sequence[Passage], number: int, name: str) -> str:
    """What a collection is called today that was called so under the definitions of this number."""
    for passage in passages:
        if passage.number > number:
            renamed = {one.old.name: one.new.name for one in passage.comparison.kept}
            name = renamed.get(name, name)
    return name
