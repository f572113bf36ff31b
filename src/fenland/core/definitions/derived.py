"""Derived fields: how `derived` is read.

A derived field's value is that of an expression over the other fields of its record. Only what can make it go
stale, or bring back what was erased, is refused here; what the expression gives is fitted to the field by
`core/consequences/fitting.py`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from fenland.core.definitions.catalog import AROUND
from fenland.core.definitions.field_reading import Notes, Path
from fenland.core.definitions.formulas import FormulaReader
from fenland.core.definitions.model import Collection, Field
from fenland.core.expressions.checking import Names
from fenland.core.expressions.types import Catalog, FieldType, record_of

#: What changes with every save, or by itself: a value made of it would not be right for long.
_STALE = ("version", "updated_at", "updated_by")
_ABSENT = {
    **dict.fromkeys(AROUND, "What is derived is worked out when the record is saved, and would go stale."),
    **dict.fromkeys(("next", "before", "after"), "Speak of record: it is the record as it is saved."),
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

    def __init__(self, notes: Notes, collection: Collection, catalog: Catalog) -> None:
        self._notes = notes
        self._collection = collection
        name = collection.name
        # Of the record alone: what it refers to changes without it.
        own = {field: FieldType(one.type) for field, one in catalog[name].items()}
        names = Names({"record": record_of(name)}, {**catalog, name: own}, absent=_ABSENT)
        self._reader = FormulaReader(notes, collection.fields, names)

    def read(self, fields: Mapping[str, Field]) -> dict[str, Field]:
        """The fields, those that are derived with what from; or without where that cannot be read."""
        found = {name: item if item.derived is None else self._read(item) for name, item in fields.items()}
        self._reader.refuse_circles(found, lambda item: item.derived, "derived")
        return found

    def _read(self, item: Field) -> Field:
        path: Path = ("fields", item.name, "derived")
        self._together(item, path)
        text: Any = item.derived
        formula = self._reader.formula(text, item, path, "derived")
        for name in () if formula is None else formula.inputs:
            if name in _STALE:
                what = f"derived asks for {name}, which changes with every save."
                self._notes.add(path, what, "Leave it out.")
        return replace(item, derived=formula)

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
