"""Patch formats: what a body says is to change.

Every format is read into a `Patch` before anything is known about the record, and applied to the
stored record later: `against` gives the new value of each field that the patch touches. What
those fields may be is no concern of this file; `rules.py` judges it.

    MergePatch   application/merge-patch+json   RFC 7396; HTML forms become one in html_forms.py
    Replacement  the body of a PUT: a whole record
    JsonPatch    application/json-patch+json    RFC 6902, in json_patch.py
    Edits        our own, in edits.py
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Protocol

from fenland.core.access.field_access import FieldAccess
from fenland.core.definitions.validation import kind_of
from fenland.core.limits import DEFAULTS, Limits
from fenland.core.problems import Malformed, Problem
from fenland.core.values.plain import MISSING, read_json


class Patch(Protocol):
    """What every patch format can do."""

    @property
    def atomic(self) -> frozenset[str]:
        """Fields whose change cannot lose another's: it is made of the stored value."""

    def against(self, stored: Mapping[str, Any], problems: list[Problem]) -> dict[str, Any]:
        """The new value of each touched field; what cannot be done is added to the problems."""


def read_object(body: bytes, limits: Limits = DEFAULTS) -> dict[str, Any]:
    """A JSON object of fields: a merge patch for a record, or a record to create."""
    if not body:
        raise Malformed("The body is empty. Send a JSON object with the fields to set.")
    value = read_json(body, limits)
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


@dataclass(frozen=True, slots=True)
class MergePatch:
    """A merge patch: absent fields stay, null clears, objects merge, all else replaces."""

    fields: Mapping[str, Any]
    atomic: frozenset[str] = frozenset()

    def against(self, stored: Mapping[str, Any], problems: list[Problem]) -> dict[str, Any]:
        """See `Patch`."""
        return {
            name: merge(stored.get(name), value) if isinstance(value, dict) else value
            for name, value in self.fields.items()
        }


#: What changes nothing.
NOTHING: Patch = MergePatch({})


@dataclass(frozen=True, slots=True)
class Replacement:
    """A whole record: a field that is left out gets its default, or null. What patch that is, access says."""

    fields: Mapping[str, Any]

    def within(self, access: FieldAccess) -> Exactly:
        """The same, as far as its sender may set fields, and see them; the others stay as they are."""
        absent = {
            name: None if item.default is MISSING else item.default
            for name, item in access.collection.fields.items()
            # Whose a record is changes only when that is said.
            if access.sets(name)
            and name not in access.hidden
            and name != access.collection.owner
            # What only a new record begins with says nothing of one that is there.
            and not item.begins
        }
        return Exactly({**absent, **self.fields})


@dataclass(frozen=True, slots=True)
class Exactly:
    """Values for whole fields, such as they were before."""

    fields: Mapping[str, Any]
    atomic: frozenset[str] = frozenset()

    def against(self, stored: Mapping[str, Any], problems: list[Problem]) -> dict[str, Any]:
        """See `Patch`."""
        return dict(self.fields)
