"""Validation: every keyword, and agreement with an independent reading of the published schema."""

from __future__ import annotations

import json
from decimal import Decimal
from typing import Any

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fenland.core.access.schemas import field_schema
from fenland.core.definitions.reading import definitions_from
from fenland.core.definitions.validation import REFUSED, compile_nullable
from fenland.core.problems import Malformed, TooLarge
from fenland.core.values.formats import read_date_time
from fenland.core.values.plain import frozen, read_json, same, write_json
from fenland.core.values.texts import read_text

CENTS = {"type": "number", "multipleOf": Decimal("0.01")}

#: keywords, value, then the codes found (none: valid) and, where it differs, the value kept.
CASES: list[tuple[dict, Any, list[str], Any]] = [
    ({"type": "string"}, "", [], ""),
    ({"type": "string"}, 0, ["type"], None),
    ({"type": "string"}, "a\0b", ["characters"], None),
    ({"type": "string", "minLength": 2}, "é", ["min_length"], None),
    ({"type": "string", "maxLength": 2}, "ab", [], "ab"),
    ({"type": "string", "maxLength": 2}, "abc", ["max_length"], None),
    ({"type": "string", "pattern": "b"}, "abc", [], "abc"),
    ({"type": "string", "pattern": "^b$"}, "b\n", ["pattern"], None),
    ({"type": "string", "pattern": "^\\d$"}, "٣", ["pattern"], None),
    ({"type": "string", "pattern": "^[\\w$]+$"}, "a$", [], "a$"),
    ({"type": "string", "enum": ["a", "b"]}, "c", ["enum"], None),
    ({"type": "string", "minLength": 3, "pattern": "^x"}, "a", ["min_length", "pattern"], None),
    ({"type": "integer"}, True, ["type"], None),
    ({"type": "integer"}, "1", ["type"], None),
    ({"type": "integer"}, Decimal("1.0"), [], 1),
    ({"type": "integer"}, Decimal("1.5"), ["type"], None),
    ({"type": "integer"}, Decimal("1e30"), ["range"], None),
    ({"type": "integer"}, 2**63, ["range"], None),
    ({"type": "integer"}, -(2**63), [], -(2**63)),
    ({"type": "integer", "minimum": 1}, 0, ["minimum"], None),
    ({"type": "integer", "exclusiveMaximum": 5}, 5, ["exclusive_maximum"], None),
    ({"type": "integer", "multipleOf": 3}, 7, ["multiple_of"], None),
    ({"type": "integer", "enum": [0, 1]}, 0, [], 0),
    ({"type": "number"}, Decimal("1e400"), ["range"], None),
    ({"type": "number"}, Decimal("-0.0"), [], 0.0),
    ({"type": "number", "minimum": Decimal("0.3"), "exclusiveMinimum": Decimal("-1.1")}, Decimal("0.3"), [], 0.3),
    ({"type": "number", "enum": [Decimal("1.1")]}, Decimal("1.1"), [], 1.1),
    ({"type": "number", "exclusiveMinimum": 0}, 0, ["exclusive_minimum"], None),
    (CENTS, Decimal("0.1"), [], Decimal("0.10")),
    (CENTS, Decimal("0.105"), ["multiple_of"], None),
    (CENTS, Decimal("1.00000000000000000000000000000000001"), ["multiple_of"], None),
    (CENTS, Decimal("92233720368547758.07"), [], Decimal("92233720368547758.07")),
    (CENTS, Decimal("92233720368547758.08"), ["range"], None),
    (CENTS, "1.00", ["type"], None),
    ({"type": "number", "multipleOf": Decimal("0.25")}, Decimal("0.1"), ["multiple_of"], None),
    ({"type": "boolean"}, False, [], False),
    ({"type": "boolean"}, 0, ["type"], None),
    ({"type": "array", "items": {"type": "integer"}}, [1, "x", None], ["type", "null"], None),
    ({"type": "array", "items": {"type": "integer", "nullable": True}}, [None], [], [None]),
    ({"type": "array", "minItems": 1}, [], ["min_items"], None),
    ({"type": "array", "maxItems": 1}, [1, 2], ["max_items"], None),
    ({"type": "array", "uniqueItems": True}, [1, True, "1"], [], [1, True, "1"]),
    ({"type": "array", "uniqueItems": True}, [{"a": 1}, {"a": Decimal("1.0")}], ["unique_items"], None),
    ({"type": "object"}, {"any": [1]}, [], {"any": [1]}),
    ({"type": "object", "minProperties": 1}, {}, ["min_properties"], None),
    ({"type": "object", "maxProperties": 1}, {"a": 1, "b": 2}, ["max_properties"], None),
    ({"type": "object", "minProperties": 2, "properties": {"a": {"type": "string"}}}, {"a": 1}, ["min_properties", "type"], None),
    ({"type": "object", "properties": {"a": {"type": "string"}}}, {"b": 1}, ["unknown_property"], None),
    ({"type": "object", "properties": {"a": {"type": "string", "required": True}}}, {}, ["required"], None),
    ({"type": "object", "required": ["a"], "properties": {"a": {"type": "string"}}}, {}, ["required"], None),
    ({"type": "string", "format": "date"}, "2031-02-29", ["format"], None),
    ({"type": "string", "format": "date"}, "2032-02-29", [], "2032-02-29"),
    ({"type": "string", "format": "date-time"}, "2031-04-09t14:30:00.5+02:00", [], "2031-04-09T12:30:00.500000Z"),
    ({"type": "string", "format": "date-time"}, "2031-04-09T14:30:00", ["format"], None),
    ({"type": "string", "format": "date-time"}, "2031-04-09T14:30:00.1234567Z", ["format"], None),
    ({"type": "string", "format": "date-time"}, "0001-01-01T00:00:00+01:00", ["format"], None),
    ({"type": "string", "format": "uuid"}, "018F3C1E-7B2A-7CC0-9A51-3F0F3D1C2B4A", [], "018f3c1e-7b2a-7cc0-9a51-3f0f3d1c2b4a"),
    ({"type": "string", "format": "uuid"}, "018f3c1e7b2a7cc09a513f0f3d1c2b4a", ["format"], None),
    ({"type": "string", "format": "email"}, "a.b+c@firm.example", [], "a.b+c@firm.example"),
    ({"type": "string", "format": "email"}, "a..b@firm.example", ["format"], None),
    ({"type": "string", "format": "uri"}, "https://firm.example/a?b#c", [], "https://firm.example/a?b#c"),
    ({"type": "string", "format": "uri"}, "/relative", ["format"], None),
    ({"type": "string", "format": "uri"}, "https://firm.example/%zz", ["format"], None),
]  # fmt: skip


