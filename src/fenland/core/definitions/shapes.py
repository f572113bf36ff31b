"""Shapes: how the value of a keyword looks in a definition, as a test, in words, and as JSON Schema."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any


@dataclass(frozen=True, slots=True)
class Shape:
    """How a value must look: `accepts` tells whether it does, `looks` says how.

    `schema` says it to editors: it may let in more than `accepts` does, and never less.
    """

    accepts: Callable[[Any], bool]
    looks: str
    schema: Mapping[str, Any]

    def said(self, looks: str) -> Shape:
        """The same, in other words."""
        return replace(self, looks=looks)


def is_text(value: Any) -> bool:
    """Whether a value of a definition is a text."""
    return isinstance(value, str)


def is_flag(value: Any) -> bool:
    """Whether a value of a definition is true or false."""
    return isinstance(value, bool)


def is_count(value: Any) -> bool:
    """Whether a value of a definition is a whole number from 0."""
    return isinstance(value, int) and not isinstance(value, bool) and value >= 0


def is_number(value: Any) -> bool:
    """Whether a value of a definition is a number; true and false are none."""
    return isinstance(value, (int, Decimal)) and not isinstance(value, bool)


def is_list(value: Any) -> bool:
    """Whether a value of a definition is a list that holds anything."""
    return isinstance(value, list) and bool(value)


def _is_step(value: Any) -> bool:
    return is_number(value) and value > 0


def _is_mapping(value: Any) -> bool:
    return isinstance(value, dict)


def _is_texts(value: Any) -> bool:
    return isinstance(value, dict) and all(isinstance(one, str) for one in value)


TEXT = Shape(is_text, "a text", {"type": "string"})
FLAG = Shape(is_flag, "true or false", {"type": "boolean"})
COUNT = Shape(is_count, "a whole number from 0", {"type": "integer", "minimum": 0})
NUMBER = Shape(is_number, "a number", {"type": "number"})
STEP = Shape(_is_step, "a number above 0", {"type": "number", "exclusiveMinimum": 0})
LIST = Shape(is_list, "a list", {"type": "array", "minItems": 1})
MAPPING = Shape(_is_mapping, "a mapping", {"type": "object"})
ANYTHING = Shape(lambda _value: True, "a value", {})
#: A text, or a mapping of any kind; a text, or a mapping by texts.
TEXT_OR_MAPPING = Shape(
    lambda value: is_text(value) or _is_mapping(value), "a text or a mapping", {"type": ["string", "object"]}
)
TEXT_OR_TEXTS = Shape(
    lambda value: is_text(value) or _is_texts(value),
    "a text or a mapping of texts",
    {"type": ["string", "object"]},
)
#: What it says of objects is told elsewhere: a list of their properties.
FLAG_OR_TEXTS = Shape(
    lambda _value: True,
    "true or false",
    {"anyOf": [{"type": "boolean"}, {"type": "array", "items": {"type": "string"}}]},
)
LIST_OR_MAPPING = Shape(
    lambda value: isinstance(value, (dict, list)), "a list or a mapping", {"type": ["array", "object"]}
)


def one_of(*words: str) -> Shape:
    """One of these words."""
    looks = f"{', '.join(words[:-1])} or {words[-1]}"
    return Shape(lambda value: isinstance(value, str) and value in words, looks, {"enum": list(words)})


def up_to(most: int) -> Shape:
    """A whole number from 1 to this."""
    schema = {"type": "integer", "minimum": 1, "maximum": most}
    return Shape(lambda value: is_count(value) and 1 <= value <= most, f"a number up to {most}", schema)
