"""Effects, and what new records begin with: how `effects` and `default: {expression: …}` are read.

An effect says when it happens (`on`), under which condition (`if`), and what it does: set fields of the
record, or change, create or delete others. That is done by `core/consequences/effects.py` and, for others,
`service/changes/following.py`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.definitions.asking import own_needs
from fenland.core.definitions.calls import read_call
from fenland.core.definitions.catalog import rule_names
from fenland.core.definitions.field_reading import Notes, Path, known_keywords
from fenland.core.definitions.formulas import FormulaReader, refuse_circles, refuse_derived
from fenland.core.definitions.model import (
    TRIGGERS,
    Collection,
    Does,
    Effect,
    Field,
    Formula,
    Search,
    Trigger,
)
from fenland.core.definitions.own import Call
from fenland.core.expressions.checking import Checked
from fenland.core.expressions.tree import Step
from fenland.core.expressions.types import Catalog, record_of
from fenland.core.names import NOTICE, did_you_mean
from fenland.core.values.plain import MISSING, as_written, write_json

_SPEAK = "Speak of after, the record as it would be, and of before, as it was."
#: Words of effects that are about other records, and all of them.
_OTHERS: tuple[Does, ...] = ("change", "create", "delete")
EFFECT_WORDS = ("on", "if", "set", *_OTHERS, "each", "pick", "where", "call", "notice", "with", "pass")
_BEGINS = "There is no record yet. Speak of next, the record as it would be."


class EffectReader:
    """Reads what changes of one collection bring with them, once its fields are known."""

    def __init__(
        self, notes: Notes, collection: Collection, collections: Mapping[str, Collection], catalog: Catalog
    ) -> None:
        self._notes, self._collection, self._fields = notes, collection, collection.fields
        names = rule_names(catalog, collection.name, ("before", "after"))
        names = replace(names, absent=dict.fromkeys(("record", "next"), _SPEAK))
        self._names, self._reader = names, FormulaReader(notes, collections, names)
        self._collections = collections
        names = rule_names(catalog, collection.name, ("next",))
        names = replace(names, absent=dict.fromkeys(("record", "before", "after"), _BEGINS))
        self._first, self._beginning = names, FormulaReader(notes, collections, names)

    # --- what new records begin with ------------------------------------------------------------------

    def initial(self, fields: Mapping[str, Field]) -> dict[str, Field]:
        """The fields, with what gives new records their values."""
        found = {name: item if item.initial is None else self._initial(item) for name, item in fields.items()}
        needs = own_needs(found, lambda item: None if item.initial is None else item.initial.inputs)
        refuse_circles(needs, "default", self._notes)
        return found

    def _initial(self, item: Field) -> Field:
        path: Path = ("fields", item.name, "default")
        given: Any = item.initial
        if isinstance(given, dict):
            formula = self._picked(given, item, path)
        else:
            path = (*path, "expression")
            formula = self._beginning.formula(given, item, path, "default")
        if formula is not None:
            refuse_derived(formula.inputs, self._fields, path, "default", self._notes)
        return replace(item, initial=formula)

    def _picked(self, given: Mapping[str, Any], item: Field, path: Path) -> Formula | None:
        """What one record at random gives, of those of a collection where a condition holds."""
        notes, of, before = self._notes, given.get("of"), len(self._notes.mistakes)
        for word in (one for one in given if not isinstance(given[one], str)):
            notes.add((*path, word), f"{word} is {as_written(given[word])}.", "It must be a text.")
        if of is None:
            notes.add(path, "A pick does not say of which records.", "Add of: with a collection.")
        elif isinstance(of, str) and of not in self._collections:
            hint = did_you_mean(of, self._collections)
            notes.add((*path, "of"), f"of names {as_written(of)}, which is no collection.", hint)
        if len(notes.mistakes) > before or of is None:
            return None
        names = replace(self._first, types={**self._first.types, "each": record_of(of)})
        reader = FormulaReader(notes, self._collections, names)
        condition = self._condition(reader, given, "where", path)
        formula = reader.formula(given["pick"], item, (*path, "pick"), "default")
        found = Search(of, condition, at_random=True)
        return None if formula is None or len(notes.mistakes) > before else replace(formula, search=found)

    # --- effects --------------------------------------------------------------------------------------

    def effects(self, data: Sequence[Any]) -> tuple[Effect, ...]:
        """The effects, in the order in which they stand."""
        found = (self._effect(given, ("effects", number)) for number, given in enumerate(data))
        return tuple(one for one in found if one is not None)

    def _effect(self, given: Any, path: Path) -> Effect | None:
        notes = self._notes
        if not isinstance(given, dict):
            what = f"effects holds {as_written(given)}."
            notes.add(path, what, "Each must be a mapping with on: and set:.")
            return None
        before = len(notes.mistakes)
        values = dict(known_keywords(given, path, dict.fromkeys(EFFECT_WORDS), notes, "An effect"))
        on = self._on(values.get("on"), path)
        condition = self._condition(self._reader, values, "if", path)
        place = (notes.source.file, notes.source.line(path))
        if "call" in values:
            found = self._called(values, on, path)
            own = self._collection.name
            called = (
                None if found is None else Effect(on, {}, condition, found[0], own, None, *place, found[1])
            )
            return called if len(notes.mistakes) == before else None
        if "notice" in values:
            notice, says = self._noticed(values, path)
            own = self._collection.name
            left = Effect(on, says, condition, "notice", own, None, *place, notice=notice)
            return left if len(notes.mistakes) == before else None
        if "pass" in values:
            own = self._collection.name
            made = Effect(on, {}, condition, "pass", own, None, *place)
            passing = self._passing(values, made, path)
            return passing if len(notes.mistakes) == before else None
        if "with" in values:
            notes.add((*path, "with"), "with does not say of which notice.", "Add notice:, or remove with.")
        does = self._does(values, path)
        search = self._search(does, values, path)
        target = self._target(does, values, search, path)
        if target is None:
            return None
        reader = self._reader if search is None else self._reader_of(search.collection)
        sets: dict[str, Formula] = {}
        if does != "delete":
            sets = _Sets(notes, reader, target, _Setting(does, on)).read(values.get("set"), (*path, "set"))
        elif "set" in values:
            notes.add((*path, "set"), "What is deleted holds nothing.", "Remove set.")
        if does == "set" and "delete" in on:
            notes.add((*path, "on"), "Of a record that is deleted nothing is left to set.", "Remove delete.")
        if len(notes.mistakes) > before:
            return None
        return Effect(on, sets, condition, does, target.name, search, *place)

    def _condition(
        self, reader: FormulaReader, values: Mapping[str, Any], word: str, path: Path
    ) -> Checked | None:
        text = values.get(word)
        if isinstance(text, str):
            return reader.condition(text, (*path, word))
        if text is not None:
            what = f"{word} is {as_written(text)}."
            self._notes.add((*path, word), what, "Write a condition, as a text.")
        return None

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

    def _called(
        self, values: Mapping[str, Any], on: frozenset[Trigger], path: Path
    ) -> tuple[Does, Call] | None:
        """What a function does, and that."""
        self._refuse_beside("call", values, path)
        call = read_call(self._notes, values["call"], (*path, "call"), "effect", "setting")
        if call is None:
            return None
        sets = call.function is not None and call.function.kind == "setting"
        if sets and "delete" in on:
            what = "Of a record that is deleted nothing is left to set."
            self._notes.add((*path, "on"), what, "Remove delete.")
        return ("set" if sets else "call"), call

    def _refuse_beside(self, word: str, values: Mapping[str, Any], path: Path, *others: str) -> None:
        for other in (one for one in values if one not in ("on", "if", word, *others)):
            what = f"An effect says {word}, so {other} has no say."
            self._notes.add((*path, other), what, f"Remove {other}, or {word}.")

    def _noticed(self, values: Mapping[str, Any], path: Path) -> tuple[str, dict[str, Formula]]:
        """What a notice is called, and what it says, by name."""
        notes, name, given = self._notes, values["notice"], values.get("with", {})
        self._refuse_beside("notice", values, path, "with")
        if not isinstance(name, str) or not NOTICE.fullmatch(name):
            hint = "Use lower-case letters, digits, - and ., as in ticket-closed."
            notes.add((*path, "notice"), f"notice is {as_written(name)}.", hint)
        if not isinstance(given, dict):
            hint = "Write a mapping of names and the expressions that give them values."
            notes.add((*path, "with"), f"with is {as_written(given)}.", hint)
            return "", {}
        found = {}
        for word, value in given.items():
            place = (*path, "with", word)
            text = value if isinstance(value, str) else write_json(value).decode()
            rule = self._reader.expression(text, place)
            if rule is not None:
                self._reader.refuse_secrets(rule, Field(f"{name}.{word}"), place)
                found[word] = Formula(rule, notes.source.file, notes.source.line(place))
        return str(name), found

    def _passing(self, values: Mapping[str, Any], effect: Effect, path: Path) -> Effect | None:
        """One that makes a pass for its record, of a template of the collection."""
        notes, template = self._notes, values["pass"]
        before = len(notes.mistakes)
        self._refuse_beside("pass", values, path)
        if not isinstance(template, str):
            what = f"pass is {as_written(template)}."
            notes.add((*path, "pass"), what, "Name a template of passes.")
        if "delete" in effect.on:
            notes.add((*path, "on"), "There is no pass for a record that is deleted.", "Remove delete.")
        return replace(effect, template=str(template)) if len(notes.mistakes) == before else None

    # --- which records ----------------------------------------------------------------------------------

    def _does(self, values: Mapping[str, Any], path: Path) -> Does:
        said = [one for one in _OTHERS if one in values]
        if len(said) > 1:
            what = f"An effect says {' and '.join(said)}."
            self._notes.add(path, what, "Write an effect for each.")
        return said[0] if said else "set"

    def _reader_of(self, collection: str) -> FormulaReader:
        """The same names, and each: the record that was found."""
        names = replace(self._names, types={**self._names.types, "each": record_of(collection)})
        return FormulaReader(self._notes, self._collections, names)

    def _search(self, does: Does, values: Mapping[str, Any], path: Path) -> Search | None:
        """The records that it finds, whichever word says so."""
        notes = self._notes
        words = [one for one in ("change", "delete", "each", "pick") if one in values]
        if does in ("change", "delete"):
            words = [does, *(one for one in words if one not in _OTHERS)]
        if len(words) > 1:
            what = f"{words[0]} and {words[1]} both say which records."
            notes.add((*path, words[1]), what, f"Remove {words[1]}.")
        if "each" in values and does == "set":
            notes.add((*path, "each"), "It has one record to set, not one for each.", "Add create:.")
        if not words:
            if "where" in values:
                notes.add((*path, "where"), "where does not say of which records.", "Add change:, for one.")
            return None
        word, given = words[0], values[words[0]]
        if does in ("change", "delete") and isinstance(given, str) and "." in given:
            if "where" in values:
                notes.add((*path, "where"), "A reference leads to one record.", "Remove where.")
            return self._led(given, (*path, word))
        if not isinstance(given, str) or given not in self._collections:
            hint = did_you_mean(str(given), self._collections)
            notes.add((*path, word), f"{word} names {as_written(given)}, which is no collection.", hint)
            return None
        condition = self._condition(self._reader_of(given), values, "where", path)
        return Search(given, condition, word == "pick")

    def _led(self, text: str, path: Path) -> Search | None:
        """The record that references lead to."""
        root, *steps = text.split(".")
        if root not in ("before", "after"):
            self._notes.add(path, f"{text} begins with {root!r}.", _SPEAK)
            return None
        name, found = self._collection.name, list[Step]()
        for step in steps:
            item = self._collections[name].fields.get(step)
            if item is None:
                hint = did_you_mean(step, self._collections[name].fields)
                self._notes.add(path, f"{text}: {name} has no field {step!r}.", hint)
                return None
            if item.references not in self._collections:
                self._notes.add(path, f"{text}: {step} refers to nothing.", "Follow a reference.")
                return None
            name = str(item.references)
            found.append(Step(step, name))
        return Search(name, root=root, steps=tuple(found))

    def _target(
        self, does: Does, values: Mapping[str, Any], search: Search | None, path: Path
    ) -> Collection | None:
        """The collection of the records that are written."""
        if does == "set":
            return self._collection
        if does == "create":
            found = self._collections.get(values["create"]) if isinstance(values["create"], str) else None
            if found is None:
                hint = did_you_mean(str(values["create"]), self._collections)
                what = f"create names {as_written(values['create'])}, which is no collection."
                self._notes.add((*path, "create"), what, hint)
            return found
        return None if search is None else self._collections[search.collection]


def refuse_unknown_passes(notes: Notes, collection: Collection) -> None:
    """Notes effects that make passes of no template of the collection, or of one that lists."""
    effects, templates = (notes.source.data.get(word) for word in ("effects", "passes"))
    known = templates if isinstance(templates, dict) else {}
    for number, given in enumerate(effects if isinstance(effects, list) else ()):
        name = given.get("pass") if isinstance(given, dict) else None
        path: Path = ("effects", number, "pass")
        if not isinstance(name, str):
            continue
        if name not in known:
            notes.add(
                path, f"pass names {name!r}, which is no template of passes.", did_you_mean(name, known)
            )
        elif name in collection.passes and collection.passes[name].lists:
            notes.add(path, f"{name!r} lists, and is for no one record.", "Name another template.")


@dataclass(frozen=True, slots=True)
class _Setting:
    """What an effect does that sets fields, and on what."""

    does: Does
    on: frozenset[Trigger]


class _Sets:
    """Reads what `set` gives the fields of a collection."""

    def __init__(self, notes: Notes, reader: FormulaReader, target: Collection, setting: _Setting) -> None:
        self._notes, self._reader, self._target = notes, reader, target
        self._does, self._on = setting.does, setting.on

    def read(self, given: Any, path: Path) -> dict[str, Formula]:
        """The formula of each field that it names."""
        if not isinstance(given, dict) or not given:
            what = "An effect does nothing." if given is None else f"set is {as_written(given)}."
            place = path[:-1] if given is None else path
            self._notes.add(place, what, "Add set: with fields and the expressions that give them values.")
            return {}
        found, fields = {}, self._target.fields
        for name, value in given.items():
            item, place = fields.get(name), (*path, name)
            if item is None:
                hint = did_you_mean(str(name), fields)
                self._notes.add(place, f"An effect sets {as_written(name)}, which is no field.", hint)
                continue
            self._settable(item, place)
            # A text is an expression; everything else stands for itself.
            text = value if isinstance(value, str) else write_json(value).decode()
            formula = self._reader.formula(text, item, place, "set")
            if formula is not None:
                found[name] = formula
        if self._does == "create":
            self._refuse_missing(given, path)
        return found

    def _refuse_missing(self, given: Mapping[str, Any], path: Path) -> None:
        for item in self._target.fields.values():
            settled = item.begins or item.derived is not None or item.default is not MISSING
            if item.filled and not settled and item.name not in (*given, self._target.owner):
                what = f"It creates {self._target.name} without {item.name}, which is required."
                self._notes.add(path, what, f"Set {item.name} too, or give it a default.")

    def _settable(self, item: Field, path: Path) -> None:
        fresh = self._does == "create" or (self._does == "set" and self._on == {"create"})
        if item.derived is not None:
            what, hint = f"An effect sets {item.name!r}, which is derived.", "Remove one of both."
            self._notes.add(path, what, hint)
        elif item.name == self._target.key and self._does != "create":
            self._notes.add(path, f"An effect sets the key {item.name!r}.", "Give it a default.")
        elif item.fixed and not fresh:
            what = f"An effect sets {item.name!r}, which is fixed, and not on create alone."
            self._notes.add(path, what, "Write on: [create], or remove fixed.")
