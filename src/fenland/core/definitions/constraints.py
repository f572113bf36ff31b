"""Constraints: the keywords of JSON Schema Validation 2020-12 that say which values a field may hold.

One keyword is one row of `CONSTRAINTS`: where it belongs, how it must look in a definition, what may not lie
above it, and the rule that is made of it. Validation, the published schemas and `fenland check` all read the
rows, so that a new keyword is a new row here.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from fenland.core.definitions.model import Field
from fenland.core.definitions.shapes import COUNT, FLAG, LIST, NUMBER, STEP, TEXT, Shape
from fenland.core.values.patterns import compile_pattern
from fenland.core.values.plain import exact, frozen, same

#: What a rule finds wrong: code, sentence and parameters; None when it is content.
Finding = tuple[str, str, Mapping[str, Any]] | None
Rule = Callable[[Any], Finding]


@dataclass(frozen=True, slots=True)
class Constraint:
    """One keyword; its name is that of JSON Schema, in definitions and in what is published.

    `shape` says how its value must look; `settle` makes of that what is kept, and may raise
    `ValueError` with what is wrong. `rule` makes a rule of the value for a field. No value could pass where
    this one's lies above that of a keyword in `at_most`. `lets_more` tells, of the value before and the one
    after, whether every value that could be kept before can be kept after.
    """

    types: tuple[str, ...]
    shape: Shape
    rule: Callable[[Any, Field], Rule]
    settle: Callable[[Any], Any] = lambda value: value
    at_most: tuple[str, ...] = ()
    lets_more: Callable[[Any, Any], bool] = lambda _was, _now: False


def _pattern_of(text: str) -> str:
    compile_pattern(text)
    return text


# --- what rules are made of --------------------------------------------------------------------------


def _size(code: str, words: str, holds: Callable[[int, int], bool]) -> Callable[[Any, Field], Rule]:
    def make(limit: int, _field: Field) -> Rule:
        def rule(value: Any) -> Finding:
            if holds(len(value), limit):
                return None
            return code, f"Must {words.format(limit)}, not {len(value)}.", {code: limit}

        return rule

    return make


def _bound(code: str, words: str, holds: Callable[[Any, Any], bool]) -> Callable[[Any, Field], Rule]:
    def make(limit: Decimal, field: Field) -> Rule:
        # Values kept as doubles are held against doubles, or 0.3 would be less than a minimum of 0.3.
        bound: Any = float(limit) if field.type == "number" and field.scale is None else limit
        # A whole bound compares as an integer, which is faster and as exact.
        shown: Any = int(bound) if bound == int(bound) else bound

        def rule(value: Any) -> Finding:
            return None if holds(value, shown) else (code, f"Must be {words} {shown}.", {code: shown})

        return rule

    return make


def _multiple_of(step: Decimal, field: Field) -> Rule:
    if field.scale is not None and step == Decimal(1).scaleb(-field.scale):
        # The values are kept as whole multiples of it, and those that are none are refused as they are read.
        return lambda _value: None
    step_top, step_bottom = step.as_integer_ratio()

    def rule(value: Any) -> Finding:
        number = Decimal(exact(value))
        # Python's remainder stops at 28 digits; whole-number ratios do not.
        top, bottom = number.as_integer_ratio()
        if (top * step_bottom) % (bottom * step_top) == 0:
            return None
        return "multiple_of", f"Must be a multiple of {step}.", {"multiple_of": step}

    return rule


def _pattern(text: str, _field: Field) -> Rule:
    search = compile_pattern(text)

    def rule(value: str) -> Finding:
        return None if search(value) else ("pattern", f"Must match {text}.", {"pattern": text})

    return rule


def _enum(members: tuple[Any, ...], _field: Field) -> Rule:
    words = ", ".join(
        str(member) if not isinstance(member, bool) else str(member).lower() for member in members
    )

    def rule(value: Any) -> Finding:
        if any(same(value, member) for member in members):
            return None
        return "enum", f"Must be one of: {words}.", {"enum": list(members)}

    return rule


def _unique_items(wanted: bool, _field: Field) -> Rule:
    def rule(value: list[Any]) -> Finding:
        seen = set()
        for place, member in enumerate(value if wanted else ()):
            member = frozen(member)
            if member in seen:
                return "unique_items", f"Item {place + 1} repeats an earlier one.", {"index": place}
            seen.add(member)
        return None

    return rule


def _larger(was: Any, now: Any) -> bool:
    return bool(now >= was)


def _smaller(was: Any, now: Any) -> bool:
    return bool(now <= was)


def _all_members(was: Any, now: Any) -> bool:
    return all(any(same(one, other) for other in now) for one in was)


# --- the rows ----------------------------------------------------------------------------------------

_STRING, _NUMERIC, _ARRAY, _OBJECT = ("string",), ("integer", "number"), ("array",), ("object",)

CONSTRAINTS: Mapping[str, Constraint] = {
    "enum": Constraint(
        ("string", *_NUMERIC, "boolean"), LIST.said("a list of the values allowed"), _enum, settle=tuple,
        lets_more=_all_members,
    ),
    "minLength": Constraint(
        _STRING, COUNT,
        _size("min_length", "be at least {} characters long", operator.ge), at_most=("maxLength",),
        lets_more=_smaller,
    ),
    "maxLength": Constraint(
        _STRING, COUNT, _size("max_length", "be at most {} characters long", operator.le),
        lets_more=_larger,
    ),
    "pattern": Constraint(_STRING, TEXT.said("a regular expression"), _pattern, settle=_pattern_of),
    "minimum": Constraint(
        _NUMERIC, NUMBER, _bound("minimum", "at least", operator.ge),
        settle=Decimal, at_most=("maximum", "exclusiveMaximum"),
        lets_more=_smaller,
    ),
    "maximum": Constraint(
        _NUMERIC, NUMBER, _bound("maximum", "at most", operator.le), settle=Decimal,
        lets_more=_larger,
    ),
    "exclusiveMinimum": Constraint(
        _NUMERIC, NUMBER, _bound("exclusive_minimum", "above", operator.gt),
        settle=Decimal, at_most=("exclusiveMaximum", "maximum"),
        lets_more=_smaller,
    ),
    "exclusiveMaximum": Constraint(
        _NUMERIC, NUMBER, _bound("exclusive_maximum", "below", operator.lt), settle=Decimal,
        lets_more=_larger,
    ),
    "multipleOf": Constraint(_NUMERIC, STEP, _multiple_of, settle=Decimal),
    "minItems": Constraint(
        _ARRAY, COUNT,
        _size("min_items", "have at least {} items", operator.ge), at_most=("maxItems",),
        lets_more=_smaller,
    ),
    "maxItems": Constraint(
        _ARRAY, COUNT, _size("max_items", "have at most {} items", operator.le),
        lets_more=_larger,
    ),
    "uniqueItems": Constraint(_ARRAY, FLAG, _unique_items),
    "minProperties": Constraint(
        _OBJECT, COUNT,
        _size("min_properties", "have at least {} properties", operator.ge), at_most=("maxProperties",),
        lets_more=_smaller,
    ),
    "maxProperties": Constraint(
        _OBJECT, COUNT, _size("max_properties", "have at most {} properties", operator.le),
        lets_more=_larger,
    ),
}  # fmt: skip


def rules_of(field: Field) -> tuple[Rule, ...]:
    """The rules of a field's constraints, in the order of the rows."""
    return tuple(
        row.rule(field.constraints[name], field)
        for name, row in CONSTRAINTS.items()
        if name in field.constraints
    )
