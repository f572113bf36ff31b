"""Membership: which records a follower has, by rights and by their own condition, and what it depends on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.access.knowing import Known
from fenland.core.access.policy import Caller, Policy, Sight, rebased
from fenland.core.expressions import EvaluationError, compiled
from fenland.core.expressions.checking import Checked
from fenland.core.expressions.tree import Node, Step, paths_in
from fenland.service.feed.states import States
from fenland.service.records.filtering import checked_filter, refuse_unreadable
from fenland.service.service import Resource
from fenland.service.work import View


@dataclass(frozen=True, slots=True)
class Leads:
    """A field of a collection that membership in another asks for, and the references that lead to it."""

    collection: str
    field: str
    #: From the collection of the members on.
    way: tuple[Step, ...]


class Membership:
    """Whether records of one collection were a follower's, at any place of the history."""

    def __init__(self, view: View, caller: Caller, resource: Resource, where: str) -> None:
        """Raises `Malformed`, and `NotPermitted` for a condition on what they can read of no record."""
        self._view, self._caller, self.resource = view, caller, resource
        sight = view.sight(caller)
        checked = checked_filter(view.service, resource.collection.name, where) if where else None
        if checked is not None:
            refuse_unreadable(Known(view.service.policies, sight), resource.collection.name, checked.tree)
        self._run = None if checked is None else compiled(checked.tree)
        self._sights: dict[int, Sight] = {}
        asked = list(_asked(view.service.policies, sight, resource, checked))
        #: What of other collections it depends on.
        self.leads = tuple(dict.fromkeys(one for node in asked for one in _leads(node)))
        #: Whether every record is theirs, and all of them in the same way.
        self.plain = not where and not any(map(paths_in, asked)) and resource.policy.may("read", sight, None)
        self.hidden = resource.policy.fields(sight).hidden

    def seen(self, states: States, record: Record | None, sequence: int) -> frozenset[str] | None:
        """The fields that they may not see of a record as it stood then; None where it is not theirs."""
        if record is None:
            return None
        if self.plain:
            return self.hidden
        sight, policy = self._sight(states, sequence), self.resource.policy
        if not policy.may("read", sight, record):
            return None
        if self._run is not None:
            known = Known(self._view.service.policies, sight)
            try:
                if self._run(known.names(self.resource.collection.name, record)) is not True:
                    return None
            except EvaluationError:
                return None
        return policy.fields(sight, record).hidden

    def _sight(self, states: States, sequence: int) -> Sight:
        """What rules are judged with, by rights of now and records of then."""
        found = self._sights.get(sequence)
        if found is None:
            resources = self._view.service.resources

            def follow(collection: str, key: Any) -> Mapping[str, Any] | None:
                return states.by_key(resources[collection], key, sequence)

            # Entries come in order, and each is asked about as it was before and behind it.
            self._sights = dict(list(self._sights.items())[-1:])
            found = self._sights[sequence] = self._view.service.sight(self._caller, follow, follow)
        return found


def _asked(
    policies: Mapping[str, Policy], sight: Sight, resource: Resource, where: Checked | None
) -> Iterator[Node]:
    """All expressions over a record of the collection that membership, or what is seen of it, asks."""
    yield from _rules(policies[resource.collection.name], sight)
    if where is None:
        return
    yield where.tree
    # Whoever asks further may do so only through what they may read.
    for path in paths_in(where.tree):
        for place, step in enumerate(path.steps[:-1], 1):
            if step.references is not None:
                for node in _rules(policies[step.references], sight):
                    yield rebased(node, path.steps[:place])


def _rules(policy: Policy, sight: Sight) -> Iterator[Node]:
    yield policy.node("read", sight)
    for name in policy.collection.fields:
        yield policy.field_node(name, sight)


def _leads(node: Node) -> Iterator[Leads]:
    for path in paths_in(node):
        for place in range(1, len(path.steps)):
            target = path.steps[place - 1].references
            if target is not None:
                yield Leads(target, path.steps[place].name, path.steps[:place])
