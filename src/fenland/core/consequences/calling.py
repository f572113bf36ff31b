"""Calling: what functions of the project's own are given, and what is made of what they give.

A function gets records as `Row`, a mapping whose values are typed as those of expressions are: dates, moments
and decimals; lists are tuples. Nothing that it gets can be changed. What it looks up it asks of a `Look`.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from fenland.core.consequences.fitting import Fitting
from fenland.core.consequences.handing import frozen, is_text, shown, taken
from fenland.core.definitions.catalog import catalog_of
from fenland.core.definitions.model import Check, Collection, Field, place_of
from fenland.core.definitions.own import Call
from fenland.core.definitions.validation import REFUSED
from fenland.core.expressions import EvaluationError, as_json
from fenland.core.expressions.types import conversion
from fenland.core.names import NAME, NOTICE, did_you_mean
from fenland.core.problems import Problem, RuleFailed, pointer_to

#: What the names around a record hold for functions that look at others.
LOOK = "look"
_RECORDS = ("next", "before", "after")
#: Problems, or changes, that a function may give at once.
MOST_GIVEN = 10_000
#: Characters that a problem may say at most.
MOST_SAID = 1_000


class Row(Mapping[str, Any]):
    """A record as functions see it: each field by its name, and those that the service keeps.

    `collection` is the name of its collection.
    """

    __slots__ = ("_record", "_rows")

    def __init__(self, rows: Rows, record: Mapping[str, Any]) -> None:
        self._rows, self._record = rows, record

    @property
    def collection(self) -> str:
        """The name of its collection."""
        return self._rows.name

    def __getitem__(self, name: str) -> Any:
        value, convert = self._record[name], self._rows.conversions.get(name)
        return frozen(value if value is None or convert is None else convert(value))

    def __iter__(self) -> Iterator[str]:
        return iter(self._record)

    def __len__(self) -> int:
        return len(self._record)

    def __repr__(self) -> str:
        return f"Row({self.collection}, {dict(self)!r})"


class Rows:
    """Makes the rows of one collection, and values that functions give into what its fields keep."""

    def __init__(self, collection: Collection) -> None:
        self.collection, self.name = collection, collection.name
        self._fittings: dict[str, Fitting] = {}
        types = catalog_of([collection])[collection.name]
        self.conversions = {name: conversion(one.type) for name, one in types.items()}

    def row(self, record: Mapping[str, Any] | None) -> Row | None:
        """The record; None for none, or for one that is not there before or after."""
        return Row(self, record) if record else None

    def fitting(self, name: str) -> Fitting:
        """What makes values of a field, compiled when it is first needed."""
        if name not in self._fittings:
            self._fittings[name] = Fitting(self.collection.fields[name])
        return self._fittings[name]


class Look(Protocol):
    """A read-only look at the records that there are, as they are within the same transaction."""

    def one(self, collection: str, key: Any) -> Row | None:
        """The record with this key, or None."""
        ...

    def find(self, collection: str, **fields: Any) -> Sequence[Row]:
        """The records whose fields hold these values, in the order of their making.

        More than `consequence_limit` are refused.
        """
        ...


@dataclass(frozen=True, slots=True)
class Said:
    """What a check finds wrong: a sentence for people, and the field to blame."""

    field: str | None
    message: str
    code: str | None = None


@dataclass(frozen=True, slots=True)
class Alter:
    """That a record is to get these values."""

    record: Row
    values: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Create:
    """That a record with these values is to be made."""

    collection: str
    values: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Delete:
    """That a record is to go."""

    record: Row


@dataclass(frozen=True, slots=True)
class Notify:
    """That a notice is to be left for other systems."""

    name: str
    data: Mapping[str, Any]


#: What an effect may want.
Wish = Alter | Create | Delete | Notify


class Calling:
    """A call of a function over what records of one collection were and would be."""

    def __init__(self, call: Call, collection: Collection) -> None:
        self.call = call
        self._rows = Rows(collection)
        self._parameters = () if call.function is None else call.function.parameters

    def run(self, names: Mapping[str, Any]) -> Any:
        """What it gives, by what its parameters are called. Raises `RuleFailed`, `Unavailable`."""
        given = {name: self._given(name, names.get(name)) for name in self._parameters}
        return self.call.run(**given)

    def several(self, names: Mapping[str, Any]) -> list[Any]:
        """The same, one by one: nothing, one, or several."""
        given = self.run(names)
        if given is None or given is True:
            return []
        if not isinstance(given, (list, tuple, set, frozenset)):
            return [given]
        if len(given) > MOST_GIVEN:
            raise self.failed(f"it gives more than {MOST_GIVEN} at once.")
        return list(given)

    def _given(self, name: str, value: Any) -> Any:
        if name in _RECORDS:
            return self._rows.row(value)
        return value if name == LOOK else frozen(value)

    def failed(self, why: str) -> RuleFailed:
        """The refusal where what it gives is nothing that can be used."""
        return unusable(self.call, why)


def unusable(call: Call, why: str) -> RuleFailed:
    """The refusal where a function gives what cannot be used; who runs the service is told why."""
    if call.function is not None:
        call.function.tell(why)
    return RuleFailed(f"The function {call.name} of rules.py gave what cannot be used. Nothing was saved.")


class CalledCheck:
    """A check that is a function: it gives nothing, a sentence, what `problem` makes, or several of them."""

    def __init__(self, check: Check, call: Call, collection: Collection) -> None:
        self._check, self._calling = check, Calling(call, collection)
        self._fields = collection.fields

    def problems(self, names: Mapping[str, Any]) -> list[Problem]:
        """What it finds wrong. Raises `RuleFailed`, `Unavailable`."""
        return [problem for one in self._calling.several(names) for problem in self._problems(one)]

    def _problems(self, said: Any) -> Iterator[Problem]:
        check = self._check
        if isinstance(said, str) and said:
            said = Said(None, said)
        if not isinstance(said, Said):
            raise self._calling.failed(f"{shown(said)} is neither a sentence nor a problem.")
        if not is_text(said.message) or not 0 < len(said.message) <= MOST_SAID:
            raise self._calling.failed(f"a problem says {shown(said.message)}, which is no sentence.")
        if said.field is not None and not (isinstance(said.field, str) and said.field in self._fields):
            hint = did_you_mean(str(said.field), self._fields) if is_text(said.field) else ""
            raise self._calling.failed(f"it blames {shown(said.field)}, which is no field. {hint}")
        if said.code is not None and not (isinstance(said.code, str) and NAME.fullmatch(said.code)):
            raise self._calling.failed(
                f"the code {shown(said.code)} is not of lower-case letters, digits and _."
            )
        blamed = check.fields if said.field is None else (said.field,)
        for pointer in [pointer_to(name) for name in blamed] or [""]:
            yield Problem(pointer, said.code or check.code, said.message)


def fitted(
    call: Call, rows: Rows, given: Any, before: Mapping[str, Any] | None, problems: list[Problem]
) -> dict[str, Any]:
    """The values that a function gives fields, as those keep them; adds what is wrong with them.

    `before` is the record as it is, None for a new one. Raises `RuleFailed`.
    """
    if not isinstance(given, Mapping):
        raise unusable(call, f"{shown(given)} is no mapping of fields.")
    found, collection = dict[str, Any](), rows.collection
    for name, value in given.items():
        item = collection.fields.get(name)
        if item is None:
            hint = did_you_mean(name, collection.fields) if is_text(name) else ""
            raise unusable(call, f"it sets {shown(name)}, which is no field. {hint}")
        for word in _not_to_be_set(item, collection, before):
            raise unusable(call, f"it sets {place_of(collection, item)}, which is {word}.")
        try:
            kept = rows.fitting(name).value(taken(value), problems)
        except EvaluationError as error:
            raise unusable(call, f"{name} is {shown(value)}: {error}") from None
        if kept is None and not item.nullable:
            problems.append(Problem(pointer_to(name), "null", "Must not be null."))
        if kept is not REFUSED:
            found[name] = kept
    return found


def _not_to_be_set(item: Field, collection: Collection, before: Mapping[str, Any] | None) -> Iterator[str]:
    if item.derived is not None:
        yield "derived"
    if before:
        if item.name == collection.key:
            yield "the key"
        if item.fixed:
            yield "fixed"


class CalledSetting:
    """An effect that is a function which gives fields of the record values: as a mapping, or None."""

    def __init__(self, call: Call, collection: Collection) -> None:
        self._calling, self._rows = Calling(call, collection), Rows(collection)

    def values(self, names: Mapping[str, Any], problems: list[Problem]) -> dict[str, Any]:
        """The values as they are kept; adds what is wrong with them. Raises `RuleFailed`, `Unavailable`."""
        given = self._calling.run(names)
        call, before = self._calling.call, names["before"]
        return {} if given is None else fitted(call, self._rows, given, before, problems)


class CalledEffect:
    """An effect that is a function: it gives nothing, a wish, or several of them."""

    def __init__(self, call: Call, collection: Collection) -> None:
        self._calling = Calling(call, collection)

    def wishes(self, names: Mapping[str, Any]) -> list[Wish]:
        """What it wants done, in order. Raises `RuleFailed`, `Unavailable`."""
        found = self._calling.several(names)
        for one in found:
            if not isinstance(one, (Alter, Create, Delete, Notify)):
                raise self.failed(f"{shown(one)} is made by none of change, create, delete and notice.")
            if isinstance(one, (Alter, Delete)) and not isinstance(one.record, Row):
                raise self.failed(f"{shown(one.record)} is no record that it was given, or found.")
        return found

    def values(
        self,
        rows: Rows,
        given: Mapping[str, Any],
        before: Mapping[str, Any] | None,
        problems: list[Problem],
    ) -> dict[str, Any]:
        """What a wish gives the fields of a record of some collection; see `fitted`."""
        return fitted(self._calling.call, rows, given, before, problems)

    def said(self, wish: Notify) -> dict[str, Any]:
        """What a notice says, as JSON has it."""
        if not isinstance(wish.name, str) or not NOTICE.fullmatch(wish.name):
            raise self.failed(f"a notice cannot be called {shown(wish.name)}.")
        try:
            return {name: as_json(taken(value)) for name, value in wish.data.items()}
        except EvaluationError as error:
            raise self.failed(f"the notice {wish.name}: {error}") from None

    def failed(self, why: str) -> RuleFailed:
        """The refusal where what it wants cannot be done."""
        return self._calling.failed(why)
