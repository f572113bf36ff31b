"""Searching the history of everything: a condition over entries, as far as its caller may see them.

What a condition asks that blocks of entries are known by (`core/history/terms.py`) says which to read; each
entry read is then judged as the caller sees it, so that nothing hidden can be searched out.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal
from typing import Any

from fenland.core.access.conditions import ALWAYS
from fenland.core.access.field_access import FieldAccess
from fenland.core.access.policy import Caller
from fenland.core.definitions.catalog import type_of
from fenland.core.evolving.lineage import Lineage
from fenland.core.expressions import EvaluationError, ExpressionMistake, compiled, parse
from fenland.core.expressions.checking import Checked, Names, check_condition
from fenland.core.expressions.tree import Call, Constant, Items, Logic, Name, Node, Select
from fenland.core.expressions.types import (
    DATE,
    DYN,
    STRING,
    TIMESTAMP,
    ValueType,
    conversion,
    list_of,
)
from fenland.core.history.entries import ACCOUNTS, OWN, Entry
from fenland.core.history.leaves import leaf_value
from fenland.core.history.parts import SHOWN
from fenland.core.history.telling import Known, Telling, entry_json
from fenland.core.history.terms import EQUALS, pieces, term, value_term
from fenland.core.problems import Malformed, NotFound
from fenland.service.accounts.accounts import manages
from fenland.service.history.causing import tell_causes
from fenland.service.history.past import names_of, subject_of
from fenland.service.history.timeline import changes_field, people_of, sides_of
from fenland.service.records.labels import labels_of
from fenland.service.service import Resource, Service
from fenland.service.work import View, snapshot
from fenland.storage.door import Candidates, Mark

#: Entries that one page looks through: about as much as a tenth of a second allows.
_MOST_LOOKED = 20_000

#: What a condition over entries may speak of, besides the values before and after.
ENTRY_TYPES: Mapping[str, ValueType] = {
    **{part.name: part.searched for part in SHOWN},
    "fields": list_of(STRING),
}
#: Parameters that name a part which must equal their value.
EQUAL = tuple(part.name for part in SHOWN if part.equal)


@dataclass(frozen=True, slots=True)
class HistoryRequest:
    """What is wanted of the history: all of it holds. `below` is a sequence; times are in UTC."""

    where: str = ""
    equal: Mapping[str, str] = field(default_factory=dict)
    field: str | None = None
    reason: str | None = None
    since: str | None = None
    until: str | None = None
    below: int | None = None
    limit: int = 50


@dataclass(frozen=True, slots=True)
class Entries:
    """A page of entries as answers show them, newest first, and the sequence to ask below for the next.

    There may be fewer than the limit, and still more below: a page looks through only so many. `labels` says
    by collection and field what references and owners in them stand for, `people` what accounts are called;
    `archived` where older ones are.
    """

    items: list[dict[str, Any]]
    next: int | None
    labels: dict[str, dict[str, dict[str, str]]]
    people: dict[str, str]
    archived: list[str]


def search(service: Service, caller: Caller, request: HistoryRequest) -> Entries:
    """One page of the entries that are wanted and that the caller may see."""
    with snapshot(service, caller) as view:
        reader = Reader(view, caller)
        found, below = _page(view, reader, request)
        people = people_of(view, found)
        labels = _labels(view, caller, reader, found)
        archives = [] if below is not None else service.database.history.archives(view.reading)
        items = [
            entry_json(one, reader.telling(one), Known(people, labels.get(one.collection, {})))
            for one in found
        ]
        tell_causes(view, items, reader.sees)
    return Entries(items, below, labels, people, [one.file for one in archives])


def _page(view: View, reader: Reader, request: HistoryRequest) -> tuple[list[Entry], int | None]:
    history = view.history
    asked = Question(view, request)
    below = asked.below if request.below is None else min(request.below, asked.below)
    found: list[Entry] = []
    looked = 0
    for above, entries in history.candidates(view.reading, asked.candidates, below=below):
        for one in entries:
            if reader.sees(one) and asked.meets(one, reader):
                found.append(one)
                if len(found) == request.limit:
                    # Whether there are more is for the next page to tell.
                    return found, one.sequence
        looked += len(entries) + 1
        view.breathe()
        if looked >= _MOST_LOOKED and above > asked.candidates.above:
            return found, above + 1
    return found, None


class Question:
    """A request, read: what says which entries to look at, and what judges each."""

    def __init__(self, view: View, request: HistoryRequest) -> None:
        history = view.history
        self._equal, self._field, self._reason = dict(request.equal), request.field, request.reason
        above = 0 if request.since is None else history.before(view.reading, request.since)
        self.below = 2**62 if request.until is None else history.at(view.reading, request.until) + 1
        collection = request.equal.get("collection")
        resource = view.service.resources.get(collection or "")
        self._names = {} if resource is None else {collection: names_of(view, resource)}
        self._checked = _checked(view, request.where, resource) if request.where else None
        self._types = _types(resource)
        self._convert = {name: conversion(self._types[name]) for name in ("before", "after")}
        self._run = None if self._checked is None else compiled(self._checked.tree)
        self._around = {"now": view.service.clock(), "today": view.service.today(view.service.clock())}
        self._sealed = view.service.secret_fields
        #: Whether entries may have the field under another name, so that they have another term.
        self._renamed = self._field is not None and any(
            lineage is not None and lineage.older_names(self._field)
            for lineage in map(view.service.lineage, view.service.resources.values())
        )
        terms = list(self._terms())
        equal: dict[str, Any] = {}
        for name, value in self._equal.items():
            if name != "key":
                equal["record_id" if name == "id" else name] = self._values(name, value)
        self.candidates = Candidates(tuple(dict.fromkeys(terms)), equal, above)

    def _values(self, name: str, value: str) -> list[str]:
        return self._names.get(value, [value]) if name == "collection" else [value]

    def _terms(self) -> Iterator[int]:
        for name, value in self._equal.items():
            # A collection that was called otherwise has several terms, of which one is enough.
            if name in EQUALS and len(self._values(name, value)) == 1:
                yield term(name, value)
        if self._field is not None and not self._renamed:
            yield term("field", self._field)
        if self._reason:
            yield from pieces(self._reason)
        if self._checked is not None:
            yield from _needed(self._checked.tree, self._sealed)

    def chooses(self, entry: Entry, reader: Reader) -> bool:
        """The same as `meets`, of an entry that is no candidate yet."""
        columns = self.candidates.equal.items()
        return all(getattr(entry, name) in allowed for name, allowed in columns) and self.meets(entry, reader)

    def meets(self, entry: Entry, reader: Reader) -> bool:
        """Whether an entry is wanted, by what the caller may see of it."""
        if self._equal.get("key") not in (None, str(entry.key)):
            return False
        if self._field is not None and not self._changed(entry, reader):
            return False
        if self._reason and self._reason.lower() not in (entry.reason or "").lower():
            return False
        if self._run is None:
            return True
        try:
            return self._run({**self._around, **self._seen(entry, reader)}) is True
        except EvaluationError:
            return False

    def _changed(self, entry: Entry, reader: Reader) -> bool:
        """Whether an entry changed the field: called so today, or then, where nothing is called so today."""
        name, lineage = self._field or "", reader.lineage(entry)
        if name in entry.changes and (lineage is None or name not in lineage.collection.fields):
            return True
        return changes_field(entry, name, lineage)

    def _seen(self, entry: Entry, reader: Reader) -> dict[str, Any]:
        hidden = reader.telling(entry).hidden
        names: dict[str, Any] = {part.name: part.of(entry) for part in SHOWN}
        names |= {"key": str(entry.key), "fields": list(entry.changes)}
        names["time"] = datetime.fromisoformat(entry.time)
        for side, name in enumerate(("before", "after")):
            values = {one: pair[side] for one, pair in entry.changes.items() if one not in hidden}
            convert = self._convert[name]
            names[name] = values if convert is None else convert(values)
        return names


def _types(resource: Resource | None) -> dict[str, ValueType]:
    values = ValueType("map", DYN)
    if resource is not None:
        members = {name: type_of(item) for name, item in resource.collection.fields.items()}
        values = ValueType("map", members=members)
    return {**ENTRY_TYPES, "before": values, "after": values, "now": TIMESTAMP, "today": DATE}


def _checked(view: View, text: str, resource: Resource | None) -> Checked:
    try:
        names = Names(_types(resource))
        return check_condition(text, parse(text, view.limits.expression), names)
    except ExpressionMistake as mistake:
        raise Malformed(
            f"where: {mistake}", line=mistake.line, column=mistake.column, shown=mistake.caret
        ) from None


def _needed(node: Node, sealed: frozenset[str]) -> Iterator[int]:
    """Terms without which the condition cannot hold; of values of `sealed` fields none are kept."""
    if isinstance(node, Logic) and node.operator == "&&":
        for part in node.parts:
            yield from _needed(part, sealed)
    elif isinstance(node, Call) and len(node.arguments) == 2:
        one, other = node.arguments
        yield from _needed_by((node.name, sealed), one, other)


def _needed_by(asked: tuple[str, frozenset[str]], one: Node, other: Node) -> Iterator[int]:
    call, sealed = asked
    if call == "_==_":
        pair = (one, other) if isinstance(other, Constant) else (other, one)
        yield from _equality(pair[0], pair[1], sealed)
    elif call == "_in_" and isinstance(one, Constant) and isinstance(other, Name) and other.name == "fields":
        yield term("field", str(one.value))
    elif call == "_in_" and isinstance(other, Items) and len(other.items) == 1:
        yield from _equality(one, other.items[0], sealed)
    elif call == "contains" and isinstance(other, Constant) and isinstance(other.value, str):
        yield from pieces(other.value) if isinstance(one, Name) and one.name == "reason" else ()


def _equality(one: Node, other: Node, sealed: frozenset[str]) -> Iterator[int]:
    if not isinstance(other, Constant) or other.value is None:
        return
    if isinstance(one, Name) and one.name in EQUALS and isinstance(other.value, str):
        yield term(one.name, other.value)
    elif isinstance(one, Select) and _is_side(one.operand) and not one.asks:
        yield term("field", one.field)
        if one.field not in sealed and isinstance(other.value, (str, bool, int, float, Decimal)):
            yield value_term(one.field, leaf_value(other.value))


def _is_side(node: Node) -> bool:
    return isinstance(node, Name) and node.name in ("before", "after")


class Reader:
    """What one caller may see of entries; what it has found of a record counts for all its entries."""

    def __init__(self, view: View, caller: Caller) -> None:
        self._view, self._caller, self._sight = view, caller, view.sight(caller)
        service = view.service
        self._resources = {
            name: one for one in service.resources.values() for name in reversed(names_of(view, one))
        }
        self._manages = manages(service, caller)
        self._known: dict[str, FieldAccess | None] = {}
        self._plain: dict[str, FieldAccess] = {
            name: one.policy.fields(self._sight)
            for name, one in self._resources.items()
            if not one.policy.by_field and one.policy.condition("read", self._sight) == ALWAYS
        }

    def resource(self, entry: Entry | Mark) -> Resource | None:
        """The collection, as it is today, that an entry is of; None for one that is gone, or of ours."""
        return self._resources.get(entry.collection)

    def lineage(self, entry: Entry) -> Lineage | None:
        """How the collection that an entry is of came to be what it is; None where it is as it was."""
        resource = self.resource(entry)
        return None if resource is None else self._view.service.lineage(resource)

    def sees(self, entry: Entry | Mark) -> bool:
        """Whether they may see the entry at all."""
        if entry.collection in OWN:
            own = entry.collection == ACCOUNTS and entry.key == self._caller.actor.name
            return self._manages or (own and self._caller.is_themselves)
        return self.access(entry) is not None

    def sees_all(self, collection: str) -> bool:
        """Whether they may see every entry of a collection, as entries call it."""
        return collection in self._plain or (self._manages and collection in OWN)

    @property
    def sees_everything(self) -> bool:
        """Whether there is nothing that they may not see."""
        return self._manages and self._plain.keys() == self._resources.keys()

    def access(self, entry: Entry | Mark) -> FieldAccess | None:
        """What they may see of the record that an entry is of; None where they may not see it."""
        plain = self._plain.get(entry.collection)
        if plain is not None:
            return plain
        if entry.record_id not in self._known:
            self._known[entry.record_id] = self._access(entry)
        return self._known[entry.record_id]

    def _access(self, entry: Entry | Mark) -> FieldAccess | None:
        resource = self.resource(entry)
        found = None if resource is None else subject_of(self._view, self._caller, resource, entry.record_id)
        return None if found is None else found.access

    def telling(self, entry: Entry) -> Telling:
        """How an entry is told to them."""
        resource = self.resource(entry)
        access = None if resource is None else self.access(entry)
        if resource is None or access is None:
            return Telling({}, frozenset())
        lineage = self.lineage(entry)
        if lineage is None:
            return Telling(access.collection.fields, access.hidden)
        return lineage.telling(entry.sequence or 0, access)


def entry_of(service: Service, caller: Caller, sequence: int) -> dict[str, Any]:
    """One entry as answers show it. Raises `NotFound`."""
    with snapshot(service) as view:
        reader = Reader(view, caller)
        found = service.database.history.entry(view.reading, sequence)
        if found is None or not reader.sees(found):
            raise NotFound(f"There is no entry {sequence} that you may see.")
        labels = _labels(view, caller, reader, [found]).get(found.collection, {})
        told = entry_json(found, reader.telling(found), Known(people_of(view, [found]), labels))
        tell_causes(view, [told], reader.sees)
        return told


def _labels(
    view: View, caller: Caller, reader: Reader, entries: list[Entry]
) -> dict[str, dict[str, dict[str, str]]]:
    found: dict[str, dict[str, dict[str, str]]] = {}
    for name in {one.collection for one in entries}:
        mine = [one for one in entries if one.collection == name]
        resource = reader.resource(mine[0])
        if resource is not None:
            sides = sides_of(mine, lambda one: reader.telling(one).hidden)
            found[name] = labels_of(view, caller, resource, sides)
    return found
