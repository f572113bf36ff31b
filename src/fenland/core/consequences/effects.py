"""Effects: what a change brings with it in the same record, by the rules of its collection.

An effect happens once for a change, in the order of the file; where what one sets makes the condition of
another hold that has not happened yet, that one happens too. Derived fields follow each of them. So it always
ends.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from fenland.core.consequences.deriving import Failed
from fenland.core.consequences.fitting import Fitted
from fenland.core.definitions.asking import in_order, own_needs
from fenland.core.definitions.model import TRIGGERS, Collection, Effect, Formula, Trigger
from fenland.core.definitions.validation import REFUSED
from fenland.core.expressions import EvaluationError, compiled
from fenland.core.problems import Problem
from fenland.core.values.plain import same

Record = dict[str, Any]
#: Gives the derived values of a record, and what is wrong with them.
Derive = Callable[[Record], tuple[Record, list[Problem]]]


class _Compiled:
    """One effect, compiled."""

    def __init__(self, effect: Effect, collection: Collection) -> None:
        self.effect = effect
        self._condition = None if effect.condition is None else compiled(effect.condition.tree)
        self._sets = [Fitted(collection.fields[name], formula) for name, formula in effect.sets.items()]

    def happens(self, names: Mapping[str, Any], failed: Failed) -> bool:
        """Whether its condition holds; one that cannot be evaluated does not."""
        if self._condition is None or self.effect.condition is None:
            return True
        try:
            return self._condition(names) is True
        except EvaluationError as error:
            # Of a new record there was nothing before: to ask for it is the usual way to mean changes alone.
            if names["before"]:
                failed(Formula(self.effect.condition, self.effect.file, self.effect.line), str(error))
            return False

    def values(self, names: Mapping[str, Any], problems: list[Problem], failed: Failed) -> Record:
        """What the fields are set to, all from the same old and new values."""
        found = Record()
        for one in self._sets:
            mine: list[Problem] = []
            try:
                value = one.value(names, mine)
            except EvaluationError as error:
                value = None
                failed(one.formula, str(error))
            if value is None and not one.field.nullable:
                mine.append(Problem(one.pointer, "null", "Must not be null."))
            problems += [self._placed(problem) for problem in mine]
            if value is not REFUSED:
                found[one.field.name] = value
        return found

    def _placed(self, problem: Problem) -> Problem:
        place = str(self.effect)
        params, detail = (
            {**problem.params, "effect": place},
            f"{problem.detail} It is set by the effect at {place}.",
        )
        return replace(problem, detail=detail, params=params)


class Effects:
    """The effects of one collection."""

    def __init__(self, collection: Collection) -> None:
        found = [_Compiled(effect, collection) for effect in collection.effects]
        self._by_trigger = {one: [each for each in found if one in each.effect.on] for one in TRIGGERS}

    def on(self, trigger: Trigger | None) -> list[_Compiled]:
        """Those that may happen then."""
        return [] if trigger is None else self._by_trigger[trigger]

    def follow(
        self,
        trigger: Trigger | None,
        names: Mapping[str, Any],
        record: Record,
        derive: Derive,
        failed: Failed,
    ) -> tuple[Record, list[Problem]]:
        """The record as it is once its derived fields are right and its effects have happened.

        And what is wrong with either. `names` has `before`, empty for a new record, and what stands around
        it; `record` is as the caller would have it.
        """
        found, underived = derive(record)
        left, wrong, whole = list(self.on(trigger)), list[Problem](), {**record, **found}
        moved = bool(left)
        while moved:
            moved = False
            for one in list(left):
                known = {**names, "after": whole}
                if not one.happens(known, failed):
                    continue
                left.remove(one)
                given = one.values(known, wrong, failed)
                if all(same(whole[name], value) for name, value in given.items()):
                    continue
                whole, moved = {**whole, **given}, True
                found, underived = derive(whole)
                whole |= found
        return whole, [*wrong, *underived]


class Beginnings:
    """What gives the fields of a new record their values, each behind those that it asks for."""

    def __init__(self, collection: Collection) -> None:
        needs = own_needs(
            collection.fields, lambda item: None if item.initial is None else item.initial.inputs
        )
        found = [collection.fields[name] for name in in_order(needs)]
        self._all = [Fitted(item, item.initial) for item in found if item.initial is not None]
        self.names = frozenset(one.field.name for one in self._all)

    def values(
        self,
        names: Mapping[str, Any],
        record: Record,
        absent: frozenset[str],
        problems: list[Problem],
        failed: Failed,
    ) -> Record:
        """The values of absent fields, by those that there are; of one that fails, none."""
        whole, found = dict(record), Record()
        for one in self._all:
            name = one.field.name
            if name not in absent:
                continue
            try:
                value = one.value({**names, "next": whole}, problems)
            except EvaluationError as error:
                failed(one.formula, str(error))
                continue
            if value is not REFUSED:
                whole[name] = found[name] = value
        return found
