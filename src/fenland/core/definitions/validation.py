"""Validation: each field's keywords, compiled once into one function that reads and checks a value.

A check takes the value as sent, the JSON Pointer of its place and the list of problems so far. It
returns the value in the one form that is kept (dates, decimals, UUIDs), or `REFUSED` after adding
what is wrong. Types and formats are read here; the other keywords are rules of `constraints.py`.
"""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from fenland.core.definitions.constraints import Finding, rules_of
from fenland.core.definitions.model import Field
from fenland.core.names import did_you_mean
from fenland.core.problems import MOST_PROBLEMS, Problem, pointer_to
from fenland.core.values.formats import READERS

Check = Callable[[Any, str, list[Problem]], Any]

#: Returned by a check that added a problem and has no value to go on with.
REFUSED: Any = type("Refused", (), {"__repr__": lambda _self: "REFUSED"})()

LOWEST_INTEGER, HIGHEST_INTEGER = -(2**63), 2**63 - 1


# --- reading: the type of what was sent ---------------------------------------------------------


def kind_of(value: Any) -> str:
    """The JSON type of a value, in JSON's own words."""
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "boolean"
    if isinstance(value, str):
        return "string"
    if isinstance(value, (int, float, Decimal)):
        return "number"
    return "array" if isinstance(value, list) else "object"


def _of_type(wanted: str, value: Any) -> Finding:
    found = kind_of(value)
    article = "an" if wanted[0] in "aeiou" else "a"
    return "type", f"Must be {article} {wanted}, not {found}.", {"expected": wanted, "found": found}


def _read_string(value: Any) -> tuple[Any, Finding]:
    if not isinstance(value, str):
        return None, _of_type("string", value)
    if "\0" in value:
        return None, ("characters", "Must not hold the character U+0000. Remove it.", {})
    return value, None


def _read_boolean(value: Any) -> tuple[Any, Finding]:
    return (value, None) if isinstance(value, bool) else (None, _of_type("boolean", value))


def _read_integer(value: Any) -> tuple[Any, Finding]:
    if isinstance(value, bool) or not isinstance(value, (int, float, Decimal)):
        return None, _of_type("integer", value)
    # Not by //, which fails for decimals of more digits than its context has.
    exact = value.to_integral_value() if isinstance(value, Decimal) else int(value)
    if value != exact:
        return None, ("type", "Must be a whole number.", {"expected": "integer", "found": "number"})
    number = int(value)
    if not LOWEST_INTEGER <= number <= HIGHEST_INTEGER:
        return None, ("range", "Must fit in 64 bits.", {"lowest": LOWEST_INTEGER, "highest": HIGHEST_INTEGER})
    return number, None


def _read_float(value: Any) -> tuple[Any, Finding]:
    if isinstance(value, bool) or not isinstance(value, (int, float, Decimal)):
        return None, _of_type("number", value)
    try:
        number = float(value)
    except OverflowError:
        number = float("inf")
    if number in (float("inf"), float("-inf")):
        return None, ("range", "Is too large for a number with a floating point.", {})
    # Minus zero equals zero and would only show as a change that is none.
    return number or 0.0, None


def _decimal_reader(scale: int) -> Callable[[Any], tuple[Any, Finding]]:
    """Exact decimals of at most `scale` digits after the point, held as 64-bit counts of the last digit."""
    quantum = Decimal(1).scaleb(-scale)
    zero, lowest, highest = Decimal(0).quantize(quantum), LOWEST_INTEGER * quantum, HIGHEST_INTEGER * quantum

    def read(value: Any) -> tuple[Any, Finding]:
        if isinstance(value, bool) or not isinstance(value, (int, float, Decimal)):
            return None, _of_type("number", value)
        number = Decimal(repr(value)) if isinstance(value, float) else Decimal(value)
        if not lowest <= number <= highest:
            return None, ("range", f"Is too large to be kept with {scale} digits after the point.", {})
        kept = number.quantize(quantum)
        if kept != number:
            finding = ("multiple_of", f"Must be a multiple of {quantum}.", {"multiple_of": quantum})
            return None, finding
        # Minus zero equals zero and would only show as a change that is none.
        return kept or zero, None

    return read


