"""What a new record begins with: whose it is, defaults, numbers of series, and what its rules work out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.changes.change import Change, Stamp, creation
from fenland.core.problems import Problem
from fenland.core.reserved import made
from fenland.service.changes.intent import Intent
from fenland.service.changes.settling import settle_by_rule
from fenland.service.changes.sought import around
from fenland.service.service import Resource
from fenland.service.work import View


def start_of(resource: Resource, caller: Caller) -> dict[str, Any]:
    """A record of which nothing is known yet but whose it is."""
    owner = resource.collection.owner
    owned = {} if owner is None else {owner: caller.actor.name}
    return {**dict.fromkeys(resource.collection.fields), **owned}


@dataclass(frozen=True)
class Begun:
    """A record that is being made: to be used by who writes, since records come in the order of their ids."""

    view: View
    caller: Caller
    resource: Resource
    stamp: Stamp

    @cached_property
    def id(self) -> str:
        """Its id."""
        return self.view.service.new_id(self.stamp.time)

    @cached_property
    def start(self) -> Record:
        """Its fields before anybody gives it any."""
        return start_of(self.resource, self.caller)

    @cached_property
    def record(self) -> Record:
        """The same, with what the service keeps itself."""
        return {**self.start, **made(self.id, self.stamp.time, self.stamp.by)}

    def fields(self, given: Mapping[str, Any], problems: list[Problem]) -> Record:
        """Its fields, as they are kept, where these are given."""
        rules, view = self.resource.rules, self.view
        fields = rules.validate_new(rules.start_record(given, self.start, problems), problems)
        fields |= rules.derivations.gathered
        if not rules.begins:
            return fields
        fields |= {
            item.name: item.series.value(view.next_number(self.resource, item))
            for item in rules.series
            if item.series is not None and item.name not in given
        }
        absent = rules.beginnings.names - given.keys()
        names, record = view.sight(self.caller).names, {**self.record, **fields}
        return fields | rules.beginnings.values(names, record, absent, problems, around(view))


def made_by_rule(begun: Begun, given: Mapping[str, Any], problems: list[Problem]) -> Change:
    """The change that creates a record for a rule, which asks for nobody's rights; adds what is wrong."""
    resource, fields = begun.resource, begun.fields(given, problems)
    intent = Intent(resource, None, begun.record, fields, {}, None, "create", frozenset(given))
    settled = settle_by_rule(begun.view, begun.caller, intent, problems)
    return creation(resource.collection, begun.id, settled.values, begun.stamp)
