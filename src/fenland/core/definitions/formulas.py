"""Formulas: expressions that give fields values, as far as all kinds of them are alike.

Whether what one gives can be a value of its field, and what it may not be made of. `derived.py` reads those
of derived fields, `effects.py` those of effects and of new records.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from collections.abc import Collection as Words

from fenland.core.definitions.asking import Place, circles, places_on
from fenland.core.definitions.catalog import type_of
from fenland.core.definitions.field_reading import Notes, Path
from fenland.core.definitions.model import Collection, Field, Formula
from fenland.core.expressions import ExpressionMistake, parse
from fenland.core.expressions.checking import Checked, Names, check, check_condition
from fenland.core.expressions.kinds import NUMBERS
from fenland.core.expressions.tree import paths_in

#: What else a value can be made of than what a field's kind of expression gives.
_FITTING: Mapping[str, Words[str]] = {
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

    def __init__(self, notes: Notes, collections: Mapping[str, Collection], names: Names) -> None:
        """`collections` are all of the project, by name."""
        self._notes, self._collections, self._names = notes, collections, names

    def formula(self, text: str, item: Field, path: Path, word: str) -> Formula | None:
        """The formula that a text is, of a field; None where it cannot be read, which is noted."""
        rule = self.expression(text, path)
        if rule is None:
            return None
        refuse_unfit(rule, item, path, word, self._notes)
        formula = Formula(rule, self._notes.source.file, self._notes.source.line(path))
        self.refuse_secrets(rule, item, path)
        return formula

    def expression(self, text: str, path: Path) -> Checked | None:
        """An expression over the same names, which is noted where it cannot be read."""
        return self._read(text, path, check)

    def condition(self, text: str, path: Path) -> Checked | None:
        """A condition over the same names."""
        return self._read(text, path, check_condition)

    def _read(self, text: str, path: Path, reading: Callable[..., Checked]) -> Checked | None:
        try:
            return reading(text, parse(text), self._names)
        except ExpressionMistake as mistake:
            self._notes.add_expression(path, mistake)
            return None

    def refuse_secrets(self, rule: Checked, item: Field, path: Path) -> None:
        """Notes where its result would show, and keep, what fields that it asks for must not."""
        if item.sensitive or item.write_only:
            return
        for collection, name in asked_by_root(rule, self._names):
            asked = self._collections[collection].fields.get(name)
            if asked is not None and (asked.sensitive or asked.write_only):
                kind = "sensitive" if asked.sensitive else "writeOnly"
                what = f"Field {item.name!r} would be made of {name!r}, which is {kind}."
                self._notes.add(path, what, "It would show, and keep, what that must not. Leave it out.")


def asked_by_root(rule: Checked, names: Names) -> dict[Place, None]:
    """The fields that an expression asks for, of whichever records its names stand for."""
    found: dict[Place, None] = {}
    for path in paths_in(rule.tree):
        found |= dict.fromkeys(places_on(path, names.types[path.root].collection))
    return found


def refuse_circles(needs: Mapping[str, Sequence[str]], word: str, notes: Notes) -> None:
    """Notes each field of a collection whose formula asks for itself, with the whole chain."""
    for circle in circles(needs):
        chain = " → ".join([*circle, circle[0]])
        path: Path = ("fields", circle[0], word)
        notes.add(path, f"It asks for itself in a circle: {chain}.", "Break it somewhere.")