def _formatted(name: str) -> Callable[[Any], tuple[Any, Finding]]:
    reader, looks = READERS[name]

    def read(value: Any) -> tuple[Any, Finding]:
        text, finding = _read_string(value)
        if finding is not None:
            return None, finding
        kept = reader(text)
        if kept is None:
            return None, ("format", f"Must be {looks}.", {"format": name})
        return kept, None

    return read


def _reader(field: Field) -> Callable[[Any], tuple[Any, Finding]]:
    if field.type == "string":
        return _formatted(field.format) if field.format else _read_string
    if field.type == "number":
        return _read_float if field.scale is None else _decimal_reader(field.scale)
    return _read_boolean if field.type == "boolean" else _read_integer


# --- putting a field's check together -------------------------------------------------------------


def _scalar(field: Field) -> Check:
    read, rules = _reader(field), rules_of(field)

    def check(value: Any, pointer: str, problems: list[Problem]) -> Any:
        kept, finding = read(value)
        if finding is not None:
            problems.append(Problem(pointer, *finding))
            return REFUSED
        for rule in rules:
            finding = rule(kept)
            if finding is not None:
                problems.append(Problem(pointer, *finding))
        return kept

    return check


def _anything(value: Any, _pointer: str, _problems: list[Problem]) -> Any:
    return value


def _array(field: Field) -> Check:
    inner = compile_nullable(field.items) if field.items is not None else _anything
    rules = rules_of(field)

    def check(value: Any, pointer: str, problems: list[Problem]) -> Any:
        if not isinstance(value, list):
            problems.append(Problem(pointer, *(_of_type("array", value) or ())))
            return REFUSED
        kept = [inner(item, f"{pointer}/{place}", problems) for place, item in enumerate(value)]
        refused = any(item is REFUSED for item in kept)
        for rule in rules:
            # Members that could not be read are judged as they were sent.
            finding = rule(value if refused else kept)
            if finding is not None:
                problems.append(Problem(pointer, *finding))
        return REFUSED if refused else kept

    return check


def _object(field: Field) -> Check:
    properties = field.properties
    checks = {name: compile_nullable(inner) for name, inner in (properties or {}).items()}
    required = [name for name, inner in (properties or {}).items() if inner.required]
    rules = rules_of(field)

    def check(value: Any, pointer: str, problems: list[Problem]) -> Any:
        if not isinstance(value, dict):
            problems.append(Problem(pointer, *(_of_type("object", value) or ())))
            return REFUSED
        for rule in rules:
            finding = rule(value)
            if finding is not None:
                problems.append(Problem(pointer, *finding))
        if properties is None:
            return value
        kept = {}
        for name, member in value.items():
            place = pointer + pointer_to(name)
            if name in checks:
                kept[name] = checks[name](member, place, problems)
            else:
                hint = did_you_mean(name, checks) if len(problems) < MOST_PROBLEMS else ""
                detail = f"There is no property {name!r}. {hint}"
                problems.append(Problem(place, "unknown_property", detail))
        for name in required:
            if name not in value:
                problems.append(Problem(pointer + pointer_to(name), "required", "Must be given."))
        return REFUSED if any(member is REFUSED for member in kept.values()) else kept

    return check


def compile_field(field: Field) -> Check:
    """The check of a field's values other than null."""
    if field.type == "array":
        return _array(field)
    return _object(field) if field.type == "object" else _scalar(field)


def compile_nullable(field: Field) -> Check:
    """The check of a field's values, null among them where the field allows it."""
    check, nullable = compile_field(field), field.nullable

    def with_null(value: Any, pointer: str, problems: list[Problem]) -> Any:
        if value is not None:
            return check(value, pointer, problems)
        if not nullable:
            problems.append(Problem(pointer, "null", "Must not be null. Send a value."))
            return REFUSED
        return None

    return with_null
