"""Who may: each collection's access lists, compiled once into conditions. What no list grants is denied.

This is the one seam for access: who asks `Policy.may` about one record, `Policy.condition` about many and
`Policy.fields` about fields never looks at roles or owners. All answer from the record as it is stored,
so nobody passes by what they send.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.conditions import ALWAYS, NEVER, ActorOf, Compare, Condition, FieldOf, holds
from fenland.core.definitions import EVERYONE, OWNER, Collection, Right
from fenland.core.field_access import FieldAccess, field_access


@dataclass(frozen=True, slots=True)
class Actor:
    """Who is asking: `name` is unique, `title` is for people."""

    name: str
    title: str = ""
    roles: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Caller:
    """An actor, and how they came: made once for each request, at the edge.

    `client` is the name a client program gave itself, to know its own changes again.
    """

    actor: Actor
    via: str = "api"
    request_id: str = ""
    client: str | None = None


class Policy:
    """The compiled access lists of one collection."""

    def __init__(self, collection: Collection) -> None:
        self._grants: Mapping[Right, frozenset[str]] = collection.access
        self._owned: Condition = NEVER
        if collection.owner is not None:
            self._owned = Compare(FieldOf(collection.owner), "==", ActorOf("name"))
        self._fields = {
            (creating, transfer): field_access(collection, creating=creating, transfer=transfer)
            for creating in (False, True)
            for transfer in (False, True)
        }

    def condition(self, right: Right, actor: Actor) -> Condition:
        """What must hold of a record for the actor to do this to it: one of a few trees, whoever asks."""
        if self.grants(right, actor):
            return ALWAYS
        return self._owned if OWNER in self._grants.get(right, frozenset()) else NEVER

    def grants(self, right: Right, actor: Actor) -> bool:
        """Whether the actor may do this whatever the record: by a role, or as everyone may."""
        granted = self._grants.get(right, frozenset())
        return EVERYONE in granted or not granted.isdisjoint(actor.roles)

    def may(self, right: Right, actor: Actor, record: Mapping[str, Any]) -> bool:
        """Whether the actor may do this to a record, as stored."""
        condition = self.condition(right, actor)
        return condition is ALWAYS or holds(condition, record, actor)

    def fields(
        self, actor: Actor, record: Mapping[str, Any] | None = None, *, creating: bool = False
    ) -> FieldAccess:
        """What the actor may do with the fields of a record, as stored; without one, of any there may be."""
        transfer = self.grants("transfer", actor) if record is None else self.may("transfer", actor, record)
        return self._fields[creating, transfer]