def check_of(keywords: dict) -> Any:
    return definitions_from({"things": {"fields": {"f": keywords}}}).collections["things"].fields["f"]


@pytest.mark.parametrize(("keywords", "value", "codes", "kept"), CASES)
def test_a_keyword(keywords: dict, value: Any, codes: list[str], kept: Any) -> None:
    problems: list = []
    found = compile_nullable(check_of(keywords))(value, "/f", problems)
    assert [one.code for one in problems] == codes
    assert all(one.detail.endswith(".") and one.pointer.startswith("/f") for one in problems)
    if not codes:
        assert found == kept
        assert type(found) is type(kept)


VALUES = st.recursive(
    st.none()
    | st.booleans()
    | st.integers(-5, 12)
    | st.decimals(-9, 9, places=2)
    | st.text("ab1é", max_size=4),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from("abc"), inner, max_size=2),
    max_leaves=5,
)
FIELDS = st.one_of(
    st.fixed_dictionaries(
        {"type": st.just("string")},
        optional={"minLength": st.integers(0, 2), "maxLength": st.integers(2, 4), "pattern": st.sampled_from(["a", "^b", "1$"])},
    ),
    st.fixed_dictionaries(
        {"type": st.sampled_from(["integer", "number"])},
        optional={
            "minimum": st.integers(-3, 0), "exclusiveMaximum": st.integers(1, 5),
            "multipleOf": st.sampled_from([2, 3, Decimal("0.5"), Decimal("0.01")]),
        },
    ),
    st.fixed_dictionaries(
        {"type": st.just("array")},
        optional={
            "items": st.sampled_from([{"type": "integer"}, {"type": "string", "maxLength": 1}]),
            "minItems": st.integers(0, 1), "maxItems": st.integers(1, 3), "uniqueItems": st.booleans(),
        },
    ),
    st.just({"type": "object", "properties": {"a": {"type": "integer", "required": True}, "b": {"type": "string"}}}),
    st.fixed_dictionaries({"type": st.just("object")}, optional={"minProperties": st.integers(0, 2), "maxProperties": st.integers(2, 3)}),
    st.just({"type": "boolean"}),
    st.just({"type": "string", "enum": ["a", "ab"]}),
)  # fmt: skip


