"""The keywords of definitions: how each must look and where it belongs. A new keyword is a new row."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

TYPES = ("string", "integer", "number", "boolean", "array", "object")
FORMATS = ("date", "date-time", "uuid", "email", "uri")


@dataclass(frozen=True, slots=True)
class Keyword:
    """A field keyword: the attribute it fills, how it must look, and the types it belongs to."""

    attribute: str
    fits: Callable[[Any], bool]
    looks: str
    types: tuple[str, ...] = TYPES
    outermost: bool = False


def _text(value: Any) -> bool:
    return isinstance(value, str)


def _flag(value: Any) -> bool:
    return isinstance(value, bool)


def _count(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and value >= 0


def is_number(value: Any) -> bool:
    """Whether a value of a definition is a number; true and false are none."""
    return isinstance(value, (int, Decimal)) and not isinstance(value, bool)


def _positive(value: Any) -> bool:
    return is_number(value) and value > 0


def _list(value: Any) -> bool:
    return isinstance(value, list) and bool(value)


def _anything(value: Any) -> bool:
    return True


def _mapping(value: Any) -> bool:
    return isinstance(value, dict)


def _one_of(*words: str) -> Callable[[Any], bool]:
    return lambda value: isinstance(value, str) and value in words


_NUMERIC = ("integer", "number")

KEYWORDS: Mapping[str, Keyword] = {
    "type": Keyword("type", _one_of(*TYPES), f"one of {', '.join(TYPES)}"),
    "title": Keyword("title", _text, "a text"),
    "description": Keyword("description", _text, "a text"),
    "format": Keyword("format", _one_of(*FORMATS), f"one of {', '.join(FORMATS)}", ("string",)),
    "enum": Keyword("enum", _list, "a list of the values allowed", ("string", *_NUMERIC, "boolean")),
    "pattern": Keyword("pattern", _text, "a regular expression", ("string",)),
    "minLength": Keyword("min_length", _count, "a whole number from 0", ("string",)),
    "maxLength": Keyword("max_length", _count, "a whole number from 0", ("string",)),
    "minimum": Keyword("minimum", is_number, "a number", _NUMERIC),
    "maximum": Keyword("maximum", is_number, "a number", _NUMERIC),
    "exclusiveMinimum": Keyword("exclusive_minimum", is_number, "a number", _NUMERIC),
    "exclusiveMaximum": Keyword("exclusive_maximum", is_number, "a number", _NUMERIC),
    "multipleOf": Keyword("multiple_of", _positive, "a number above 0", _NUMERIC),
    "items": Keyword("items", _mapping, "a mapping that describes one item", ("array",)),
    "minItems": Keyword("min_items", _count, "a whole number from 0", ("array",)),
    "maxItems": Keyword("max_items", _count, "a whole number from 0", ("array",)),
    "uniqueItems": Keyword("unique_items", _flag, "true or false", ("array",)),
    "properties": Keyword("properties", _mapping, "a mapping of property names", ("object",)),
    "required": Keyword("required", _anything, "true or false"),
    "nullable": Keyword("nullable", _flag, "true or false"),
    "default": Keyword("default", _anything, "a value", outermost=True),
    "examples": Keyword("examples", _list, "a list of values"),
    "readOnly": Keyword("read_only", _flag, "true or false", outermost=True),
    "writeOnly": Keyword("write_only", _flag, "true or false", outermost=True),
    "unique": Keyword("unique", _flag, "true or false", ("string", *_NUMERIC), outermost=True),
    "fixed": Keyword("fixed", _flag, "true or false", outermost=True),
    "references": Keyword("references", _text, "the name of a collection", outermost=True),
    "on_delete": Keyword(
        "on_delete",
        _one_of("restrict", "clear", "cascade"),
        "restrict, clear or cascade",
        outermost=True,
    ),
    "search": Keyword("search", _flag, "true or false", ("string",), outermost=True),
    "indexed": Keyword("indexed", _flag, "true or false", ("string", *_NUMERIC, "boolean"), outermost=True),
    "blank": Keyword("blank", _one_of("store", "keep", "clear", "reject"), "store, keep, clear or reject"),
    "sensitive": Keyword("sensitive", _flag, "true or false", outermost=True),
    "derived": Keyword(
        "derived", lambda value: _text(value) or _mapping(value), "an expression", outermost=True
    ),
}

COLLECTION_KEYWORDS: Mapping[str, tuple[Callable[[Any], bool], str]] = {
    "title": (_text, "a text"),
    "singular": (_text, "a text"),
    "order": (_count, "a whole number from 0"),
    "description": (_text, "a text"),
    "key": (_text, "the name of a field"),
    "owner": (_text, "the name of a field"),
    "fields": (_mapping, "a mapping of field names"),
    "access": (_mapping, "a mapping of actions"),
    "checks": (_list, "a list of checks"),
    "effects": (_list, "a list of effects"),
    "revalidate": (_one_of("touched", "whole"), "touched or whole"),
    "if_match": (_one_of("optional", "required"), "optional or required"),
}

#: The keywords whose lower bound may not lie above the upper one.
BOUNDS = (
    ("minLength", "maxLength"),
    ("minItems", "maxItems"),
    ("minimum", "maximum"),
    ("exclusiveMinimum", "exclusiveMaximum"),
    ("minimum", "exclusiveMaximum"),
    ("exclusiveMinimum", "maximum"),
)
