"""Previews, as answers show them: what a change would do."""

from __future__ import annotations

from typing import Any

from fenland.service.records.update import Preview


def preview_json(found: Preview) -> dict[str, Any]:
    """What would change, the record as it would be, and what is wrong."""
    return {
        "preview": True,
        "version": found.version,
        "changes": {name: {"before": was, "after": now} for name, (was, now) in found.changes.items()},
        "record": found.record,
        "errors": [one.as_json() for one in found.problems],
        "ignored": list(found.dropped),
    }
