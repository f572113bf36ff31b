"""Formulas: expressions that give fields values, as far as all kinds of them are alike.

Whether what one gives can be a value of its field, what it may not be made of, and in which order several are
worked out. `derived.py` reads those of derived fields, `effects.py` those of effects and of new records.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping

from fenland.core.definitions.catalog import type_of
from fenland.core.definitions.field_reading import Notes, Path
from fenland.core.definitions.model import Field, Formula
from fenland.core.expressions import ExpressionMistake, parse
from fenland.core.expressions.checking import Checked, Names, check, check_condition
from fenland.core.expressions.kinds import NUMBERS

#: Which formula of a field is meant.
Which = Callable[[Field], Formula | None]

#: What else a value can be made of than what a field's kind of expression gives.
_FITTING: Mapping[str, Collection[str]] = {
    **dict.fromkeys(NUMBERS, NUMBERS),
    **dict.fromkeys(("date", "timestamp"), ("string",)),
}


def refuse_unfit(rule: Checked, item: Field, path: Path, word: str, notes: Notes) -> None:
    """Notes where what an expression gives can be no value of a field."""
    wanted = type_of(item).kind
    if rule.type.kind not in ("dyn", "null_type", wanted, *_FITTING.get(wanted, ())):
        what = f"{word} gives {rule.type}, and field {item.name!r} holds {wanted}."
        notes.add(path, what, "Convert it, or give the field another type.")


def refuse_derived(
    asked: Iterable[str], fields: Mapping[str, Field], path: Path, word: str, notes: Notes
) -> None:
    """Notes a derived field among those that are asked for."""
    for name in asked:
        if name in fields and fields[name].derived is not None:
            hint = "It is worked out after all others. Say what it is derived from."
            notes.add(path, f"{word} asks for {name!r}, which is derived.", hint)


class FormulaReader:
    """Reads the formulas of one collection, all of which speak of the same names."""

    def __init__(self, notes: Notes, fields: Mapping[str, Field], names: Names) -> None:
        self._notes, self._fields, self._names = notes, fields, names

    def formula(self, text: str, item: Field, path: Path, word: str) -> Formula | None:
        """The formula that a text is, of a field; None where it cannot be read, which is noted."""
        rule = self._read(text, path, check)
        if rule is None:
            return None
        refuse_unfit(rule, item, path, word, self._notes)
        formula = Formula(rule, self._notes.source.file, self._notes.source.line(path))
        if not (item.sensitive or item.write_only):
            self._refuse_secrets(formula, item, path)
        return formula

    def condition(self, text: str, path: Path) -> Checked | None:
        """A condition over the same names."""
        return self._read(text, path, check_condition)

    def _read(self, text: str, path: Path, reading: Callable[..., Checked]) -> Checked | None:
        try:
            return reading(text, parse(text), self._names)
        except ExpressionMistake as mistake:
            self._notes.add_expression(path, mistake)
            return None

    def _refuse_secrets(self, formula: Formula, item: Field, path: Path) -> None:
        for name in formula.inputs:
            asked = self._fields.get(name)
            if asked is not None and (asked.sensitive or asked.write_only):
                kind = "sensitive" if asked.sensitive else "writeOnly"
                what = f"Field {item.name!r} would be made of {name!r}, which is {kind}."
                self._notes.add(path, what, "It would show, and keep, what that must not. Leave it out.")

    def refuse_circles(self, fields: Mapping[str, Field], formula: Which, word: str) -> None:
        """Notes each field whose formula asks for itself, with the whole chain."""
        for circle in circles(fields, formula):
            chain = " → ".join([*circle, circle[0]])
            path: Path = ("fields", circle[0], word)
            self._notes.add(path, f"It asks for itself in a circle: {chain}.", "Break it somewhere.")


def in_order(fields: Mapping[str, Field], formula: Which) -> list[Field]:
    """The fields that have such a formula, each behind those that it asks for."""
    found: dict[str, Field] = {}

    def add(item: Field) -> None:
        if formula(item) is not None and item.name not in found:
            for name in _asked(item, fields, formula):
                add(fields[name])
            found[item.name] = item

    for item in fields.values():
        add(item)
    return list(found.values())


def circles(fields: Mapping[str, Field], formula: Which) -> Iterable[list[str]]:
    """The circles that such formulas go round in, each once and from the field that stands first."""
    told: set[str] = set()
    for name, item in fields.items():
        if formula(item) is None or name in told:
            continue
        circle = _way_back(name, fields, formula)
        if circle:
            told.update(circle)
            yield circle


def _way_back(start: str, fields: Mapping[str, Field], formula: Which) -> list[str]:
    """The shortest way from a field over what it asks for back to itself; nothing without one."""
    ways: list[list[str]] = [[start]]
    seen: set[str] = set()
    while ways:
        way = ways.pop(0)
        for name in _asked(fields[way[-1]], fields, formula):
            if name == start:
                return way
            if name not in seen:
                seen.add(name)
                ways.append([*way, name])
    return []


def _asked(item: Field, fields: Mapping[str, Field], formula: Which) -> list[str]:
    found = formula(item)
    inputs = () if found is None else found.inputs
    return [name for name in inputs if name in fields and formula(fields[name]) is not None]
