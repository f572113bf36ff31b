"""Functions and methods: a row each, by name and the kinds of its arguments.

What the CEL specification names does what it says there; `date` is our own. A call that no row takes is an
error that says what it was given.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime, timedelta, timezone, tzinfo
from decimal import Decimal
from functools import lru_cache
from math import isfinite
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import re2

from fenland.core.expressions.budget import spend
from fenland.core.expressions.faults import EvaluationError
from fenland.core.expressions.kinds import Type, kind_of, value_of
from fenland.core.expressions.parser import HIGHEST_INTEGER, LOWEST_INTEGER
from fenland.core.expressions.types import (
    BOOL,
    DATE,
    DOUBLE,
    DURATION,
    DYN,
    INT,
    STRING,
    TIMESTAMP,
    ValueType,
    list_of,
)

Function = Callable[..., Any]
#: Stands for any kind.
ANY = "any"
#: Characters, or items, that one step is for.
_CHARACTERS = 32


def integer(value: int) -> int:
    """An int, within 64 bits. Raises `EvaluationError`."""
    if not LOWEST_INTEGER <= value <= HIGHEST_INTEGER:
        raise EvaluationError("The result does not fit in 64 bits.")
    return value


# --- conversions -------------------------------------------------------------------------------------

_INTEGER = re.compile(r"[+-]?[0-9]+")
_DOUBLE = re.compile(
    r"[+-]?([0-9]+(\.[0-9]*)?|\.[0-9]+)([eE][+-]?[0-9]+)?|[+-]?(inf|infinity|nan)", re.IGNORECASE
)
_DURATION = re.compile(r"([0-9]+(?:\.[0-9]*)?|\.[0-9]+)(h|ms|us|µs|ns|m|s)")
_UNITS: Mapping[str, Decimal] = {
    "h": Decimal(3_600_000_000),
    "m": Decimal(60_000_000),
    "s": Decimal(1_000_000),
    "ms": Decimal(1_000),
    "us": Decimal(1),
    "µs": Decimal(1),
    "ns": Decimal("0.001"),
}
_TRUE, _FALSE = ("1", "t", "true", "TRUE", "True"), ("0", "f", "false", "FALSE", "False")


def _int_from_double(value: float) -> int:
    # Infinities and NaN have no digits, and 2^63 itself is one too many.
    if not -(2.0**63) < value < 2.0**63:
        raise EvaluationError("The double does not fit in an int.")
    return int(value)


def _int_from_string(text: str) -> int:
    if not _INTEGER.fullmatch(text) or len(text) > 25:
        raise EvaluationError(f"{text[:40]!r} is no int.")
    return integer(int(text))


def _double_from_string(text: str) -> float:
    if not _DOUBLE.fullmatch(text) or len(text) > 400:
        raise EvaluationError(f"{text[:40]!r} is no double.")
    return float(text)


def _bool_from_string(text: str) -> bool:
    if text in _TRUE or text in _FALSE:
        return text in _TRUE
    raise EvaluationError(f"{text[:40]!r} is neither true nor false.")


def _string_from_double(value: float) -> str:
    text = repr(value)
    return text.removesuffix(".0")


def _string_from_timestamp(value: datetime) -> str:
    text = value.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%S").rjust(19, "0")
    fraction = f".{value.microsecond:06}".rstrip("0").rstrip(".")
    return f"{text}{fraction}Z"


def _string_from_duration(value: timedelta) -> str:
    micros = value // timedelta(microseconds=1)
    sign, micros = ("-", -micros) if micros < 0 else ("", micros)
    fraction = f".{micros % 1_000_000:06}".rstrip("0").rstrip(".")
    return f"{sign}{micros // 1_000_000}{fraction}s"


_TIMESTAMP = re.compile(
    r"(\d{4}-\d{2}-\d{2})[Tt](\d{2}:\d{2}:\d{2})(?:\.(\d{1,9}))?(?:[Zz]|([+-])(\d{2}):(\d{2}))", re.ASCII
)


def _timestamp(text: str) -> datetime:
    found = _TIMESTAMP.fullmatch(text)
    if found is None:
        raise EvaluationError(f"{text[:40]!r} is no timestamp. Write 2031-04-09T14:30:00Z.")
    day, clock, fraction, sign, hours, minutes = found.groups()
    digits = (fraction or "").ljust(6, "0")
    if digits[6:].strip("0"):
        raise EvaluationError("Timestamps have at most six digits after the second.")
    offset = timedelta(hours=int(hours or 0), minutes=int(minutes or 0))
    try:
        moment = datetime.fromisoformat(f"{day}T{clock}.{digits[:6]}")
        return moment.replace(tzinfo=timezone(-offset if sign == "-" else offset)).astimezone(UTC)
    except (ValueError, OverflowError):
        raise EvaluationError(f"There is no moment {text[:40]!r}.") from None


def _timestamp_from_int(seconds: int) -> datetime:
    try:
        return datetime(1970, 1, 1, tzinfo=UTC) + timedelta(seconds=seconds)
    except OverflowError:
        raise EvaluationError("The timestamp lies outside the years 1 to 9999.") from None


#: 10,000 years, as the specification bounds durations.
_LONGEST = timedelta(seconds=315_576_000_000)


def _duration(text: str) -> timedelta:
    rest = text.removeprefix("-").removeprefix("+")
    pieces = list(_DURATION.finditer(rest))
    if "".join(piece[0] for piece in pieces) != rest or (not pieces and rest != "0") or len(text) > 60:
        raise EvaluationError(f"{text[:40]!r} is no duration. Write 90s, or 1h30m.")
    micros = sum((Decimal(piece[1]) * _UNITS[piece[2]] for piece in pieces), Decimal(0))
    if micros != micros.to_integral_value():
        raise EvaluationError("Durations have at most six digits after the second.")
    if micros > _LONGEST / timedelta(microseconds=1):
        raise EvaluationError("The duration is longer than 10,000 years.")
    return timedelta(microseconds=int(micros if text[:1] != "-" else -micros))


def span(value: timedelta) -> timedelta:
    """A duration within its bounds. Raises `EvaluationError`."""
    if abs(value) > _LONGEST:
        raise EvaluationError("The duration is longer than 10,000 years.")
    return value


def _date(text: str) -> date:
    try:
        if not re.fullmatch(r"\d{4}-\d{2}-\d{2}", text, re.ASCII):
            raise ValueError
        return date.fromisoformat(text)
    except ValueError:
        raise EvaluationError(f"{text[:40]!r} is no date. Write 2031-04-09.") from None


# --- getters -----------------------------------------------------------------------------------------

_OFFSET = re.compile(r"([+-]?)(\d{2}):(\d{2})", re.ASCII)


#: After so many years the calendar is the same again, days of the week included.
_CYCLE = 400


def _moved(value: datetime, zone: tzinfo) -> tuple[datetime, int]:
    """A moment in a zone, and how many years it was moved by so that Python can tell it."""
    try:
        return value.astimezone(zone), 0
    except OverflowError:
        years = _CYCLE if value.year < _CYCLE else -_CYCLE
        return value.replace(year=value.year + years).astimezone(zone), years


def _year_in_zone(value: datetime, zone: str) -> int:
    moved, years = _in_zone(value, zone)
    return moved.year - years


def _in_zone(value: datetime, zone: str) -> tuple[datetime, int]:
    found = _OFFSET.fullmatch(zone)
    try:
        if found is not None:
            offset = timedelta(hours=int(found[2]), minutes=int(found[3]))
            return _moved(value, timezone(-offset if found[1] == "-" else offset))
        return _moved(value, ZoneInfo(zone))
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise EvaluationError(f"There is no time zone {zone[:40]!r}.") from None


_DAY_PARTS: Mapping[str, Callable[[Any], int]] = {
    "getFullYear": lambda value: int(value.year),
    "getMonth": lambda value: int(value.month) - 1,
    "getDate": lambda value: int(value.day),
    "getDayOfMonth": lambda value: int(value.day) - 1,
    "getDayOfWeek": lambda value: int(value.isoweekday()) % 7,
    "getDayOfYear": lambda value: int(value.timetuple().tm_yday) - 1,
}
_CLOCK_PARTS: Mapping[str, Callable[[Any], int]] = {
    "getHours": lambda value: int(value.hour),
    "getMinutes": lambda value: int(value.minute),
    "getSeconds": lambda value: int(value.second),
    "getMilliseconds": lambda value: int(value.microsecond) // 1000,
}


def _whole(value: timedelta, unit: timedelta) -> int:
    """How many units a duration holds, towards zero."""
    count = abs(value) // unit
    return count if value >= timedelta(0) else -count


_DURATION_PARTS: Mapping[str, Callable[[timedelta], int]] = {
    "getHours": lambda value: _whole(value, timedelta(hours=1)),
    "getMinutes": lambda value: _whole(value, timedelta(minutes=1)),
    "getSeconds": lambda value: _whole(value, timedelta(seconds=1)),
    "getMilliseconds": lambda value: (
        _whole(value, timedelta(milliseconds=1)) % 1000
        if value >= timedelta(0)
        else -(-_whole(value, timedelta(milliseconds=1)) % 1000)
    ),
}


# --- strings -----------------------------------------------------------------------------------------


@lru_cache(256)
def _pattern(text: str) -> Any:
    options = re2.Options()
    options.log_errors = False
    try:
        return re2.compile(text, options)
    except re2.error as error:
        raise EvaluationError(f"{text[:40]!r} is no pattern: {error}.") from None


def _ascii(text: str, change: Callable[[str], str]) -> str:
    return "".join(change(letter) if letter.isascii() else letter for letter in text)


#: Characters of a string, and items of a list, that an expression may make.
LARGEST = 1_000_000


def sized(size: int) -> None:
    """Raises `EvaluationError` for what would be too large to make."""
    if size > LARGEST:
        raise EvaluationError(f"The result would have more than {LARGEST} characters or items.")


def _join(items: list[Any], between: str = "") -> str:
    if not all(isinstance(one, str) for one in items):
        raise EvaluationError("join takes a list of strings.")
    sized(sum(map(len, items)) + len(between) * len(items))
    return between.join(items)


def _replace(text: str, old: str, new: str, limit: int = -1) -> str:
    count = text.count(old) if limit < 0 else min(limit, text.count(old))
    sized(len(text) + count * (len(new) - len(old)))
    return text.replace(old, new, count)


def _split(text: str, between: str, limit: int = -1) -> list[str]:
    if limit == 0:
        return []
    most = -1 if limit < 0 else limit - 1
    if between == "":
        letters = list(text)
        return letters if most < 0 or len(letters) <= most + 1 else [*letters[:most], "".join(letters[most:])]
    return text.split(between, most)


def _substring(text: str, start: int, end: int | None = None) -> str:
    stop = len(text) if end is None else end
    if not 0 <= start <= stop <= len(text):
        raise EvaluationError(
            f"There is no part from {start} to {stop} in a string of {len(text)} characters."
        )
    return text[start:stop]


# --- the rows ----------------------------------------------------------------------------------------

FUNCTIONS: dict[tuple[str, tuple[str, ...]], Function] = {
    ("size", ("string",)): len,
    ("size", ("list",)): len,
    ("size", ("map",)): len,
    ("int", ("int",)): int,
    ("int", ("double",)): _int_from_double,
    ("int", ("decimal",)): lambda value: integer(int(value)),
    ("int", ("string",)): _int_from_string,
    ("int", ("timestamp",)): lambda value: (value - datetime(1970, 1, 1, tzinfo=UTC)) // timedelta(seconds=1),
    ("double", ("double",)): float,
    ("double", ("int",)): float,
    ("double", ("decimal",)): float,
    ("double", ("string",)): _double_from_string,
    ("string", ("string",)): str,
    ("string", ("int",)): str,
    ("string", ("double",)): _string_from_double,
    ("string", ("decimal",)): lambda value: format(value, "f"),
    ("string", ("bool",)): lambda value: str(value).lower(),
    ("string", ("timestamp",)): _string_from_timestamp,
    ("string", ("duration",)): _string_from_duration,
    ("string", ("date",)): str,
    ("bool", ("bool",)): bool,
    ("bool", ("string",)): _bool_from_string,
    ("timestamp", ("timestamp",)): lambda value: value,
    ("timestamp", ("string",)): _timestamp,
    ("timestamp", ("int",)): _timestamp_from_int,
    ("duration", ("duration",)): lambda value: value,
    ("duration", ("string",)): _duration,
    ("date", ("date",)): lambda value: value,
    ("date", ("string",)): _date,
    ("dyn", (ANY,)): lambda value: value,
    ("type", (ANY,)): lambda value: Type(kind_of(value)),
    ("matches", ("string", "string")): lambda text, pattern: _pattern(pattern).search(text) is not None,
}

METHODS: dict[tuple[str, tuple[str, ...]], Function] = {
    **{("size", kinds): one for (name, kinds), one in FUNCTIONS.items() if name == "size"},
    ("matches", ("string", "string")): FUNCTIONS["matches", ("string", "string")],
    ("contains", ("string", "string")): lambda text, part: part in text,
    ("startsWith", ("string", "string")): str.startswith,
    ("endsWith", ("string", "string")): str.endswith,
    ("lowerAscii", ("string",)): lambda text: _ascii(text, str.lower),
    ("upperAscii", ("string",)): lambda text: _ascii(text, str.upper),
    ("trim", ("string",)): str.strip,
    ("split", ("string", "string")): _split,
    ("split", ("string", "string", "int")): _split,
    ("join", ("list",)): _join,
    ("join", ("list", "string")): _join,
    ("replace", ("string", "string", "string")): _replace,
    ("replace", ("string", "string", "string", "int")): _replace,
    ("substring", ("string", "int")): _substring,
    ("substring", ("string", "int", "int")): _substring,
    **{(name, ("date",)): part for name, part in _DAY_PARTS.items()},
    **{(name, ("timestamp",)): part for name, part in {**_DAY_PARTS, **_CLOCK_PARTS}.items()},
    **{
        (name, ("timestamp", "string")): lambda value, zone, part=part: part(_in_zone(value, zone)[0])
        for name, part in {**_DAY_PARTS, **_CLOCK_PARTS}.items()
    },
    ("getFullYear", ("timestamp", "string")): _year_in_zone,
    **{(name, ("duration",)): part for name, part in _DURATION_PARTS.items()},
}


#: What each gives, by its name.
RESULTS: Mapping[str, ValueType] = {
    **dict.fromkeys((*_DAY_PARTS, *_CLOCK_PARTS, "size", "int"), INT),
    **dict.fromkeys(("string", "lowerAscii", "upperAscii", "trim", "join", "replace", "substring"), STRING),
    **dict.fromkeys(("bool", "matches", "contains", "startsWith", "endsWith"), BOOL),
    "double": DOUBLE,
    "timestamp": TIMESTAMP,
    "duration": DURATION,
    "date": DATE,
    "dyn": DYN,
    "type": ValueType("type"),
    "split": list_of(STRING),
}

#: What the specification has and this language has not, and what is said of it.
LEFT_OUT: Mapping[str, str] = {
    "uint": "There are no unsigned integers here. Use int.",
    "bytes": "There are no bytes here. Use strings.",
    "optional": "There are no optional values here. Compare with null.",
    "cel": "There are no macros of one's own here. Write the expression out.",
    "google": "There are no messages here. Write a map.",
    "proto": "There are no messages here. Write a map.",
}


def left_out(name: str) -> str | None:
    """Why there is no such name here, where the specification has what it begins; None for any other."""
    if name[:1].isupper():
        return f"There is no {name!r} here, and there are no messages or enums. Write a map, or a string."
    return LEFT_OUT.get(name)


def called(name: str, given: list[Any], *, method: bool) -> Any:
    """What a function, or a method on its first argument, gives. Raises `EvaluationError`."""
    rows = METHODS if method else FUNCTIONS
    kinds = tuple(map(kind_of, given))
    found = rows.get((name, kinds)) or rows.get((name, (ANY,) * len(kinds)))
    if found is None:
        raise EvaluationError(f"{name} does not take {', '.join(kinds) or 'nothing'}.")
    # Long texts are work of their own: each step is for so many characters, or items.
    size = sum(len(one) for one in given if isinstance(one, (str, list)))
    if size > _CHARACTERS:
        spend(size // _CHARACTERS)
    return found(*given)


def as_json(value: Any) -> Any:
    """A value as JSON has it: times as their texts, types by their names, infinities and NaN as texts too."""
    kind = kind_of(value)
    if kind in ("timestamp", "duration", "date"):
        return FUNCTIONS["string", (kind,)](value)
    if kind == "list":
        return [as_json(one) for one in value]
    if kind == "map":
        return {str(as_json(value_of(key))): as_json(member) for key, member in value.items()}
    if kind == "type":
        return value.name
    return str(value) if kind == "double" and not isfinite(value) else value
