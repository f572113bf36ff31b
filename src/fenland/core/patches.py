"""Patch forms: what a body says is to change, before anything is known about the record.

A patch is read into plain data first, then applied to a stored record by `merge`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fenland.core.problems import Malformed
from fenland.core.validation import kind_of
from fenland.core.values import read_json


def read_object(body: bytes) -> dict[str, Any]:
    """A JSON object of fields: a merge patch (RFC 7396) for a record, or a record to create."""
    if not body:
        raise Malformed("The body is empty. Send a JSON object with the fields to set.")
    value = read_json(body)
    if not isinstance(value, dict):
        raise Malformed(f"The body must be a JSON object of fields, not {kind_of(value)}.")
    return value


def merge(stored: Any, patch: Any) -> Any:
    """The result of a merge patch: the algorithm of RFC 7396 section 2. Changes neither argument."""
    if not isinstance(patch, dict):
        return patch
    merged = dict(stored) if isinstance(stored, dict) else {}
    for name, value in patch.items():
        if value is None:
            merged.pop(name, None)
        else:
            merged[name] = merge(merged.get(name), value)
    return merged


def merge_fields(stored: Mapping[str, Any], patch: Mapping[str, Any]) -> dict[str, Any]:
    """The new value of each field that a merge patch touches; null clears."""
    return {
        name: merge(stored.get(name), value) if isinstance(value, dict) else value
        for name, value in patch.items()
    }
