"""Spreading: from changes of records to what is derived of them in others, level by level, until it is still.

Whoever makes changes notes them here, one by one, and then asks for what follows, makes that, notes it, and
asks again. What went and what came is enough to know for counts and sums; everything else is worked out of
what there is by then, so that all changes are to be made before what follows from them is asked for.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import Any, Protocol

from fenland.core.consequences.deriving import Failed, Telling, come_to, through_itself
from fenland.core.consequences.fitting import Fitted
from fenland.core.consequences.gathering import Gathering
from fenland.core.consequences.network import Edge, Network, Node
from fenland.core.definitions.asking import Place
from fenland.core.definitions.model import Aggregate, Formula
from fenland.core.definitions.validation import REFUSED
from fenland.core.expressions import EvaluationError
from fenland.core.expressions.evaluation import FOLLOW
from fenland.core.limits import beyond
from fenland.core.problems import Problem
from fenland.core.values.plain import same

Record = Mapping[str, Any]


class Lookups(Protocol):
    """Where records are found, as they are by now."""

    def by_id(self, collection: str, record_id: str) -> Record | None:
        """The record with this id."""
        ...

    def by_key(self, collection: str, key: Any) -> Record | None:
        """The record with this key."""
        ...

    def all_referring(self, collection: str, name: str, key: Any) -> Iterable[Record]:
        """All records of a collection whose reference holds this key."""
        ...

    def how_many_refer(self, collection: str, name: str, key: Any) -> int:
        """How many those are."""
        ...

    def has_changed(self, _collection: str) -> bool:
        """Whether any record of the collection is another than when all this began."""
        ...


@dataclass(slots=True)
class _Mark:
    """A derived field of one record that may come out otherwise now: by which change; and how."""

    cause: int
    #: Whether it is to be worked out of all there is; otherwise what went and what came.
    anew: bool = False
    went: list[Any] = field(default_factory=list)
    came: list[Any] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Derived:
    """What derived fields of one record come to now, where that is not what they hold; and what is wrong."""

    collection: str
    record: Record
    values: dict[str, Any]
    problems: list[Problem]
    cause: int
    rule: Formula | Aggregate


class Spread:
    """What follows from changes that are being made."""

    def __init__(self, network: Network, lookups: Lookups, failed: Failed, most: int) -> None:
        """`most` is how many records may have to be worked out anew."""
        self._network, self._lookups, self._most = network, lookups, most
        self._deriving = Deriving(lookups, failed)
        self._marks: dict[int, dict[tuple[str, str], dict[Node, _Mark]]] = {}
        self._concerned: set[tuple[str, str]] = set()

    # --- noting changes -------------------------------------------------------------------------------

    def note(
        self,
        collection: str,
        before: Record | None,
        after: Record | None,
        cause: int,
        *,
        derived: bool = False,
    ) -> None:
        """Takes note of a change; `derived` where it is what this said was to be derived.

        Raises `TooLarge` where too many records would follow.
        """
        for edge in self._network.edges.get(collection, ()):
            if not _concerns(edge, before, after):
                continue
            if isinstance(edge.node.work, Gathering) and not edge.back:
                self._give(edge.node, edge.node.work, before, after, cause)
            elif before is not None and after is not None:
                # Who refers to a record that comes or goes is changed by that as well.
                self._go_back(collection, edge, after, cause)
        if derived and after is not None:
            for edge in self._network.own.get(collection, ()):
                if _concerns(edge, before, after):
                    self._mark(edge.node, after["id"], cause).anew = True

    def _mark(self, node: Node, record_id: str, cause: int) -> _Mark:
        place = (node.collection.name, record_id)
        self._concerned.add(place)
        if len(self._concerned) > self._most:
            self._refuse(len(self._concerned))
        marks = self._marks.setdefault(node.level, {}).setdefault(place, {})
        if node not in marks:
            marks[node] = _Mark(cause)
        return marks[node]

    def _refuse(self, count: int) -> None:
        what = f"What is derived would change in {count} records or more."
        raise beyond("consequence_limit", self._most, what)

    def _give(
        self, node: Node, work: Gathering, before: Record | None, after: Record | None, cause: int
    ) -> None:
        """Of a record that is gathered: what it gave went, and what it gives came."""
        reference = work.aggregate.reference
        parents = [None if one is None else one[reference] for one in (before, after)]
        gifts: list[Any] = []
        # What a record gave is known as long as what it refers to is as it was.
        known = not any(self._lookups.has_changed(one) for one in work.followed)
        for one, parent in zip((before, after), parents, strict=True):
            try:
                gifts.append(None if one is None or parent is None else work.gift(one, self._lookups.by_key))
            except EvaluationError:
                gifts.append(REFUSED)
        failed = any(one is REFUSED for one in gifts)
        if known and not failed and parents[0] == parents[1] and gifts[0] == gifts[1]:
            return
        record: Record | None = None
        for number, (parent, gift) in enumerate(zip(parents, gifts, strict=True)):
            if parent is None:
                continue
            if record is None or record[node.collection.key] != parent:
                record = self._lookups.by_key(node.collection.name, parent)
            if record is None:
                continue
            mark = self._mark(node, record["id"], cause)
            if work.incremental and known and gift is not REFUSED:
                (mark.came if number else mark.went).append(gift)
            else:
                mark.anew = True

    def _go_back(self, collection: str, edge: Edge, changed: Record, cause: int) -> None:
        """Marks what is made of a record that changed, over the references to it."""
        node, work = edge.node, edge.node.work
        found: list[Record] = [changed]
        for place in edge.back:
            key, collection = self._network.collections[collection].key, place[0]
            found = list(self._referring(place, [one[key] for one in found]))
        for one in found:
            record: Record | None = one
            if isinstance(work, Gathering):
                parent = one[work.aggregate.reference]
                record = None if parent is None else self._lookups.by_key(node.collection.name, parent)
            if record is not None:
                self._mark(node, record["id"], cause).anew = True

    def _referring(self, place: Place, keys: Iterable[Any]) -> Iterator[Record]:
        """The records whose reference holds one of these keys."""
        room = self._most - len(self._concerned)
        for key in keys:
            room -= self._lookups.how_many_refer(*place, key)
            if room < 0:
                self._refuse(self._most - room)
            yield from self._lookups.all_referring(*place, key)

    # --- working out ----------------------------------------------------------------------------------

    def step(self) -> list[Derived]:
        """What has to be worked out next, and comes out otherwise; nothing where all is still.

        To be asked for again and again, each time once what it gave was made and noted.
        """
        while self._marks:
            marked = self._marks.pop(min(self._marks))
            found = [one for place, marks in marked.items() if (one := self._worked_out(place, marks))]
            if found:
                return found
        return []

    def _worked_out(self, place: tuple[str, str], marks: Mapping[Node, _Mark]) -> Derived | None:
        record = self._lookups.by_id(*place)
        if record is None:
            return None
        values: dict[str, Any] = {}
        problems: list[Problem] = []
        first: tuple[Node, _Mark] | None = None
        for node, mark in marks.items():
            value = self._deriving.value(node, record, problems, mark)
            if value is REFUSED or not same(record[node.field.name], value):
                first = first or (node, mark)
                if value is not REFUSED:
                    values[node.field.name] = value
        if first is None:
            return None
        return Derived(place[0], record, values, problems, first[1].cause, first[0].rule)


_ANEW = _Mark(0, anew=True)


class Deriving:
    """Works out what is derived between records, by those that are found in one place."""

    def __init__(self, lookups: Lookups, failed: Failed) -> None:
        self._lookups, self._failed = lookups, failed

    def value(self, node: Node, record: Record, problems: list[Problem], mark: _Mark = _ANEW) -> Any:
        """What a derived field of a record comes to, or `REFUSED` with a problem."""
        run = partial(self._run, node, record, problems, mark)
        return come_to(node.field, node.rule, record, run, Telling(problems, self._failed))

    def _run(self, node: Node, record: Record, problems: list[Problem], mark: _Mark) -> Any:
        work, stored = node.work, record[node.field.name]
        if isinstance(work, Fitted):
            follow = through_itself(self._lookups.by_key, node.collection, record)
            return work.value({"record": record, FOLLOW: follow}, problems)
        if mark.anew or stored is None:
            return work.gathered(self._gifts(work, node, record), problems)
        return work.moved(stored, mark.went, mark.came, problems)

    def _gifts(self, work: Gathering, node: Node, record: Record) -> Iterator[Any]:
        of, key = work.aggregate, record[node.collection.key]
        for one in self._lookups.all_referring(of.collection, of.reference, key):
            yield work.gift(one, self._lookups.by_key)


def _concerns(edge: Edge, before: Record | None, after: Record | None) -> bool:
    if before is None or after is None:
        return True
    return any(not same(before[name], after[name]) for name in edge.fields)
