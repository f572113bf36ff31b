"""What follows from a change: the one place where further changes come from.

From a deletion follows what becomes of the records that refer to it (`deleting.py`); from every change, what
is derived of it in other records (`core/consequences/spreading.py`). All of it is decided before anything is
written, over a draft in which it is made already.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.changes.change import Act, Change, Follows, derivation
from fenland.core.consequences.spreading import Derived, Spread
from fenland.core.problems import Invalid, Problem
from fenland.service.records.deleting import with_referring
from fenland.service.records.drafting import Draft
from fenland.service.records.settling import judge_derived, unseen
from fenland.service.service import Resource
from fenland.service.work import View

_UNSEEN = "What follows from it would not be allowed, in a record that is not yours to see."
#: Of what is wrong with a record, how much is told.
_TOLD = 5


def follow(view: View, caller: Caller, change: Change) -> list[Change]:
    """The change and all that follows from it, in the order in which they are made. Nothing is written.

    Raises `Conflict` where something forbids it, `Invalid` where what follows would not be allowed, and
    `TooLarge` where too much would follow.
    """
    changes = with_referring(view, caller, change) if change.action == "delete" else [change]
    network = view.service.network
    if not any(network.concerns(one.collection) for one in changes):
        return changes
    chain = _Chain(view, caller, changes)
    chain.follow()
    return chain.changes


class Found:
    """Where what is derived finds records. See `Lookups` of `core/consequences/spreading.py`."""

    def __init__(self, view: View) -> None:
        self._view = view

    def by_id(self, collection: str, record_id: str) -> Record | None:
        """See `Lookups`."""
        return self._view.find(self._view.resource(collection), "id", record_id)

    def by_key(self, collection: str, key: Any) -> Record | None:
        """See `Lookups`."""
        resource = self._view.resource(collection)
        return self._view.find(resource, resource.collection.key, key)

    def all_referring(self, collection: str, name: str, key: Any) -> Iterable[Record]:
        """See `Lookups`."""
        return self._view.all_referring(self._view.resource(collection), name, key)

    def how_many_refer(self, collection: str, name: str, key: Any) -> int:
        """See `Lookups`."""
        return self._view.count_referring(self._view.resource(collection), name, key)

    def has_changed(self, collection: str) -> bool:
        """See `Lookups`."""
        return self._view.has_changed(collection)


class _Chain:
    """Changes, and what is derived of them until nothing moves any more."""

    def __init__(self, view: View, caller: Caller, changes: list[Change]) -> None:
        service = view.service
        self._caller, self._draft = caller, Draft(service, view.reading, view.act, view)
        most = view.limits.consequences
        self._spread = Spread(service.network, Found(self._draft), service.rule_failed, most)
        self.changes: list[Change] = []
        #: By record, where the last change of it stands.
        self._last: dict[str, int] = {}
        stamp = changes[0].stamp
        # It has an entry of its own, which takes nothing back and says no reason.
        self._stamp = replace(stamp, reason=None, act=Act(batch=stamp.act.batch))
        self._draft.take(changes)
        for number, change in enumerate(changes):
            self.changes.append(change)
            self._last[change.record_id] = number
            self._spread.note(change.collection, change.before, change.after, number)

    def follow(self) -> None:
        """Makes all that is derived. Raises `Invalid`, `TooLarge`."""
        while found := self._spread.step():
            for one in found:
                self._derive(one)
        for change in self.changes:
            if change.action == "derive":
                self._judge(change)

    def _derive(self, found: Derived) -> None:
        resource, rule = self._draft.resource(found.collection), found.rule
        if found.problems:
            self._refuse(resource, dict(found.record), found.problems, f"{rule.file}:{rule.line}")
        before, wanted = dict(found.record), {**found.record, **found.values}
        place = self._last.get(before["id"])
        earlier = None if place is None else self.changes[place]
        if place is not None and earlier is not None and earlier.action == "derive":
            # What it comes to in the end is one change.
            follows = Follows(self._stamp, earlier.cause, earlier.rule)
            stored = earlier.before or {}
            change = self.changes[place] = derivation(resource.collection, stored, wanted, follows)
        else:
            follows = Follows(self._stamp, found.cause, f"{rule.file}:{rule.line}")
            change = derivation(resource.collection, before, wanted, follows)
            place = self._last[before["id"]] = len(self.changes)
            self.changes.append(change)
        self._draft.take([change])
        self._spread.note(found.collection, before, change.after, place, derived=True)

    def _judge(self, change: Change) -> None:
        resource, problems = self._draft.resource(change.collection), list[Problem]()
        judge_derived(self._draft, self._caller, resource, change, problems)
        if problems:
            self._refuse(resource, change.result, problems, change.rule or "")

    def _refuse(self, resource: Resource, record: Record, problems: list[Problem], rule: str) -> None:
        """Raises `Invalid`: of a record that the caller may not see, it tells only that there is one."""
        sight = self._draft.sight(self._caller)
        if not resource.policy.may("read", sight, record):
            raise Invalid([Problem("", "consequence", _UNSEEN)])
        name, key = resource.collection.name, record[resource.collection.key]
        told = unseen(problems, resource.policy.fields(sight, record))[:_TOLD]
        said = " ".join(f"{one.pointer[1:]}: {one.detail}" if one.pointer else one.detail for one in told)
        params = {
            "collection": name,
            "key": key,
            "rule": rule,
            "problems": [{"pointer": one.pointer, "code": one.code, "detail": one.detail} for one in told],
        }
        detail = f"What follows from it in {key!r} of {name} would not be allowed. {said}"
        raise Invalid([Problem("", "consequence", detail, params)])
