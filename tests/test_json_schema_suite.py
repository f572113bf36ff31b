"""The official JSON Schema test suite's cases for our keywords, where they can be said in a definition.

A definition gives each field one type and closes objects that list their properties, so a case applies when
its schema has only our keywords, its value is of the field's type, and its objects hold no other members.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from fenland.core.definitions.keywords import KEYWORDS
from fenland.core.definitions.model import DefinitionMistakes, Field
from fenland.core.definitions.reading import definitions_from
from fenland.core.definitions.validation import compile_nullable, kind_of
from fenland.core.values.plain import read_json

SUITE = Path(__file__).parent / "json_schema_suite"

#: The type that a keyword speaks of, for schemas that name none.
SPEAKS_OF = {
    name: "number" if "number" in keyword.types else keyword.types[0]
    for name, keyword in KEYWORDS.items()
    if len(keyword.types) <= 2
}

#: What this service decides otherwise, and why. Each must differ: a row that agrees again fails.
DIFFERS = {
    "a bignum is an integer": "an integer stays within 64 bits",
    "a negative bignum is an integer": "an integer stays within 64 bits",
    "a valid date-time with a leap second, UTC": "a leap second cannot be kept as it was sent",
    "a valid date-time with a leap second, with minus offset": "a leap second cannot be kept as it was sent",
    "a quoted string with a space in the local part is valid": "addresses are taken in the form people have",
    "a quoted string with a double dot in the local part is valid": "the same",
    "a quoted string with a @ in the local part is valid": "the same",
    "an IPv4-address-literal after the @ is valid": "the same",
    "an IPv6-address-literal after the @ is valid": "the same",
}


def _translated(schema: Any) -> dict[str, Any] | None:
    """The schema as a field's definition, or None where it cannot be one."""
    if not isinstance(schema, dict):
        return None
    keywords = {name: value for name, value in schema.items() if not name.startswith("$")}
    if keywords.keys() <= {"default"}:
        keywords["type"] = "integer"
    elif "type" not in keywords:
        told = {SPEAKS_OF[name] for name in keywords if name in SPEAKS_OF}
        told |= {kind_of(member) for member in keywords.get("enum", ())}
        told |= {"object"} if isinstance(keywords.get("required"), list) else set()
        if len(told) != 1:
            return None
        keywords["type"] = told.pop()
    for name in ("items", "properties"):
        inner = keywords.get(name)
        if inner is None:
            continue
        members = inner if name == "properties" else {"one": inner}
        read = {key: _translated(member) for key, member in members.items()}
        if None in read.values():
            return None
        keywords[name] = read if name == "properties" else read["one"]
    if isinstance(keywords.get("required"), list):
        named = {name: {"type": "integer"} for name in keywords["required"]}
        keywords["properties"] = named | keywords.get("properties", {})
    return {**keywords, "nullable": False}


def _applies(field: Field, value: Any) -> bool:
    """Whether the value is one the definition speaks of; for `type` itself every value is."""
    kind = "number" if field.type == "integer" else field.type
    if kind_of(value) != kind:
        return False
    if field.type == "array" and field.items is not None:
        return all(_applies(field.items, member) for member in value)
    if field.type == "object" and field.properties is not None:
        return value.keys() <= field.properties.keys() and all(
            _applies(field.properties[name], member) for name, member in value.items()
        )
    return True


def _cases() -> Iterator[Any]:
    for path in sorted(SUITE.glob("*.json")):
        for group in read_json(path.read_bytes()):
            keywords = _translated(group["schema"])
            if keywords is None:
                continue
            try:
                definitions = definitions_from({"things": {"fields": {"f": keywords}}})
            except DefinitionMistakes:
                continue
            field = definitions.collections["things"].fields["f"]
            for case in group["tests"]:
                typed = "type" in group["schema"] and case["data"] is not None
                if typed or _applies(field, case["data"]):
                    name = f"{path.stem}: {group['description']}: {case['description']}"
                    yield pytest.param(field, case, id=name)


CASES = list(_cases())


@pytest.mark.parametrize(("field", "case"), CASES)
def test_a_case_of_the_suite(field: Field, case: dict[str, Any]) -> None:
    problems: list = []
    compile_nullable(field)(case["data"], "", problems)
    agrees = (not problems) == case["valid"]
    assert agrees != (case["description"] in DIFFERS), problems


def test_every_keyword_has_cases() -> None:
    told = {param.id.partition(":")[0] for param in CASES}
    assert told == {path.stem for path in SUITE.glob("*.json")}
    assert len(CASES) > 200
