"""The keywords of definitions: how each must look, where it belongs, and as what it is published.

A new keyword is a new row: here one that the service works by, in `constraints.py` one that bounds values.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.definitions.constraints import CONSTRAINTS, is_count, is_flag, is_list, is_text

TYPES = ("string", "integer", "number", "boolean", "array", "object")
FORMATS = ("date", "date-time", "uuid", "email", "uri")


@dataclass(frozen=True, slots=True)
class Keyword:
    """A field keyword: how it must look, the types it belongs to, and the attribute of `Field` it fills.

    `schema` is its name in published schemas, where it has one: JSON Schema's, or one that begins with `x-`,
    which JSON Schema leaves alone. It is published when the value is not the `usual` one.
    """

    is_valid: Callable[[Any], bool]
    looks: str
    attribute: str
    types: tuple[str, ...] = TYPES
    outermost: bool = False
    settle: Callable[[Any], Any] = lambda value: value
    schema: str | None = None
    usual: Any = False


def _anything(_value: Any) -> bool:
    return True


def _mapping(value: Any) -> bool:
    return isinstance(value, dict)


def _texts_mapped(value: Any) -> bool:
    return isinstance(value, dict) and all(isinstance(one, str) for one in value)


def _one_of(*words: str) -> Callable[[Any], bool]:
    return lambda value: isinstance(value, str) and value in words


_NUMERIC = ("integer", "number")
_FLAG = "true or false"

#: What the service itself works by; the constraints beside it say only which values a field may hold.
_HOUSE: Mapping[str, Keyword] = {
    "type": Keyword(_one_of(*TYPES), f"one of {', '.join(TYPES)}", "type"),
    "title": Keyword(is_text, "a text", "title"),
    "description": Keyword(is_text, "a text", "description", schema="description", usual=""),
    "format": Keyword(
        _one_of(*FORMATS), f"one of {', '.join(FORMATS)}", "format", ("string",), schema="format", usual=None
    ),
    "items": Keyword(_mapping, "a mapping that describes one item", "items", ("array",)),
    "properties": Keyword(_mapping, "a mapping of property names", "properties", ("object",)),
    "required": Keyword(_anything, _FLAG, "required"),
    "nullable": Keyword(is_flag, _FLAG, "nullable"),
    "default": Keyword(_anything, "a value", "default", outermost=True),
    "examples": Keyword(is_list, "a list of values", "examples", settle=tuple, schema="examples", usual=()),
    "readOnly": Keyword(is_flag, _FLAG, "read_only", outermost=True),
    "writeOnly": Keyword(is_flag, _FLAG, "write_only", outermost=True, schema="writeOnly"),
    "unique": Keyword(
        is_flag, _FLAG, "unique", ("string", *_NUMERIC), outermost=True, schema="x-unique"
    ),
    "fixed": Keyword(is_flag, _FLAG, "fixed", outermost=True, schema="x-fixed"),
    "references": Keyword(
        is_text, "the name of a collection", "references", outermost=True, schema="x-references", usual=None
    ),
    "on_delete": Keyword(
        _one_of("restrict", "clear", "cascade"), "restrict, clear or cascade", "on_delete", outermost=True
    ),
    "search": Keyword(is_flag, _FLAG, "search", ("string",), outermost=True, schema="x-search"),
    "indexed": Keyword(is_flag, _FLAG, "indexed", ("string", *_NUMERIC, "boolean"), outermost=True),
    "blank": Keyword(
        _one_of("store", "keep", "clear", "reject"), "store, keep, clear or reject", "blank",
        schema="x-blank", usual="store",
    ),
    "sensitive": Keyword(is_flag, _FLAG, "sensitive", outermost=True, schema="x-sensitive"),
    "access": Keyword(_mapping, "a mapping of rights", "access", outermost=True),
    "derived": Keyword(
        lambda value: is_text(value) or _mapping(value),
        "an expression over record, or a mapping such as {count: tickets.station}", "derived", outermost=True,
    ),
    "was": Keyword(is_text, "the name that the field had", "was", outermost=True),
    "fill": Keyword(is_text, "an expression", "fill", outermost=True),
    "values": Keyword(
        lambda value: is_text(value) or _texts_mapped(value),
        "a mapping of older values, as texts, to newer ones, or an expression", "values", outermost=True,
    ),
}  # fmt: skip

KEYWORDS: Mapping[str, Keyword] = {
    **_HOUSE,
    **{
        name: Keyword(row.is_valid, row.looks, "constraints", row.types, settle=row.settle)
        for name, row in CONSTRAINTS.items()
    },
}

COLLECTION_KEYWORDS: Mapping[str, tuple[Callable[[Any], bool], str]] = {
    "title": (is_text, "a text"),
    "singular": (is_text, "a text"),
    "order": (is_count, "a whole number from 0"),
    "description": (is_text, "a text"),
    "key": (is_text, "the name of a field"),
    "owner": (is_text, "the name of a field"),
    "label": (is_text, "the name of a field"),
    "columns": (is_list, "a list of names of fields"),
    "fields": (_mapping, "a mapping of field names"),
    "access": (_mapping, "a mapping of rights"),
    "checks": (is_list, "a list of checks"),
    "effects": (is_list, "a list of effects"),
    "passes": (_mapping, "a mapping of templates of passes"),
    "revalidate": (_one_of("touched", "whole"), "touched or whole"),
    "was": (is_text, "the name that the collection had"),
    "if_match": (_one_of("optional", "required"), "optional or required"),
    "reason": (_one_of("optional", "required"), "optional or required"),
}
