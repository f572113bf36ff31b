"""Comparing definitions: nothing that is said of a field changes without a step, however deep it stands."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest

from fenland.core.definitions.keywords import KEYWORDS
from fenland.core.definitions.reading import definitions_from
from fenland.core.evolving.comparing import compare

#: By keyword: what else the field says, and what the keyword says before and after; None where it is left out.
KEYWORD_CHANGES: dict[str, tuple[dict[str, Any], Any, Any]] = {
    "type": ({}, "string", "integer"),
    "title": ({"type": "string"}, "One", "Other"),
    "description": ({"type": "string"}, None, "It says more."),
    "format": ({"type": "string"}, None, "email"),
    "items": ({"type": "array"}, {"type": "string"}, {"type": "integer"}),
    "properties": ({"type": "object"}, {"a": {"type": "string"}}, {"b": {"type": "string"}}),
    "required": ({"type": "string"}, False, True),
    "nullable": ({"type": "string"}, True, False),
    "default": ({"type": "string"}, None, "x"),
    "examples": ({"type": "string"}, ["x"], ["y"]),
    "readOnly": ({"type": "string"}, False, True),
    "writeOnly": ({"type": "string"}, False, True),
    "unique": ({"type": "string"}, False, True),
    "fixed": ({"type": "string"}, False, True),
    "references": ({}, "shelves", "rooms"),
    "on_delete": ({"references": "shelves"}, "restrict", "clear"),
    "search": ({"type": "string"}, False, True),
    "indexed": ({"type": "string"}, False, True),
    "blank": ({"type": "string"}, "store", "reject"),
    "sensitive": ({"type": "string"}, False, True),
    "access": ({"type": "string"}, None, {"read": ["office"]}),
    "derived": ({"type": "string"}, None, "record.code"),
    "was": ({"type": "string"}, None, "older"),
    "fill": ({"type": "string"}, None, "record.code"),
    "values": ({"type": "string"}, None, {"x": "y"}),
    "enum": ({"type": "string"}, ["x", "y"], ["x"]),
    "minLength": ({"type": "string"}, 1, 2),
    "maxLength": ({"type": "string"}, 2, 1),
    "pattern": ({"type": "string"}, "^a", "^b"),
    "minimum": ({"type": "integer"}, 1, 2),
    "maximum": ({"type": "integer"}, 2, 1),
    "exclusiveMinimum": ({"type": "integer"}, 1, 2),
    "exclusiveMaximum": ({"type": "integer"}, 2, 1),
    "multipleOf": ({"type": "integer"}, 2, 3),
    "minItems": ({"type": "array"}, 1, 2),
    "maxItems": ({"type": "array"}, 2, 1),
    "uniqueItems": ({"type": "array"}, False, True),
    "minProperties": ({"type": "object"}, 1, 2),
    "maxProperties": ({"type": "object"}, 2, 1),
}

#: Where a field's description can stand.
DEPTHS: dict[str, Any] = {
    "a field": lambda inner: inner,
    "items": lambda inner: {"type": "array", "items": inner},
    "a property": lambda inner: {"type": "object", "properties": {"p": inner, "q": {"type": "string"}}},
    "a property of items": lambda inner: {"type": "array", "items": {"type": "object", "properties": {"p": inner}}},
    "items of a property": lambda inner: {"type": "object", "properties": {"p": {"type": "array", "items": inner}}},
}  # fmt: skip


def _definitions(field: dict[str, Any]) -> Any:
    code = {"type": "string", "required": True, "unique": True, "fixed": True}
    plain = {"key": "code", "access": {"read": ["everyone"]}, "fields": {"code": code}}
    papers = {**plain, "fields": {"code": code, "f": field}}
    return definitions_from({"papers": papers, "shelves": plain, "rooms": plain}, ["office"])


def _cases() -> Iterator[tuple[str, str]]:
    for word, keyword in KEYWORDS.items():
        depths = ["a field"] if keyword.outermost else [*DEPTHS]
        yield from ((word, depth) for depth in depths)


@pytest.mark.parametrize(("word", "depth"), [*_cases()])
def test_a_keyword_that_changes_is_a_step_at_every_depth(word: str, depth: str) -> None:
    others, before, after = KEYWORD_CHANGES[word]
    older, newer = (
        _definitions(DEPTHS[depth](others if value is None else {**others, word: value}))
        for value in (before, after)
    )
    steps = compare(older, newer).steps
    assert steps
    assert all(step.place == "papers.f" for step in steps)
    # What says how to come here may go once that is done.
    assert bool(compare(newer, older).steps) == (word not in ("was", "fill", "values"))
    assert compare(newer, newer).steps == ()
