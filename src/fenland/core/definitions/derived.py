"""Derived fields: how `derived` is read.

A derived field's value is that of an expression over its record and what that refers to, or what the records
of a collection that refer to it come to together. Only what can make it go stale, or bring back what was
erased, is refused here; what an expression gives is fitted to the field by `core/consequences/fitting.py`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

from fenland.core.definitions.asking import circles, derived_inputs, derived_needs, own_needs
from fenland.core.definitions.calls import read_call
from fenland.core.definitions.catalog import AROUND, type_of
from fenland.core.definitions.field_reading import Notes, Path, known_keywords
from fenland.core.definitions.formulas import FormulaReader, asked_by_root, refuse_circles, refuse_unfit
from fenland.core.definitions.model import GATHERS, Aggregate, Collection, Field, Formula, Gather
from fenland.core.expressions.checking import Checked, Names
from fenland.core.expressions.kinds import NUMBERS
from fenland.core.expressions.tree import Constant, paths_in
from fenland.core.expressions.types import INT, Catalog, record_of
from fenland.core.names import did_you_mean
from fenland.core.values.plain import as_written

#: What changes with every save, or by itself: a value made of it would not be right for long.
_STALE = ("version", "updated_at", "updated_by")
_ABSENT = {
    **dict.fromkeys(AROUND, "What is derived is worked out when the record is saved, and would go stale."),
    **dict.fromkeys(("next", "before", "after"), "Speak of record: it is the record as it is saved."),
}
_OF_EACH = {
    **_ABSENT,
    **dict.fromkeys(("record", "next", "before", "after"), "Speak of each, which refers here."),
}
#: Keywords that say where a value comes from or goes to, which of a derived one is settled; and why not.
_CONTRADICTING: Mapping[str, str] = {
    "default": "Its value is always worked out.",
    "readOnly": "Nobody can set it anyway.",
    "fixed": "It changes with what it is derived from.",
    "references": "What it refers to could not be kept from going.",
    "blank": "Nobody sends it.",
    "sensitive": "What is erased would be worked out again.",
    "writeOnly": "Nobody could read it.",
    "fill": "Records that are there get the derived value.",
    "values": "Records that are there get the derived value.",
}
#: What a count gives.
_COUNT = Checked("", Constant(0, "", 0), INT)
_FORM = "Write {count: tickets.station}, or {sum: each.hours, of: tickets.station}, with names of your own."
#: Kinds whose values have a lowest and a highest.
_ORDERED = (*NUMBERS, "string", "date", "timestamp")


class DerivedReader:
    """Reads the derived fields of one collection, once the fields of all are known."""

    def __init__(
        self, notes: Notes, collection: Collection, collections: Mapping[str, Collection], catalog: Catalog
    ) -> None:
        self._notes, self._catalog = notes, catalog
        self._collection, self._collections = collection, collections
        names = Names({"record": record_of(collection.name)}, catalog, absent=_ABSENT)
        self._names, self._reader = names, FormulaReader(notes, collections, names)

    def read(self, fields: Mapping[str, Field]) -> dict[str, Field]:
        """The fields, those that are derived with what from; or without where that cannot be read."""
        found = {name: item if item.derived is None else self._read(item) for name, item in fields.items()}
        needs = own_needs(found, derived_inputs)
        refuse_circles(needs, "derived", self._notes)
        return found

    def _read(self, item: Field) -> Field:
        path: Path = ("fields", item.name, "derived")
        self._together(item, path)
        given: Any = item.derived
        found: Formula | Aggregate | None
        if isinstance(given, str):
            found = self._reader.formula(given, item, path, "derived")
            if found is not None:
                self._refuse_stale(found.rule, self._names, path)
        elif "call" in given:
            found = self._called(given, item, path)
        else:
            found = self._aggregate(given, item, path)
        return replace(item, derived=found)

    def _refuse_stale(self, rule: Checked, names: Names, path: Path) -> None:
        for _, name in asked_by_root(rule, names):
            if name in _STALE:
                what = f"derived asks for {name}, which changes with every save."
                self._notes.add(path, what, "Leave it out.")

    # --- what a function makes of it --------------------------------------------------------------------

    def _called(self, given: Mapping[str, Any], item: Field, path: Path) -> Formula | None:
        """What a function gives, by what the expressions under `of` come to."""
        notes, before = self._notes, len(self._notes.mistakes)
        values = dict(known_keywords(given, path, dict.fromkeys(("call", "of")), notes, "derived"))
        call, texts = read_call(notes, values["call"], (*path, "call"), "derivation"), values.get("of")
        if not isinstance(texts, list) or not texts or not all(isinstance(one, str) for one in texts):
            what = "derived calls a function and does not say of what."
            notes.add(path, what, "Write of: with a list of expressions, such as [record.hours].")
            return None
        for place, text in enumerate(texts):
            rule = self._reader.expression(text, (*path, "of", place))
            if rule is not None:
                self._refuse_stale(rule, self._names, (*path, "of", place))
                self._reader.refuse_secrets(rule, item, (*path, "of", place))
        function = None if call is None else call.function
        if function is not None and not function.needed <= len(texts) <= len(function.parameters):
            takes = ", ".join(function.parameters)
            what = f"{function.name}({takes}) in line {function.line} of rules.py takes other arguments."
            notes.add(path, what, f"of has {len(texts)}: let it name as many.")
        if len(notes.mistakes) > before:
            return None
        # Any of them may end in a comment.
        whole = "\n, ".join(texts)
        rule = self._reader.expression(f"[{whole}\n]", path)
        if rule is None:
            return None
        rule = replace(rule, text=f"[{', '.join(texts)}]")
        return Formula(rule, notes.source.file, notes.source.line(path), call)

    # --- what records that refer to this one come to ---------------------------------------------------

    def _aggregate(self, given: Mapping[str, Any], item: Field, path: Path) -> Aggregate | None:
        notes, before = self._notes, len(self._notes.mistakes)
        known = dict.fromkeys((*GATHERS, "of", "if"))
        values = dict(known_keywords(given, path, known, notes, "derived"))
        kinds = [one for one in GATHERS if one in values]
        if len(kinds) != 1:
            said = f"says {' and '.join(kinds)}" if kinds else "does not say what is gathered"
            notes.add(path, f"derived {said}.", f"Write one of {', '.join(GATHERS)}.")
            return None
        kind = kinds[0]
        for word, value in values.items():
            if not isinstance(value, str):
                notes.add((*path, word), f"{word} is {as_written(value)}.", "It must be a text.")
        if len(notes.mistakes) > before:
            return None
        of = self._of(kind, values, path)
        if of is None:
            return None
        names = Names({"each": record_of(of[0])}, self._catalog, absent=_OF_EACH)
        value, condition = self._rules(kind, values, names, item, path)
        if len(notes.mistakes) > before:
            return None
        return Aggregate(kind, *of, value, condition, notes.source.file, notes.source.line(path))

    def _of(self, kind: Gather, values: Mapping[str, Any], path: Path) -> tuple[str, str] | None:
        """The collection whose records refer to this one's, and by which field."""
        notes, word = self._notes, "count" if kind == "count" else "of"
        if kind == "count" and "of" in values:
            notes.add((*path, "of"), "A count says itself what is counted.", "Remove of.")
            return None
        text = values.get(word)
        if text is None:
            notes.add(path, f"{kind} does not say of which records.", "Add of: tickets.station, for one.")
            return None
        place: Path = (*path, word)
        name, _, field = text.partition(".")
        collection = self._collections.get(name)
        if collection is None:
            hint = did_you_mean(name, self._collections) if field else _FORM
            notes.add(place, f"{word} names {name!r}, which is no collection.", hint)
            return None
        item, mine = collection.fields.get(field), self._collection.name
        if item is None or item.references != mine:
            referring = [one.name for one in collection.fields.values() if one.references == mine]
            hint = did_you_mean(field, referring) if referring else "None of its fields does."
            what = f"{name}.{field}" if field else f"{name} alone"
            notes.add(place, f"{word} is {what}, which does not refer to {mine}.", hint)
            return None
        return name, field

    def _rules(
        self, kind: Gather, values: Mapping[str, Any], names: Names, item: Field, path: Path
    ) -> tuple[Checked | None, Checked | None]:
        """What each gives, and which of them count."""
        reader, value, condition = FormulaReader(self._notes, self._collections, names), None, None
        if "if" in values:
            condition = reader.condition(values["if"], (*path, "if"))
        if kind == "count":
            refuse_unfit(_COUNT, item, path, "count", self._notes)
        else:
            value = reader.expression(values[kind], (*path, kind))
        if value is not None:
            self._refuse_kind(kind, value, item, (*path, kind))
            reader.refuse_secrets(value, item, path)
        for rule in (value, condition):
            if rule is None:
                continue
            self._refuse_stale(rule, names, path)
            if condition is rule:
                reader.refuse_secrets(rule, item, path)
            if any(len(one.steps) > 2 for one in paths_in(rule.tree)):
                what = "It follows more than one reference of each record."
                self._notes.add(path, what, "Derive a field there, and gather that.")
        return value, condition

    def _refuse_kind(self, kind: Gather, value: Checked, item: Field, path: Path) -> None:
        given = value.type.kind
        if kind in ("sum", "mean"):
            numbers = type_of(item).kind in NUMBERS and given in (*NUMBERS, "dyn")
            if not numbers:
                what = f"{kind} of {value.type} in field {item.name!r}, which holds {type_of(item).kind}."
                self._notes.add(path, what, "Both must be numbers.")
            return
        if given not in (*_ORDERED, "dyn"):
            self._notes.add(path, f"{value.type} has no {kind}.", "Gather numbers, texts, dates or moments.")
        refuse_unfit(value, item, path, kind, self._notes)

    def _together(self, item: Field, path: Path) -> None:
        """Keywords that a derived field cannot have."""
        declared = self._notes.source.data["fields"][item.name]
        for word, why in _CONTRADICTING.items():
            if word in declared and declared[word] is not False:
                what = f"Field {item.name!r} is derived, so {word} has no say."
                self._notes.add((*path[:-1], word), what, f"{why} Remove {word}, or derived.")
        for word in ("key", "owner"):
            if getattr(self._collection, word) == item.name:
                what = f"Field {item.name!r} is the {word}, and cannot be derived."
                self._notes.add(path, what, "Remove derived, or name another field.")


def refuse_circles_beyond(collections: Mapping[str, Collection], notes: Mapping[str, Notes]) -> None:
    """Notes each derived field that asks for itself over other records, with the whole chain."""
    for circle in circles(derived_needs(collections)):
        if len({name for name, _ in circle}) == 1 and not _over_others(circle, collections):
            # Within one record it is told already.
            continue
        chain = " → ".join(".".join(place) for place in [*circle, circle[0]])
        name, field = circle[0]
        what = f"It asks for itself in a circle: {chain}."
        notes[name].add(("fields", field, "derived"), what, "Break it somewhere.")


def _over_others(circle: Iterable[tuple[str, str]], collections: Mapping[str, Collection]) -> bool:
    """Whether a circle within one collection leads from record to record."""
    fields = [collections[name].fields[field] for name, field in circle]
    needs = own_needs({one.name: one for one in fields}, derived_inputs)
    return not any(True for _ in circles(needs))
