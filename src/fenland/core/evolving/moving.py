"""Moving: how a record is made of one of an older definition.

A field's value is carried over from the field that it was, turned into another where the definitions say so,
converted where it is kept otherwise, and filled where it must be given and is not. A value that does not fit
is refused, never bent.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from decimal import Decimal
from itertools import chain
from typing import Any

from fenland.core.consequences.fitting import Fitted
from fenland.core.definitions.model import Field, Formula, stored_form
from fenland.core.definitions.validation import REFUSED, Check, compile_field
from fenland.core.evolving.comparing import Move, Succession
from fenland.core.expressions import Compiled, EvaluationError, as_json, compiled
from fenland.core.expressions.checking import Checked
from fenland.core.expressions.tree import paths_in
from fenland.core.problems import Problem
from fenland.core.reserved import RESERVED
from fenland.core.values.plain import write_json
from fenland.core.values.texts import read_text

Convert = Callable[[Any], Any]


def converter(source: Field, item: Field) -> Convert | None:
    """What makes a field's value of one of the field that it was; None where it is the same.

    It gives `REFUSED` for a value that cannot be kept in the field, and asks nothing of its limits.
    """
    if stored_form(source) == stored_form(item):
        return None
    check = _kept(item)

    def convert(value: Any) -> Any:
        if value is None:
            return None
        if isinstance(value, bool) and item.type in ("integer", "number"):
            value = int(value)
        elif item.type == "boolean" and value in (0, 1) and not isinstance(value, (str, list, dict)):
            value = bool(value)
        elif item.type == "string":
            value = _text(value)
        elif isinstance(value, str):
            try:
                value = read_text(item.type, value)
            except ValueError:
                return REFUSED
        return check(value, "", [])

    return convert


def _kept(item: Field) -> Check:
    """A check that a value can be kept in a field, whatever the field's limits."""
    scale = {name: one for name, one in item.constraints.items() if name == "multipleOf" and item.scale}
    return compile_field(replace(item, constraints=scale, items=None, properties=None))


def _text(value: Any) -> str:
    if isinstance(value, str):
        return value
    if isinstance(value, Decimal):
        return format(value, "f")
    return write_json(value).decode()


class _Derived:
    """The value of a derived field, by the other fields as they come out."""

    def __init__(self, formula: Fitted, others: Mapping[str, Move]) -> None:
        movers = {name: FieldMover(others[name], others) for name in formula.inputs if name not in RESERVED}
        self._formula = formula
        self._moved = {name: one for name, one in movers.items() if not one.plain or one.source is None}
        #: What the others were called. Most are carried over as they are, in very many records.
        self._plain = [(name, str(one.source)) for name, one in movers.items() if name not in self._moved]
        self._plain += [(name, name) for name in formula.inputs if name in RESERVED]

    @property
    def asks(self) -> list[str]:
        moved = (name for mover in self._moved.values() for name in mover.asks)
        return [*moved, *(source for _, source in self._plain)]

    def value(self, older: Mapping[str, Any]) -> Any:
        record = {name: older[source] for name, source in self._plain}
        for name, mover in self._moved.items():
            record[name] = mover.value(older)
            if record[name] is REFUSED:
                return REFUSED
        problems: list[Problem] = []
        try:
            value = self._formula.value({"record": record}, problems)
        except EvaluationError:
            return None
        return REFUSED if problems else value


class _Worked:
    """The value of an expression over the older record, by the names and types of today."""

    def __init__(self, expression: Checked, others: Mapping[str, Move]) -> None:
        names = {path.steps[0].name for path in paths_in(expression.tree)}
        self._asked = {
            name: FieldMover(
                Move(replace(others[name].field, fill=None, values=None), others[name].source), {}
            )
            for name in sorted(names - RESERVED.keys())
        }
        self._reserved = sorted(names & RESERVED.keys())
        self._run: Compiled = compiled(expression.tree)

    @property
    def asks(self) -> list[str]:
        return [*(name for mover in self._asked.values() for name in mover.asks), *self._reserved]

    def value(self, older: Mapping[str, Any], check: Check) -> Any:
        record = {name: mover.carried(older) for name, mover in self._asked.items()}
        record |= {name: older[name] for name in self._reserved}
        if any(value is REFUSED for value in record.values()):
            return REFUSED
        try:
            value = as_json(self._run({"record": record}))
        except EvaluationError:
            return REFUSED
        return None if value is None else check(value, "", [])


class FieldMover:
    """Gives the value of one field of a record, by the older record."""

    def __init__(self, move: Move, others: Mapping[str, Move]) -> None:
        """`others` are the moves of all fields of the collection, by name."""
        self.move, self.field = move, move.field
        #: Whether its value comes once all records are moved.
        self.later = move.derives and move.later
        source = self._source = None if self.later else move.source
        self._convert = None if source is None else converter(source, move.field)
        self._fills, given = move.fills, move.field.values if move.turns else None
        self._filling = _Worked(move.field.fill, others) if move.fills and move.field.fill else None
        self._turning = _Worked(given, others) if isinstance(given, Checked) else None
        self._turned: Mapping[str, Any] = {} if given is None or isinstance(given, Checked) else given
        self._check = compile_field(move.field)
        item, self._derived = move.field, None
        if move.derives and not move.later and isinstance(item.derived, Formula) and item.derived.at_hand:
            self._derived = _Derived(Fitted(item, item.derived), others)

    @property
    def plain(self) -> bool:
        """Whether the value is carried over as it is, or there is none."""
        if self._derived is not None:
            return False
        return self._convert is None and not self._fills and self._turning is None and not self._turned

    @property
    def source(self) -> str | None:
        """The name of the field that it was."""
        return None if self._source is None else self._source.name

    @property
    def asks(self) -> list[str]:
        """The names of the older record's fields that the value depends on."""
        if self._derived is not None:
            return list(dict.fromkeys(self._derived.asks))
        own = [] if self._source is None else [self._source.name]
        worked = [one.asks for one in (self._turning, self._filling) if one is not None]
        return list(dict.fromkeys([*own, *chain.from_iterable(worked)]))

    def value(self, older: Mapping[str, Any]) -> Any:
        """The value, or `REFUSED`."""
        if self._derived is not None:
            return self._derived.value(older)
        value = self.carried(older) if self._turning is None else self._turning.value(older, self._check)
        return self._filled(older) if value is None and self._fills else value

    def carried(self, older: Mapping[str, Any]) -> Any:
        """The value of the field that it was, converted."""
        value = None if self._source is None else older[self._source.name]
        if self._turned and value is not None and (text := _text(value)) in self._turned:
            return self._turned[text]
        return value if self._convert is None or value is None else self._convert(value)

    def _filled(self, older: Mapping[str, Any]) -> Any:
        if self._filling is None:
            return self._check(self.field.default, "", [])
        return self._filling.value(older, self._check)


class Mover:
    """Makes records of one collection of those of an older definition of it."""

    def __init__(self, succession: Succession) -> None:
        others = {move.field.name: move for move in succession.moves}
        self.fields = {name: FieldMover(move, others) for name, move in others.items()}

    def record(self, older: Mapping[str, Any]) -> dict[str, Any]:
        """The record; `REFUSED` stands for a value that does not fit."""
        kept = {name: older[name] for name in RESERVED}
        return kept | {name: mover.value(older) for name, mover in self.fields.items()}
