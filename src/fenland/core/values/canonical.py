"""Canonical JSON, as RFC 8785 defines it: of each value there is one text, so that it can be hashed."""

from __future__ import annotations

import math
from decimal import Decimal
from typing import Any

import orjson

#: Whole numbers beyond this are not all doubles (RFC 7493 section 2.2).
LARGEST_EXACT = 2**53 - 1

#: From these powers of ten on, ECMAScript writes an exponent (ECMA-262, Number::toString).
_LEAST_PLAIN, _LEAST_LARGE = -7, 21


def canonical(value: Any) -> bytes:
    """The canonical text of a JSON value, in UTF-8 (RFC 8785 section 3.2).

    Raises `ValueError` for a number that is no finite double, or a whole one that is not exact as such.
    """
    return orjson.dumps(_ready(value))


def canonical_plain(value: Any) -> bytes:
    """The same, of a value without any number that has a fraction, at the speed of the library.

    It sorts names by their characters, which is the order of RFC 8785 unless some are beyond ASCII.
    """
    text = orjson.dumps(value, option=orjson.OPT_SORT_KEYS)
    return text if text.isascii() else canonical(value)


def _ready(value: Any) -> Any:
    if isinstance(value, dict):
        # By UTF-16 code units (section 3.2.3).
        return {name: _ready(value[name]) for name in sorted(value, key=_units)}
    if isinstance(value, (list, tuple)):
        return [_ready(member) for member in value]
    if isinstance(value, float):
        return orjson.Fragment(number_text(value))
    if isinstance(value, int) and not isinstance(value, bool) and abs(value) > LARGEST_EXACT:
        raise ValueError(f"{value} is beyond the whole numbers that doubles hold.")
    return value


def _units(name: str) -> bytes:
    return name.encode("utf-16-be")


def number_text(value: float) -> str:
    """A double as ECMAScript writes it (RFC 8785 section 3.2.2.3): the fewest digits that mean it."""
    if not math.isfinite(value):
        raise ValueError("NaN and the infinities are no JSON numbers.")
    if value == 0:
        return "0"
    sign, numbers, exponent = Decimal(repr(value)).normalize().as_tuple()
    digits = "".join(map(str, numbers))
    # The number is 0.digits times ten to this power.
    point = len(digits) + int(exponent)
    minus = "-" if sign else ""
    if not _LEAST_PLAIN < point - 1 < _LEAST_LARGE:
        rest = f".{digits[1:]}" if len(digits) > 1 else ""
        return f"{minus}{digits[0]}{rest}e{'+' if point > 0 else '-'}{abs(point - 1)}"
    if point <= 0:
        return f"{minus}0.{'0' * -point}{digits}"
    if point >= len(digits):
        return f"{minus}{digits}{'0' * (point - len(digits))}"
    return f"{minus}{digits[:point]}.{digits[point:]}"
