"""What one actor may know of records, on whatever path an expression of theirs takes to it.

Rules follow references with full sight; what an actor writes, `where`, sorts, searches and conditions of
edits, only with theirs. A field that they may not read in some record is an error there, as if it had no
value: it can be neither seen nor searched out.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from fenland.core.access.conditions import ALWAYS, Condition, both, condition_of
from fenland.core.access.policy import Policy, Sight, rebased
from fenland.core.expressions.evaluation import FOLLOW
from fenland.core.expressions.faults import EvaluationError
from fenland.core.expressions.tree import Path, Step
from fenland.core.expressions.types import DYN


class Known:
    """What the actor of a sight may know; `policies` are those of all collections."""

    def __init__(self, policies: Mapping[str, Policy], sight: Sight) -> None:
        self._policies = policies
        self._sight = sight

    def guard(self, collection: str, path: Path) -> Condition:
        """What must hold of a record of this collection for the actor to know what a path leads to.

        That they may read the record itself is for who lists it to see to.
        """
        return both(*self._conditions(collection, path))

    def field(self, collection: str, name: str) -> Condition:
        """The same for one of its fields."""
        return self.guard(collection, Path("record", (Step(name),), DYN, 0))

    def _conditions(self, collection: str, path: Path) -> Iterator[Condition]:
        sight, way = self._sight, tuple[Step, ...]()
        for step in path.steps:
            policy = self._policies[collection]
            if way:
                yield condition_of(rebased(policy.node("read", sight), way))
            found = condition_of(rebased(policy.field_node(step.name, sight), way))
            if found != ALWAYS:
                yield found
            way, collection = (*way, step), step.references or ""

    def names(self, collection: str, record: Mapping[str, Any]) -> dict[str, Any]:
        """What the names of an expression over one record stand for, as far as the actor may know it."""
        return {**self._sight.names, "record": self._seen(collection, record), FOLLOW: self._follow}

    def _seen(self, collection: str, record: Mapping[str, Any]) -> _Seen:
        return _Seen(record, self._policies[collection].fields(self._sight, record).hidden)

    def _follow(self, collection: str, key: Any) -> _Seen | None:
        found = self._sight.whole(collection, key)
        if found is None or not self._policies[collection].may("read", self._sight, found):
            return None
        return self._seen(collection, found)


class _Seen:
    """A record of which some fields are not to be known."""

    def __init__(self, record: Mapping[str, Any], hidden: frozenset[str]) -> None:
        self._record = record
        self._hidden = hidden

    def __getitem__(self, name: str) -> Any:
        if name in self._hidden:
            raise EvaluationError(f"{name} cannot be read.")
        return self._record[name]
