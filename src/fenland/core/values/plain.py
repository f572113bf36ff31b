"""JSON values: reading text strictly, writing it exactly, comparing by JSON's meaning.

A number with a fraction or an exponent is read as `decimal.Decimal`, so that nothing between the
wire and the table passes through binary floating point unless its field says so.
"""

from __future__ import annotations

import json
from decimal import Decimal
from typing import Any

import orjson

from fenland.core.limits import DEFAULTS, Limits, beyond
from fenland.core.problems import Malformed, TooLarge

#: Marks "nothing was given", where None is a value of its own.
MISSING: Any = type("Missing", (), {"__repr__": lambda _self: "MISSING", "__bool__": lambda _self: False})()

#: Digits and exponents beyond this cannot be a field's value and only cost time to compute with.
MAX_NUMBER_LENGTH = 400


#: Numbers this far from 1 are written with an exponent: their digits would be mostly zeros.
_WRITTEN_OUT = 30


def _pairs(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) != len(pairs):
        seen: set[str] = set()
        twice = next(name for name, _ in pairs if name in seen or seen.add(name))  # type: ignore[func-returns-value]
        raise Malformed(f"The name {twice[:80]!r} stands twice in one JSON object. Send each name once.")
    return found


def _constant(word: str) -> Any:
    raise Malformed(f"{word} is not JSON. Leave the member out, or send null.")


def _decimal(text: str) -> Decimal:
    number = Decimal(text) if len(text) <= MAX_NUMBER_LENGTH else None
    if number is None or abs(number.adjusted()) > MAX_NUMBER_LENGTH:
        raise Malformed("A number is beyond what is read here. Send fewer digits.")
    return number


def _integer(text: str) -> int:
    if len(text) > MAX_NUMBER_LENGTH:
        raise Malformed("A number is beyond what is read here. Send fewer digits.")
    return int(text)


_DECODER = json.JSONDecoder(
    object_pairs_hook=_pairs, parse_float=_decimal, parse_int=_integer, parse_constant=_constant
)


def _check_depth(value: Any, left: int, limits: Limits) -> None:
    if left < 0:
        raise _too_deep(limits)
    for member in value.values() if isinstance(value, dict) else value:
        if isinstance(member, (dict, list)):
            _check_depth(member, left - 1, limits)


def _too_deep(limits: Limits) -> TooLarge:
    return beyond("nesting_limit", limits.nesting, "The body nests too deep. Send a flatter one.")


def read_json(body: bytes, limits: Limits = DEFAULTS) -> Any:
    """The value of a JSON text (RFC 8259, in the I-JSON manner of RFC 7493).

    Raises `Malformed`, with line and column, for anything that is not one JSON value in UTF-8,
    names given twice, lone surrogates and NaN included, and `TooLarge` for one that nests too deep.
    """
    try:
        text = body.decode("utf-8")
        value = _DECODER.decode(text)
        if "\\u" in text:
            text_of_strings(value).encode("utf-8")
    except json.JSONDecodeError as error:
        raise Malformed(
            f"The body is not JSON: {error.msg} at line {error.lineno}, column {error.colno}."
        ) from None
    except UnicodeDecodeError as error:
        raise Malformed(f"The body is not UTF-8: byte {error.start} cannot be read.") from None
    except UnicodeEncodeError:
        raise Malformed("The body holds half of a surrogate pair. Send whole characters.") from None
    except RecursionError:
        raise _too_deep(limits) from None
    if isinstance(value, (dict, list)):
        _check_depth(value, limits.nesting - 1, limits)
    return value


def text_of_strings(value: Any) -> str:
    """All strings in a JSON value, names of members too, joined: for checks on characters alone."""
    if isinstance(value, str):
        return value
    if isinstance(value, dict):
        return "".join(name + text_of_strings(member) for name, member in value.items())
    if isinstance(value, list):
        return "".join(map(text_of_strings, value))
    return ""


def _exact(value: Any) -> Any:
    if type(value) is Decimal:
        text = str(value)
        if "E" in text and abs(value.adjusted()) <= _WRITTEN_OUT:
            text = format(value, "f")
        return orjson.Fragment(text)
    if type(value) is int:
        return orjson.Fragment(str(value))
    raise TypeError(f"{type(value).__name__} is not a JSON value.")


def write_json(value: Any) -> bytes:
    """The JSON text of a value, decimals and integers of any size to the last digit."""
    try:
        return orjson.dumps(value, default=_exact)
    except TypeError:
        return orjson.dumps(_with_large_integers(value), default=_exact)


def _with_large_integers(value: Any) -> Any:
    """The same value, integers of more than 64 bits, which orjson does not write, as their digits."""
    if isinstance(value, dict):
        return {name: _with_large_integers(member) for name, member in value.items()}
    if isinstance(value, (list, tuple)):
        return [_with_large_integers(member) for member in value]
    if type(value) is int and not -(2**63) <= value < 2**64:
        return _exact(value)
    return value


#: How much of a value a message shows, in characters.
_SHOWN = 80


def as_written(value: Any) -> str:
    """A value as somebody wrote it, for messages: texts in quotes, numbers by their digits, cut when long."""
    try:
        text = repr(value) if isinstance(value, str) else write_json(value).decode()
    except TypeError:
        text = repr(value)
    return text if len(text) <= _SHOWN else f"{text[:_SHOWN]}…"


def same(one: Any, other: Any) -> bool:
    """Whether two values are equal by JSON's meaning: 1 equals 1.0, and true is no number."""
    if isinstance(one, bool) or isinstance(other, bool):
        return one is other
    if isinstance(one, dict):
        return (
            isinstance(other, dict)
            and one.keys() == other.keys()
            and all(same(member, other[name]) for name, member in one.items())
        )
    if isinstance(one, list):
        return isinstance(other, list) and len(one) == len(other) and all(map(same, one, other))
    if one == other:
        return True
    # A double stands for the digits it shows, or 0.3 as sent would differ from 0.3 as kept.
    return (isinstance(one, float) or isinstance(other, float)) and bool(exact(one) == exact(other))


def exact(value: Any) -> Any:
    """A number that compares by the digits it shows; any other value as it is."""
    return Decimal(repr(value)) if isinstance(value, float) else value


def frozen(value: Any) -> Any:
    """A hashable stand-in: two values have equal ones just when they are the `same`."""
    if isinstance(value, bool):
        return "boolean", value
    if isinstance(value, dict):
        return "object", frozenset((name, frozen(member)) for name, member in value.items())
    if isinstance(value, list):
        return "array", tuple(map(frozen, value))
    if isinstance(value, (int, float, Decimal)):
        return "number", _digits(value)
    return value


def _digits(number: Any) -> str:
    """The one text of a number's value.

    A text, since anyone can work out numbers whose hashes collide, and a set of many such is slow.
    """
    sign, digits, exponent = Decimal(exact(number)).as_tuple()
    text = "".join(map(str, digits)).lstrip("0")
    bare = text.rstrip("0")
    return f"{'-' * sign}{bare}e{int(exponent) + len(text) - len(bare)}" if bare else "0"
