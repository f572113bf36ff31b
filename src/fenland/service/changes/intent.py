"""Intents: a change of one record as it is wished for, on its way to being settled (`settling.py`)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.definitions.model import Trigger
from fenland.service.service import Resource


@dataclass(frozen=True, slots=True)
class Intent:
    """A change of one record before it is settled.

    `stored` is the record as it is, or as it last was; None for one that is created. `values` are the fields
    that get a value, each checked by its own constraints, and `given` those that the caller gives one: not
    defaults, nor what stays as it is. `start` is the record that they are put into.
    """

    resource: Resource
    stored: Record | None
    start: Record
    values: Mapping[str, Any]
    given: Mapping[str, Any]
    reason: str | None
    #: What happens to the record, for effects; None where none may come of it.
    trigger: Trigger | None
    #: The fields that rules gave their values: they may refer to what the caller may not see.
    by_rule: frozenset[str] = frozenset()
    #: Where the effects stand that set any, for people.
    effects: str = ""

    @property
    def record(self) -> Record:
        """The record as it would be."""
        return {**self.start, **self.values}

    def without(self, refused: Iterable[str]) -> Intent:
        """The same, but for fields that the caller may not give."""
        values, given = dict(self.values), dict(self.given)
        for name in refused:
            del values[name], given[name]
        return replace(self, values=values, given=given)
