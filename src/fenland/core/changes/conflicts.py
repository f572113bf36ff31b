"""Conflicts: fields that both the caller and others changed since the caller saw the record."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fenland.core.access.field_access import FieldAccess
from fenland.core.changes.rules import Before
from fenland.core.problems import Conflict, pointer_to
from fenland.core.values.plain import same


def refuse_conflicts(
    before: Before, values: Mapping[str, Any], access: FieldAccess, atomic: frozenset[str]
) -> None:
    """Raises `Conflict` for new values of fields that others changed too, but for those that are `atomic`."""
    stored, seen = before
    conflicts = [
        {"pointer": pointer_to(name)}
        if name in access.hidden
        else {
            "pointer": pointer_to(name),
            "base": seen[name],
            "current": stored[name],
            "yours": value,
        }
        for name, value in values.items()
        # A field that others changed and changed back is as the caller saw it.
        if name not in atomic and not same(seen[name], stored[name])
    ]
    if conflicts:
        raise Conflict(
            f"Others changed the same fields since version {seen['version']}. Decide for each, then send it "
            f"again with base={stored['version']}.",
            version=stored["version"],
            conflicts=conflicts,
        )
