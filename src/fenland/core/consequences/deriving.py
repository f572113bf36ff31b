"""Deriving: the values of derived fields, worked out from the other fields of their record."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from fenland.core.consequences.fitting import Fitted
from fenland.core.definitions.formulas import in_order
from fenland.core.definitions.model import Collection, Formula
from fenland.core.definitions.validation import REFUSED
from fenland.core.expressions import EvaluationError
from fenland.core.problems import Problem

Record = dict[str, Any]
#: Told of a formula that failed where its field may hold nothing, and why.
Failed = Callable[[Formula, str], None]


class Derivations:
    """The derived fields of one collection, each behind those that it is derived from."""

    def __init__(self, collection: Collection) -> None:
        found = in_order(collection.fields, lambda item: item.derived)
        self._all = [Fitted(item, item.derived) for item in found if item.derived is not None]
        self.names = frozenset(one.field.name for one in self._all)
        #: By the pointer of each, the fields that it is derived from.
        self.inputs = {one.pointer: one.inputs for one in self._all}

    def values(self, record: Mapping[str, Any], problems: list[Problem], failed: Failed) -> Record:
        """The derived values of a record, by its other fields; what is wrong is added to the problems.

        Of what is derived from a field that is wrong already, nothing more is said.
        """
        if not self._all:
            return {}
        wrong = {problem.pointer.split("/", 2)[1] for problem in problems if problem.pointer}
        whole, found = dict(record), Record()
        for one in self._all:
            name = one.field.name
            if not wrong.isdisjoint(one.inputs):
                wrong.add(name)
                continue
            value = self._worked_out(one, whole, problems, failed)
            if value is REFUSED:
                wrong.add(name)
            else:
                whole[name] = found[name] = value
        return found

    @staticmethod
    def _worked_out(one: Fitted, record: Record, problems: list[Problem], failed: Failed) -> Any:
        value, why, item = None, "it comes to nothing", one.field
        try:
            value = one.value({"record": record}, problems)
        except EvaluationError as error:
            why = str(error).rstrip(".")
            if item.nullable:
                failed(one.formula, why)
        if value is None and not item.nullable:
            empty = [name for name in one.inputs if record.get(name) is None]
            detail = f"Cannot be worked out from {', '.join(one.inputs) or 'its expression'}: {why}."
            problems.append(Problem(one.pointer, "underivable", detail, {"empty": empty}))
            return REFUSED
        return value
