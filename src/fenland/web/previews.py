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
        "consequences": [
            {
                "collection": one.collection,
                "key": one.key,
                "action": one.action,
                "rule": one.rule,
                "notice": one.notice or None,
                "changes": {name: {"before": was, "after": now} for name, (was, now) in one.changes.items()},
            }
            for one in found.follows.told
        ],
        "unseen": found.follows.unseen,
    }
