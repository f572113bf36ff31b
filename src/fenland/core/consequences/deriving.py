"""Deriving: values worked out from the other fields of their record and beyond."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from fenland.core.access.policy import nothing
from fenland.core.consequences.fitting import Fitted
from fenland.core.consequences.gathering import Follow, Gathering
from fenland.core.definitions.asking import derived_inputs, in_order, own_needs
from fenland.core.definitions.model import Aggregate, Collection, Field, Formula
from fenland.core.definitions.validation import REFUSED
from fenland.core.expressions import EvaluationError
from fenland.core.expressions.evaluation import FOLLOW
from fenland.core.problems import Problem, pointer_to

Record = dict[str, Any]
#: Told of a formula that failed where its field may hold nothing, and why.
Failed = Callable[[Formula | Aggregate, str], None]


class Derivations:
    """The derived fields of one collection, each behind those that it is derived from.

    What is gathered from other records (`gathering.py`) is one of them, and stays as it is here.
    """

    def __init__(self, collection: Collection) -> None:
        self.collection = collection
        fields, needs = collection.fields, own_needs(collection.fields, derived_inputs)
        found = [(fields[name], fields[name].derived) for name in in_order(needs)]
        self._all = [Fitted(item, rule) for item, rule in found if isinstance(rule, Formula) and rule.at_hand]
        self.names = frozenset(needs)
        #: What is gathered, with what it is of no records.
        self.gathered: Record = {
            item.name: Gathering(item, rule).empty for item, rule in found if isinstance(rule, Aggregate)
        }
        #: By the pointer of each, the fields that it is derived from.
        self.inputs = {one.pointer: one.inputs for one in self._all}

    def values(
        self, record: Mapping[str, Any], problems: list[Problem], failed: Failed, follow: Follow = nothing
    ) -> Record:
        """The derived values of a record, by its other fields and what it refers to.

        What is wrong is added to the problems. Of what is derived from a field that is wrong already, nothing
        more is said.
        """
        if not self._all:
            return {}
        wrong = {problem.pointer.split("/", 2)[1] for problem in problems if problem.pointer}
        whole, found, told = dict(record), Record(), Telling(problems, failed)
        for one in self._all:
            name = one.field.name
            if not wrong.isdisjoint(one.inputs) or (one.formula.call and self._lacks(one.inputs, whole)):
                wrong.add(name)
                continue
            follow_own = through_itself(follow, self.collection, whole)
            names = {"record": whole, FOLLOW: follow_own}
            value = come_to(one.field, one.formula, whole, partial(one.value, names, problems), told)
            if value is REFUSED:
                wrong.add(name)
            else:
                whole[name] = found[name] = value
        return found

    def _lacks(self, names: Iterable[str], record: Mapping[str, Any]) -> bool:
        """Whether fields hold nothing that must hold something: a function need not know of that."""
        found = (self.collection.fields.get(name) for name in names)
        return any(item is not None and item.filled and record[item.name] is None for item in found)


@dataclass(frozen=True, slots=True)
class Telling:
    """Who is told what is wrong, and of rules that fail where their field may hold nothing."""

    problems: list[Problem]
    failed: Failed


def come_to(
    item: Field, rule: Formula | Aggregate, record: Mapping[str, Any], run: Callable[[], Any], told: Telling
) -> Any:
    """What `run` gives a derived field of a record, or `REFUSED` with a problem; an error gives null."""
    value, why = None, "it comes to nothing"
    try:
        value = run()
    except EvaluationError as error:
        why = str(error).rstrip(".")
        if item.nullable:
            told.failed(rule, why)
    if value is None and not item.nullable:
        told.problems.append(_nothing_comes_of_it(item, rule, record, why))
        return REFUSED
    return value


def _nothing_comes_of_it(
    item: Field, rule: Formula | Aggregate, record: Mapping[str, Any], why: str
) -> Problem:
    """The problem of a derived field that must hold a value, and comes to none."""
    empty = [name for name in rule.inputs if record.get(name) is None]
    source = ", ".join(rule.inputs) or "its expression"
    if isinstance(rule, Aggregate):
        source = f"{rule.collection}.{rule.reference}"
    detail = f"Cannot be worked out from {source}: {why}."
    pointer = pointer_to(item.name)
    return Problem(pointer, "underivable", detail, {"empty": empty})


def through_itself(follow: Follow, collection: Collection, record: Mapping[str, Any]) -> Follow:
    """The same, but for a reference of a record to itself: that leads to it as it would be."""
    name, key = collection.name, record.get(collection.key)

    def found(target: str, wanted: Any) -> Mapping[str, Any] | None:
        return record if target == name and wanted == key else follow(target, wanted)

    return found
