"""Effects, and what new records begin with: how `effects` and `default: {expression: …}` are read.

An effect says when it happens (`on`), under which condition (`if`), and which fields of the record it sets.
What it does is done by `core/consequences/effects.py`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from fenland.core.definitions.asking import own_needs
from fenland.core.definitions.catalog import rule_names
from fenland.core.definitions.field_reading import Notes, Path, known_keywords
from fenland.core.definitions.formulas import FormulaReader, refuse_circles, refuse_derived
from fenland.core.definitions.model import TRIGGERS, Collection, Effect, Field, Formula, Trigger
from fenland.core.expressions.types import Catalog
from fenland.core.names import did_you_mean
from fenland.core.values.plain import as_written, write_json

_SPEAK = "Speak of after, the record as it would be, and of before, as it was."
_BEGINS = "There is no record yet. Speak of next, the record as it would be."


class EffectReader:
    """Reads what changes of one collection bring with them, once its fields are known."""

    def __init__(
        self, notes: Notes, collection: Collection, collections: Mapping[str, Collection], catalog: Catalog
    ) -> None:
        self._notes, self._collection, self._fields = notes, collection, collection.fields
        names = rule_names(catalog, collection.name, ("before", "after"))
        names = replace(names, absent=dict.fromkeys(("record", "next"), _SPEAK))
        self._reader = FormulaReader(notes, collections, names)
        names = rule_names(catalog, collection.name, ("next",))
        names = replace(names, absent=dict.fromkeys(("record", "before", "after"), _BEGINS))
        self._beginning = FormulaReader(notes, collections, names)

    # --- what new records begin with ------------------------------------------------------------------

    def initial(self, fields: Mapping[str, Field]) -> dict[str, Field]:
        """The fields, with what gives new records their values."""
        found = {name: item if item.initial is None else self._initial(item) for name, item in fields.items()}
        needs = own_needs(found, lambda item: None if item.initial is None else item.initial.inputs)
        refuse_circles(needs, "default", self._notes)
        return found

    def _initial(self, item: Field) -> Field:
        path: Path = ("fields", item.name, "default", "expression")
        text: Any = item.initial
        formula = self._beginning.formula(text, item, path, "default")
        if formula is not None:
            refuse_derived(formula.inputs, self._fields, path, "default", self._notes)
        return replace(item, initial=formula)

    # --- effects --------------------------------------------------------------------------------------

    def effects(self, data: Sequence[Any]) -> tuple[Effect, ...]:
        """The effects, in the order in which they stand."""
        found = (self._effect(given, ("effects", number)) for number, given in enumerate(data))
        return tuple(one for one in found if one is not None)

    def _effect(self, given: Any, path: Path) -> Effect | None:
        notes = self._notes
        if not isinstance(given, dict):
            notes.add(
                path, f"effects holds {as_written(given)}.", "Each must be a mapping with on: and set:."
            )
            return None
        before = len(notes.mistakes)
        known = dict.fromkeys(("on", "if", "set"))
        values = dict(known_keywords(given, path, known, notes, "An effect"))
        on = self._on(values.get("on"), path)
        condition, text = None, values.get("if")
        if isinstance(text, str):
            condition = self._reader.condition(text, (*path, "if"))
        elif text is not None:
            notes.add((*path, "if"), f"if is {as_written(text)}.", "Write a condition, as a text.")
        sets = self._sets(values.get("set"), on, (*path, "set"))
        if len(notes.mistakes) > before:
            return None
        return Effect(on, sets, condition, notes.source.file, notes.source.line(path))

    def _on(self, given: Any, path: Path) -> frozenset[Trigger]:
        words = [given] if isinstance(given, str) else given
        hint = f"Write a list of {', '.join(TRIGGERS[:-1])} and {TRIGGERS[-1]}."
        if not isinstance(words, list) or not words:
            what = (
                "An effect does not say on what it happens."
                if given is None
                else f"on is {as_written(given)}."
            )
            self._notes.add(path if given is None else (*path, "on"), what, hint)
            return frozenset()
        for word in words:
            if word not in TRIGGERS:
                self._notes.add((*path, "on"), f"on names {as_written(word)}.", hint)
        return frozenset(one for one in TRIGGERS if one in words)

    def _sets(self, given: Any, on: frozenset[Trigger], path: Path) -> dict[str, Formula]:
        if not isinstance(given, dict) or not given:
            what = "An effect does nothing." if given is None else f"set is {as_written(given)}."
            place = path[:-1] if given is None else path
            self._notes.add(place, what, "Add set: with fields and the expressions that give them values.")
            return {}
        found = {}
        for name, value in given.items():
            item, place = self._fields.get(name), (*path, name)
            if item is None:
                hint = did_you_mean(str(name), self._fields)
                self._notes.add(place, f"An effect sets {as_written(name)}, which is no field.", hint)
                continue
            self._settable(item, on, place)
            # A text is an expression; everything else stands for itself.
            text = value if isinstance(value, str) else write_json(value).decode()
            formula = self._reader.formula(text, item, place, "set")
            if formula is not None:
                found[name] = formula
        return found

    def _settable(self, item: Field, on: frozenset[Trigger], path: Path) -> None:
        if item.derived is not None:
            what, hint = f"An effect sets {item.name!r}, which is derived.", "Remove one of both."
            self._notes.add(path, what, hint)
        elif item.name == self._collection.key:
            self._notes.add(path, f"An effect sets the key {item.name!r}.", "Give it a default.")
        elif item.fixed and on != {"create"}:
            what = f"An effect sets {item.name!r}, which is fixed, and not on create alone."
            self._notes.add(path, what, "Write on: [create], or remove fixed.")