#: jsonschema, taking 1.0 for an integer in an exact decimal too, as the specification does.
_Validator = jsonschema.validators.extend(
    jsonschema.Draft202012Validator,
    type_checker=jsonschema.Draft202012Validator.TYPE_CHECKER.redefine(
        "integer",
        lambda _, value: (
            (isinstance(value, int) and not isinstance(value, bool))
            or (isinstance(value, Decimal) and value == value.to_integral_value())
        ),
    ),
)


def _plain(value: Any) -> Any:
    return json.loads(write_json(value), parse_float=Decimal)


@given(FIELDS, VALUES)
def test_what_the_published_schema_accepts_we_accept_and_the_other_way_round(
    keywords: dict, value: Any
) -> None:
    field = check_of(keywords)
    problems: list = []
    compile_nullable(field)(value, "", problems)
    schema, instance = _plain(field_schema(field)), _plain(value)
    jsonschema.Draft202012Validator.check_schema(schema)
    assert (not problems) == _Validator(schema).is_valid(instance)


@given(st.decimals(allow_nan=False, allow_infinity=False, places=3))
def test_a_decimal_is_kept_exactly_or_refused(number: Decimal) -> None:
    problems: list = []
    kept = compile_nullable(check_of({"type": "number", "multipleOf": Decimal("0.001")}))(
        number, "", problems
    )
    if kept is REFUSED:
        assert problems
    else:
        assert kept == number
        assert read_json(write_json(kept)) == number


@given(VALUES, VALUES)
def test_frozen_values_are_equal_just_when_the_values_are_the_same(one: Any, other: Any) -> None:
    assert same(one, other) == (frozen(one) == frozen(other))


@given(st.datetimes().map(lambda moment: moment.isoformat() + "Z"))
def test_text_order_of_moments_is_time_order(text: str) -> None:
    kept = read_date_time(text)
    assert kept is not None
    assert len(kept) == 27
    assert read_date_time(kept) == kept


@pytest.mark.parametrize(
    "body",
    [
        b"{",
        b'{"a":1,"a":2}',
        b"\xff",
        b'"\\ud800"',
        b"NaN",
        b"[1" * 5000,
        b"1e999999",
        b"9" * 5000,
        b"[" * 60 + b"]" * 60,
    ],
)
def test_text_that_is_not_good_json_is_told_so(body: bytes) -> None:
    with pytest.raises((Malformed, TooLarge)):
        read_json(body)


@pytest.mark.parametrize(
    ("kind", "text", "value"),
    [
        ("string", "", ""), ("string", "null", "null"), ("integer", "0", 0), ("integer", " -7 ", -7),
        ("number", "2.50", Decimal("2.50")), ("boolean", "true", True), ("boolean", "False", False),
        ("array", '["a"]', ["a"]), ("object", '{"a":1}', {"a": 1}),
        ("integer", "1.5", ValueError), ("boolean", "yes", ValueError), ("number", "", ValueError),
        ("array", "a,b", ValueError), ("object", "[]", ValueError),
    ],
)  # fmt: skip
def test_text_is_read_by_the_fields_type(kind: str, text: str, value: Any) -> None:
    if value is ValueError:
        with pytest.raises(ValueError, match=r"\.$"):
            read_text(kind, text)
    else:
        assert read_text(kind, text) == value
