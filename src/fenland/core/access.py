"""Who may: each collection's access lists, compiled once. What no list grants is denied.

This is the one seam for access: callers ask `Policy.may` about one record and `Policy.scope` about
many, and never look at roles or owners themselves. Both answer from the record as it is stored, so
nobody passes by what they send.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import Enum
from typing import Any

from fenland.core.definitions import EVERYONE, OWNER, Action, Collection


@dataclass(frozen=True, slots=True)
class Actor:
    """Who is asking, and through what: `name` is unique, `title` is for people."""

    name: str
    title: str = ""
    roles: frozenset[str] = frozenset()
    via: str = "api"


class Scope(Enum):
    """Which records of a collection an actor may read, in a form that storage can filter by."""

    ALL = "all"
    OWNED = "owned"
    NONE = "none"


class Policy:
    """The compiled access lists of one collection."""

    def __init__(self, collection: Collection) -> None:
        self._owner = collection.owner
        self._grants: Mapping[Action, frozenset[str]] = collection.access

    def grants(self, action: Action, actor: Actor) -> bool:
        """Whether the actor may do this whatever the record: by a role, or as everyone may."""
        granted = self._grants.get(action, frozenset())
        return EVERYONE in granted or not granted.isdisjoint(actor.roles)

    def may(self, action: Action, actor: Actor, record: Mapping[str, Any]) -> bool:
        """Whether the actor may do this to a record, as stored."""
        if self.grants(action, actor):
            return True
        owned = self._owner is not None and record.get(self._owner) == actor.name
        return owned and OWNER in self._grants.get(action, frozenset())

    def scope(self, actor: Actor) -> Scope:
        """The records the actor may read."""
        if self.grants("read", actor):
            return Scope.ALL
        return Scope.OWNED if OWNER in self._grants.get("read", frozenset()) else Scope.NONE
