"""Derived fields: how `derived` is read, and in which order their values are worked out.

A derived field's value is that of an expression over the other fields of its record. Only what can make it go
stale, or bring back what was erased, is refused here; what the expression gives is fitted to the field by
`core/consequences/deriving.py`.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace
from typing import Any

from fenland.core.definitions import model
from fenland.core.definitions.catalog import AROUND, type_of
from fenland.core.definitions.field_reading import Notes, Path
from fenland.core.definitions.model import Derived, Field
from fenland.core.expressions import ExpressionMistake, parse
from fenland.core.expressions.checking import Checked, Names, check
from fenland.core.expressions.kinds import NUMBERS
from fenland.core.expressions.types import Catalog, FieldType, record_of

#: What changes with every save, or by itself: a value made of it would not be right for long.
_STALE = ("version", "updated_at", "updated_by")
_ABSENT = {
    **dict.fromkeys(AROUND, "What is derived is worked out when the record is saved, and would go stale."),
    **dict.fromkeys(("next", "before"), "Speak of record: it is the record as it is saved."),
}
#: What else a derived field can be, of what its kind of expression gives.
_FITTING: Mapping[str, Collection[str]] = {
    **dict.fromkeys(NUMBERS, NUMBERS),
    **dict.fromkeys(("date", "timestamp"), ("string",)),
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


class DerivedReader:
    """Reads the derived fields of one collection, once the fields of all are known."""

    def __init__(self, notes: Notes, collection: model.Collection, catalog: Catalog) -> None:
        self._notes = notes
        self._collection = collection
        self._catalog = catalog

    def read(self, item: Field, text: Any) -> Field:
        """The field with what it is derived from; without it where that cannot be read."""
        path: Path = ("fields", item.name, "derived")
        self._together(item, path)
        rule = self._expression(text, path)
        if rule is None:
            return replace(item, derived=None)
        wanted = type_of(item).kind
        if rule.type.kind not in ("dyn", "null_type", wanted, *_FITTING.get(wanted, ())):
            what = f"derived gives {rule.type}, and field {item.name!r} holds {wanted}."
            self._notes.add(path, what, "Convert it, or give the field another type.")
        source = self._notes.source
        derived = Derived(rule, source.file, source.line(path))
        self._inputs(item, derived, path)
        return replace(item, derived=derived)

    def _expression(self, text: Any, path: Path) -> Checked | None:
        name = self._collection.name
        # Of the record alone: what it refers to changes without it.
        own = {field: FieldType(one.type) for field, one in self._catalog[name].items()}
        names = Names({"record": record_of(name)}, {**self._catalog, name: own}, absent=_ABSENT)
        try:
            return check(text, parse(text), names)
        except ExpressionMistake as mistake:
            self._notes.add_expression(path, mistake)
            return None

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

    def _inputs(self, item: Field, derived: Derived, path: Path) -> None:
        fields = self._collection.fields
        for name in derived.inputs:
            asked = fields.get(name)
            if name in _STALE:
                what = f"derived asks for {name}, which changes with every save."
                self._notes.add(path, what, "Leave it out.")
            elif asked is not None and (asked.sensitive or asked.write_only):
                kind = "sensitive" if asked.sensitive else "writeOnly"
                what = f"Field {item.name!r} is derived from {name!r}, which is {kind}."
                self._notes.add(path, what, "It would show, and keep, what that must not. Leave it out.")

    def refuse_circles(self, fields: Mapping[str, Field]) -> None:
        """Notes each derived field that depends on itself, with the whole chain."""
        for circle in circles(fields):
            chain = " → ".join([*circle, circle[0]])
            path: Path = ("fields", circle[0], "derived")
            self._notes.add(path, f"Derived fields go round in a circle: {chain}.", "Break it somewhere.")


def in_order(fields: Mapping[str, Field]) -> list[Field]:
    """The derived fields, each behind those that it is derived from."""
    found: dict[str, Field] = {}

    def add(item: Field) -> None:
        if item.derived is not None and item.name not in found:
            for name in _derived_inputs(item, fields):
                add(fields[name])
            found[item.name] = item

    for item in fields.values():
        add(item)
    return list(found.values())


def circles(fields: Mapping[str, Field]) -> Iterable[list[str]]:
    """The circles that derived fields go round in, each once and from the field that stands first."""
    told: set[str] = set()
    for name, item in fields.items():
        if item.derived is None or name in told:
            continue
        circle = _way_back(name, fields)
        if circle:
            told.update(circle)
            yield circle


def _way_back(start: str, fields: Mapping[str, Field]) -> list[str]:
    """The shortest way from a field over what it is derived from back to itself; nothing without one."""
    ways: list[list[str]] = [[start]]
    seen: set[str] = set()
    while ways:
        way = ways.pop(0)
        for name in _derived_inputs(fields[way[-1]], fields):
            if name == start:
                return way
            if name not in seen:
                seen.add(name)
                ways.append([*way, name])
    return []


def _derived_inputs(item: Field, fields: Mapping[str, Field]) -> list[str]:
    inputs = () if item.derived is None else item.derived.inputs
    return [name for name in inputs if name in fields and fields[name].derived is not None]
