"""A record type as routes and the document speak of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access.field_access import field_access
from fenland.core.definitions.model import Collection, Field
from fenland.core.values.plain import MISSING
from fenland.web.http.schemas import Schema


@dataclass(frozen=True, slots=True)
class RecordType:
    """A collection as the document speaks of it."""

    collection: Collection
    name: str

    def filled(self, text: str) -> str:
        """A text with the words that stand for the record type."""
        collection = self.collection
        words = {"name": self.name, "one": collection.singular.lower(), "many": collection.title.lower()}
        for word, meant in words.items():
            text = text.replace(f"{{{word}}}", meant)
        return text

    def example(self, *, creating: bool) -> Schema:
        """Fields that somebody may send, each with a value that it can have."""
        fields = self.collection.fields
        settable = settable_fields(self.collection, creating=creating, transfer=False)
        return _example({name: fields[name] for name in settable})


def _example(fields: Mapping[str, Field]) -> Schema:
    """Values that the definition itself gives: examples, the first choice, or what must be given."""
    found = {}
    for name, item in fields.items():
        if item.examples:
            found[name] = item.examples[0]
        elif item.enum:
            found[name] = item.enum[0]
        elif item.filled and item.default is MISSING and not item.begins:
            found[name] = _some_value(item)
    return found


#: Of each format, and each type, a value that nearly every definition takes.
_FORMATTED = {
    "date": "2031-04-09",
    "date-time": "2031-04-09T14:30:00Z",
    "uuid": "01a1c1d1-0000-7000-8000-000000000001",
    "email": "somebody@firm.example",
    "uri": "https://firm.example/page",
}


def _some_value(item: Field) -> Any:
    """A value of a required field for which the definition gives none."""
    least = item.constraints.get("minimum", 1)
    if item.type == "string":
        plain = "text".ljust(item.constraints.get("minLength", 0), "x")[: item.max_length or 100]
        return _FORMATTED.get(item.format or "", plain)
    if item.type == "object":
        return _example(item.properties or {})
    by_type: dict[str, Any] = {"boolean": True, "array": [], "integer": least, "number": least}
    return by_type[item.type]


def settable_fields(collection: Collection, *, creating: bool, transfer: bool = True) -> list[str]:
    """The fields that somebody, who may change records, can give a value."""
    return field_access(collection, creating=creating, transfer=transfer).settable
