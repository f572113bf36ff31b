"""Causing: which entries others follow from, as far as somebody may see those."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from fenland.core.access.policy import Caller
from fenland.service.history.past import subject_of
from fenland.service.work import View
from fenland.storage.door import Mark


def tell_causes(view: View, items: Iterable[dict[str, Any]], sees: Callable[[Mark], bool]) -> None:
    """Has entries that are shown say whether others follow from them: the first stands right behind."""
    for one in items:
        behind = view.history.behind(view.reading, one["sequence"])
        one["causes"] = behind is not None and behind.cause == one["sequence"] and sees(behind)


def seen_by(view: View, caller: Caller) -> Callable[[Mark], bool]:
    """Tells whether the caller may see the record that an entry is of."""

    def sees(entry: Mark) -> bool:
        resource = view.service.resources.get(entry.collection)
        return resource is not None and subject_of(view, caller, resource, entry.record_id) is not None

    return sees
