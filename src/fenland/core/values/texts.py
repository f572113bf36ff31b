"""Reading text by a field's type: what a command line or an HTML form can send is only text.

An empty text is an empty text; there is no text that means null, so clearing is said another way.
"""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Any

from fenland.core.problems import Malformed
from fenland.core.values.plain import read_json

_INTEGER = re.compile(r"[-+]?[0-9]{1,400}")
_NUMBER = re.compile(r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]{1,3})?")


def read_text(kind: str, text: str) -> Any:
    """The value that a text stands for in a field of this JSON Schema type.

    Raises `ValueError` with a sentence when it stands for none.
    """
    if kind == "string":
        return text
    stripped = text.strip()
    if kind == "boolean":
        if stripped.lower() not in ("true", "false"):
            raise ValueError(f"{text!r} is neither true nor false.")
        return stripped.lower() == "true"
    if kind == "integer":
        if not _INTEGER.fullmatch(stripped):
            raise ValueError(f"{text!r} is not a whole number.")
        return int(stripped)
    if kind == "number":
        if not _NUMBER.fullmatch(stripped) or len(stripped) > 400:
            raise ValueError(f"{text!r} is not a number, such as 2.50.")
        return Decimal(stripped)
    return _json(kind, stripped)


def _json(kind: str, text: str) -> Any:
    looks = '["one", "two"]' if kind == "array" else '{"name": "value"}'
    try:
        value = read_json(text.encode())
    except Malformed:
        value = None
    if not isinstance(value, list if kind == "array" else dict):
        raise ValueError(f"{text!r} is not a JSON {kind}, such as {looks}.")
    return value
