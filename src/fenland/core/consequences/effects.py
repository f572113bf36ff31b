"""Effects: what a change brings with it, by the rules of its collection.

In the same record an effect happens once for a change, in the order of the file; where what one sets makes
the condition of another hold that has not happened yet, that one happens too. Derived fields follow each of
them. So it always ends. What reaches other records is carried out by `service/changes/following.py`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.access.conditions import Condition, condition_of
from fenland.core.consequences.calling import CalledEffect, CalledSetting
from fenland.core.consequences.deriving import Failed
from fenland.core.consequences.fitting import Fitted
from fenland.core.definitions.asking import in_order, own_needs
from fenland.core.definitions.catalog import AROUND
from fenland.core.definitions.model import TRIGGERS, Collection, Effect, Formula, Search, Trigger
from fenland.core.definitions.validation import REFUSED
from fenland.core.expressions import EvaluationError, as_json, compiled
from fenland.core.expressions.reducing import reducer
from fenland.core.expressions.tree import Constant, Node, Path, with_parts
from fenland.core.problems import Problem
from fenland.core.values.plain import same

Record = dict[str, Any]
#: Gives the derived values of a record, and what is wrong with them.
Derive = Callable[[Record], tuple[Record, list[Problem]]]


class Searching:
    """The records that an effect finds, compiled."""

    def __init__(self, search: Search) -> None:
        self.search = search
        tree = Constant(True, "", 0) if search.condition is None else search.condition.tree
        self._holds = compiled(tree)
        # Conditions of many are over `record`.
        self._reduced = reducer(_renamed(tree), _KNOWN)

    def condition(self, names: Mapping[str, Any]) -> Condition:
        """What must hold of a record to be found, once it is known what happened."""
        return condition_of(self._reduced(names))

    def holds(self, names: Mapping[str, Any], record: Mapping[str, Any]) -> bool:
        """Whether a record is found."""
        try:
            return self._holds({**names, "each": record}) is True
        except EvaluationError:
            return False


_KNOWN = frozenset({*AROUND, "before", "after", "next"})


def _renamed(node: Node) -> Node:
    if isinstance(node, Path):
        return replace(node, root="record") if node.root == "each" else node
    return with_parts(node, _renamed)


@dataclass(frozen=True, slots=True)
class Around:
    """What effects need besides the record: who is told of failures, and what finds a record at random.

    `sound` tells of a record whether nothing is wrong with it: functions are asked of no other.
    """

    failed: Failed
    pick: Callable[[Searching, Mapping[str, Any]], Mapping[str, Any] | None]
    sound: Callable[[Record], bool] = lambda _record: True


class Compiled:
    """One effect, compiled."""

    def __init__(self, effect: Effect, target: Collection) -> None:
        """`target` is the collection whose records it writes."""
        self.effect = effect
        self.search = None if effect.search is None else Searching(effect.search)
        self._condition = None if effect.condition is None else compiled(effect.condition.tree)
        says = effect.does == "notice"
        sets = {} if says else effect.sets
        self._sets = [Fitted(target.fields[name], formula) for name, formula in sets.items()]
        self._says = {name: compiled(one.rule.tree) for name, one in effect.sets.items() if says}
        #: Where a function says what is done, what it wants; or what it sets.
        self.called = CalledEffect(effect.call, target) if effect.call and effect.does == "call" else None
        self._setting = CalledSetting(effect.call, target) if effect.call and effect.does == "set" else None

    def happens(self, names: Mapping[str, Any], failed: Failed) -> bool:
        """Whether its condition holds; one that cannot be evaluated does not."""
        if self._condition is None or self.effect.condition is None:
            return True
        try:
            return self._condition(names) is True
        except EvaluationError as error:
            # Of a new record there was nothing before, and of one that goes nothing is after: to ask for it
            # is the usual way to mean others.
            if names["before"] and names["after"]:
                failed(Formula(self.effect.condition, self.effect.file, self.effect.line), str(error))
            return False

    def values(self, names: Mapping[str, Any], problems: list[Problem], failed: Failed) -> Record:
        """What the fields are set to, all from the same old and new values."""
        found = Record()
        if self._setting is not None:
            wrong = list[Problem]()
            found = self._setting.values(names, wrong)
            problems += [self._placed(problem) for problem in wrong]
            return found
        for one in self._sets:
            mine: list[Problem] = []
            try:
                # What was looked for and is not there gives nothing.
                value = None if self.search is not None and names["each"] is None else one.value(names, mine)
            except EvaluationError as error:
                value = None
                failed(one.formula, str(error))
            if value is None and not one.field.nullable:
                mine.append(Problem(one.pointer, "null", "Must not be null."))
            problems += [self._placed(problem) for problem in mine]
            if value is not REFUSED:
                found[one.field.name] = value
        return found

    def noticed(self, names: Mapping[str, Any], failed: Failed) -> Record:
        """What the notice says that it leaves; null in the place of what cannot be evaluated."""
        found = Record()
        for name, run in self._says.items():
            try:
                found[name] = as_json(run(names))
            except EvaluationError as error:
                found[name] = None
                failed(self.effect.sets[name], str(error))
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
        found = [Compiled(effect, collection) for effect in collection.effects if effect.does == "set"]
        self._by_trigger = {one: [each for each in found if one in each.effect.on] for one in TRIGGERS}

    def on(self, trigger: Trigger | None) -> list[Compiled]:
        """Those that may happen then."""
        return [] if trigger is None else self._by_trigger[trigger]

    def follow(
        self,
        trigger: Trigger | None,
        names: Mapping[str, Any],
        record: Record,
        derive: Derive,
        around: Around,
    ) -> tuple[Record, list[Problem], list[Effect]]:
        """The record as it is once its derived fields are right and its effects have happened.

        And what is wrong with either, and the effects that set anything. `names` has `before`, empty for a
        new record, and what stands around it; `record` is as the caller would have it.
        """
        found, underived = derive(record)
        left, wrong, whole = list(self.on(trigger)), list[Problem](), {**record, **found}
        happened: list[Effect] = []
        moved = bool(left)
        while moved:
            moved = False
            for one in list(left):
                known = {**names, "after": whole}
                if not one.happens(known, around.failed) or (one.effect.call and not around.sound(whole)):
                    continue
                left.remove(one)
                if one.search is not None:
                    known["each"] = around.pick(one.search, known)
                given = one.values(known, wrong, around.failed)
                if all(same(whole[name], value) for name, value in given.items()):
                    continue
                whole, moved = {**whole, **given}, True
                happened.append(one.effect)
                found, underived = derive(whole)
                whole |= found
        return whole, [*wrong, *underived], happened


class Reaches:
    """The effects that reach other records, of all collections."""

    def __init__(self, collections: Mapping[str, Collection]) -> None:
        self._found: dict[tuple[str, Trigger], list[Compiled]] = {}
        for name, one in collections.items():
            for effect in (each for each in one.effects if each.does != "set"):
                found = Compiled(effect, collections[effect.target])
                for trigger in effect.on:
                    self._found.setdefault((name, trigger), []).append(found)
        self._concerned = {name for name, _ in self._found}

    def concerns(self, collection: str) -> bool:
        """Whether anything may come of changes there."""
        return collection in self._concerned

    def on(self, collection: str, trigger: Trigger | None) -> list[Compiled]:
        """Those that may happen then, in the order of the file."""
        return [] if trigger is None else self._found.get((collection, trigger), [])


class Beginnings:
    """What gives the fields of a new record their values, each behind those that it asks for."""

    def __init__(self, collection: Collection) -> None:
        needs = own_needs(
            collection.fields, lambda item: None if item.initial is None else item.initial.inputs
        )
        found = [collection.fields[name] for name in in_order(needs)]
        self._all = [
            (Fitted(item, item.initial), item.initial.search and Searching(item.initial.search))
            for item in found
            if item.initial is not None
        ]
        self.names = frozenset(one.field.name for one, _ in self._all)
        #: Those that nobody can know beforehand.
        self.picked = frozenset(one.field.name for one, search in self._all if search)

    def values(
        self,
        names: Mapping[str, Any],
        record: Record,
        absent: frozenset[str],
        problems: list[Problem],
        around: Around,
    ) -> Record:
        """The values of absent fields, by those that there are; of one that fails, none."""
        whole, found = dict(record), Record()
        for one, search in self._all:
            name, known = one.field.name, {**names, "next": whole}
            if name not in absent:
                continue
            if search and (each := around.pick(search, known)) is None:
                continue
            try:
                value = one.value({**known, "each": each} if search else known, problems)
            except EvaluationError as error:
                around.failed(one.formula, str(error))
                continue
            if value is not REFUSED:
                whole[name] = found[name] = value
        return found
