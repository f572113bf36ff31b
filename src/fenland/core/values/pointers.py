"""JSON Pointers (RFC 6901): reading them, and finding and changing places in JSON values."""

from __future__ import annotations

import re
from typing import Any

from fenland.core.values.plain import MISSING

_BAD_ESCAPE = re.compile(r"~(?![01])")
_INDEX = re.compile(r"0|[1-9][0-9]{0,8}")


def read_pointer(text: str) -> tuple[str, ...]:
    """The steps of a pointer. Raises `ValueError` with a sentence."""
    if text == "":
        return ()
    if not text.startswith("/"):
        raise ValueError(f"{text!r} is not a JSON Pointer: it must be empty or begin with '/'.")
    if _BAD_ESCAPE.search(text):
        raise ValueError(f"{text!r} is not a JSON Pointer: '~' must be followed by 0 or 1.")
    return tuple(step.replace("~1", "/").replace("~0", "~") for step in text[1:].split("/"))


def index_of(step: str, length: int) -> int | None:
    """The index that a step names in an array of this length (RFC 6901 section 4), or None."""
    return int(step) if _INDEX.fullmatch(step) and int(step) < length else None


def find(value: Any, steps: tuple[str, ...]) -> Any:
    """What stands at a place, or `MISSING`."""
    for step in steps:
        if isinstance(value, dict):
            value = value.get(step, MISSING)
        elif isinstance(value, list):
            index = index_of(step, len(value))
            value = MISSING if index is None else value[index]
        else:
            return MISSING
        if value is MISSING:
            return MISSING
    return value
