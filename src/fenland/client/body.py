"""JSON bodies: what may be sent, and how it is written.

What JSON has no form for is refused before anything is sent: an infinity written as null would
clear the field.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

import orjson

from fenland.client.errors import UnsendableError


def read_json(content: bytes) -> Any:
    """JSON with exact decimals."""
    return json.loads(content, parse_float=Decimal)


def write_json(value: Any) -> bytes:
    """JSON with exact decimals. Raises `UnsendableError` for what has no form in JSON."""
    return orjson.dumps(_sendable(value, "the body"))


def _sendable(value: Any, place: str) -> Any:
    """The value as orjson writes it without loss; `place` is told when it cannot be."""
    if value is None or isinstance(value, (bool, str)):
        return value
    if isinstance(value, int):
        return value if -(2**63) <= value < 2**64 else orjson.Fragment(str(value))
    if isinstance(value, (float, Decimal)):
        if not math.isfinite(value):
            raise UnsendableError(f"{place} is {value}, which JSON has no number for. Send None to clear it.")
        return value if isinstance(value, float) else orjson.Fragment(_digits(value))
    if isinstance(value, Mapping):
        return {str(name): _sendable(member, f"{place}[{name!r}]") for name, member in value.items()}
    if isinstance(value, (list, tuple)):
        return [_sendable(member, f"{place}[{number}]") for number, member in enumerate(value)]
    return _text(value, place)


def _digits(value: Decimal) -> str:
    text = str(value)
    return format(value, "f") if "E" in text and abs(value.adjusted()) <= 30 else text


def _text(value: Any, place: str) -> str:
    if isinstance(value, datetime):
        if value.tzinfo is None:
            raise UnsendableError(f"{place} is {value}, a time without a zone. Give it one: tzinfo=UTC.")
        return value.isoformat()
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, UUID):
        return str(value)
    hint = " A set has no order: send a list." if isinstance(value, (set, frozenset)) else ""
    raise UnsendableError(f"{place} is a {type(value).__name__}, which JSON has no form for.{hint}")
