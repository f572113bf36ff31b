"""The keywords of definitions: how each must look, where it belongs, and as what it is published.

A new keyword is a new row: here one that the service works by, in `constraints.py` one that bounds values.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.definitions.constraints import CONSTRAINTS
from fenland.core.definitions.shapes import (
    ANYTHING,
    COUNT,
    FLAG,
    FLAG_OR_TEXTS,
    LIST,
    MAPPING,
    TEXT,
    TEXT_OR_MAPPING,
    TEXT_OR_TEXTS,
    Shape,
    one_of,
)

TYPES = ("string", "integer", "number", "boolean", "array", "object")
FORMATS = ("date", "date-time", "uuid", "email", "uri")


@dataclass(frozen=True, slots=True)
class Keyword:
    """A field keyword: how it must look, the types it belongs to, and the attribute of `Field` it fills.

    `schema` is its name in published schemas, where it has one: JSON Schema's, or one that begins with `x-`,
    which JSON Schema leaves alone. It is published when the value is not the `usual` one.
    """

    shape: Shape
    attribute: str
    types: tuple[str, ...] = TYPES
    outermost: bool = False
    settle: Callable[[Any], Any] = lambda value: value
    schema: str | None = None
    usual: Any = False


_NUMERIC = ("integer", "number")

#: What the service itself works by; the constraints beside it say only which values a field may hold.
_HOUSE: Mapping[str, Keyword] = {
    "type": Keyword(one_of(*TYPES).said(f"one of {', '.join(TYPES)}"), "type"),
    "title": Keyword(TEXT, "title"),
    "description": Keyword(TEXT, "description", schema="description", usual=""),
    "format": Keyword(
        one_of(*FORMATS).said(f"one of {', '.join(FORMATS)}"), "format", ("string",),
        schema="format", usual=None,
    ),
    "items": Keyword(MAPPING.said("a mapping that describes one item"), "items", ("array",)),
    "properties": Keyword(MAPPING.said("a mapping of property names"), "properties", ("object",)),
    "required": Keyword(FLAG_OR_TEXTS, "required"),
    "nullable": Keyword(FLAG, "nullable"),
    "default": Keyword(ANYTHING, "default", outermost=True),
    "examples": Keyword(LIST.said("a list of values"), "examples", settle=tuple, schema="examples", usual=()),
    "readOnly": Keyword(FLAG, "read_only", outermost=True),
    "writeOnly": Keyword(FLAG, "write_only", outermost=True, schema="writeOnly"),
    "unique": Keyword(
        FLAG, "unique", ("string", *_NUMERIC), outermost=True, schema="x-unique"
    ),
    "fixed": Keyword(FLAG, "fixed", outermost=True, schema="x-fixed"),
    "references": Keyword(
        TEXT.said("the name of a collection"), "references", outermost=True, schema="x-references", usual=None
    ),
    "on_delete": Keyword(
        one_of("restrict", "clear", "cascade"), "on_delete", outermost=True
    ),
    "search": Keyword(FLAG, "search", ("string",), outermost=True, schema="x-search"),
    "indexed": Keyword(FLAG, "indexed", ("string", *_NUMERIC, "boolean"), outermost=True),
    "blank": Keyword(
        one_of("store", "keep", "clear", "reject"), "blank",
        schema="x-blank", usual="store",
    ),
    "sensitive": Keyword(FLAG, "sensitive", outermost=True, schema="x-sensitive"),
    "access": Keyword(MAPPING.said("a mapping of rights"), "access", outermost=True),
    "derived": Keyword(
        TEXT_OR_MAPPING.said("an expression over record, or a mapping such as {count: tickets.station}"),
        "derived", outermost=True,
    ),
    "was": Keyword(TEXT.said("the name that the field had"), "was", outermost=True),
    "fill": Keyword(TEXT.said("an expression"), "fill", outermost=True),
    "values": Keyword(
        TEXT_OR_TEXTS.said("a mapping of older values, as texts, to newer ones, or an expression"),
        "values", outermost=True,
    ),
}  # fmt: skip

KEYWORDS: Mapping[str, Keyword] = {
    **_HOUSE,
    **{
        name: Keyword(row.shape, "constraints", row.types, settle=row.settle)
        for name, row in CONSTRAINTS.items()
    },
}

COLLECTION_KEYWORDS: Mapping[str, Shape] = {
    "title": TEXT,
    "singular": TEXT,
    "order": COUNT,
    "description": TEXT,
    "key": TEXT.said("the name of a field"),
    "owner": TEXT.said("the name of a field"),
    "label": TEXT.said("the name of a field"),
    "columns": LIST.said("a list of names of fields"),
    "fields": MAPPING.said("a mapping of field names"),
    "access": MAPPING.said("a mapping of rights"),
    "checks": LIST.said("a list of checks"),
    "effects": LIST.said("a list of effects"),
    "passes": MAPPING.said("a mapping of templates of passes"),
    "views": FLAG,
    "revalidate": one_of("touched", "whole"),
    "was": TEXT.said("the name that the collection had"),
    "if_match": one_of("optional", "required"),
    "reason": one_of("optional", "required"),
}
