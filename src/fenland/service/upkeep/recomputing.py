"""Recomputing: what is derived is worked out again in all records, and what differs is put right.

In a database that nobody wrote past the service nothing differs, and nothing is written. Where something
does, the record gets an entry that says so, and what follows from it follows.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from itertools import islice
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.changes.change import Follows, derivation
from fenland.core.consequences.gathering import Gathering
from fenland.core.consequences.spreading import Deriving
from fenland.core.problems import Problem, Refusal, Unavailable
from fenland.core.values.plain import same
from fenland.service.changes.applying import apply
from fenland.service.changes.following import Found, follow
from fenland.service.entering import OPERATOR
from fenland.service.service import Resource, Service
from fenland.service.work import View, Work, snapshot, written
from fenland.storage.door import QUIET, Page, Progress

#: Records that are put right in one transaction, and after how many it is told how far this is.
_TOGETHER, _TOLD_EACH = 100, 500
_UNSTEADY = "Comes out otherwise each time. What a function derives must be the same of the same."


@dataclass(frozen=True, slots=True)
class Differing:
    """A record in which something derived was not right: by field, what it held and what it comes to.

    `why` says why it could not be put right, where it could not.
    """

    collection: str
    key: Any
    fields: dict[str, tuple[Any, Any]]
    why: str | None = None


@dataclass(slots=True)
class Recomputed:
    """What was found: how many records were looked at, and those that differed."""

    records: int = 0
    differing: list[Differing] = field(default_factory=list)


def recompute(service: Service, collection: str | None = None, progress: Progress = QUIET) -> Recomputed:
    """Works out what is derived in the records of a collection, or of all. Raises `NotFound`."""
    chosen = service.resources.values() if collection is None else [service.resource(collection)]
    resources = [one for one in chosen if one.rules.derivations.names]
    found, tried = Recomputed(), set[tuple[str, str]]()
    # What is put right may be what others are derived from; each round goes one further.
    for _ in range(len(service.network.nodes) + 2):
        waiting = iter(
            [one for one in _looked_through(service, resources, found, progress) if one not in tried]
        )
        done = 0
        while portion := list(islice(waiting, _TOGETHER)):

            def work(unit: Work, portion: list[tuple[str, str]] = portion) -> list[tuple[str, Differing]]:
                return list(_put_right(unit, portion))

            for record_id, one in written(service, work):
                done += 1
                found.differing.append(one)
                if one.why is not None:
                    tried.add((one.collection, record_id))
        if not done:
            break
    return found


def _looked_through(
    service: Service, resources: Iterable[Resource], found: Recomputed, progress: Progress
) -> list[tuple[str, str]]:
    """The records in which something differs, as collection and id."""
    wrong = []
    with snapshot(service) as view:
        whole = sum(one.records.count(view.reading, Page()) for one in resources)
        found.records, done = whole, 0
        for resource in resources:
            for record in resource.records.walk(view.reading):
                done += 1
                if any(True for _ in _differing(view, resource, record, [])):
                    wrong.append((resource.collection.name, record["id"]))
                if not done % _TOLD_EACH or done == whole:
                    progress.report("recomputing", done, whole)
                    view.breathe()
    return wrong


def _differing(
    view: View, resource: Resource, record: Record, problems: list[Problem]
) -> Iterator[tuple[str, Any]]:
    """The derived fields of a record that are not what they come to, and that."""
    service = view.service
    values = resource.rules.derivations.values(record, problems, service.rule_failed, view.follow)
    deriving = Deriving(Found(view), service.rule_failed)
    for node in service.network.nodes:
        if node.collection.name == resource.collection.name and isinstance(node.work, Gathering):
            values[node.field.name] = deriving.value(node, record, problems)
    for name, value in values.items():
        if not same(record[name], value):
            yield name, value


def _put_right(work: Work, places: Iterable[tuple[str, str]]) -> Iterator[tuple[str, Differing]]:
    for name, record_id in places:
        resource = work.resource(name)
        record, problems = work.find(resource, "id", record_id), list[Problem]()
        if record is None:
            continue
        values = dict(_differing(work, resource, record, problems))
        if not values:
            # Somebody changed it meanwhile.
            continue
        fields = {one: (record[one], value) for one, value in values.items()}
        key, why = record[resource.collection.key], None
        try:
            again = dict(_differing(work, resource, record, []))
            unsteady = sorted(one for one in values if one not in again or not same(values[one], again[one]))
            if unsteady:
                # It would never be done.
                why = f"{', '.join(unsteady)}: {_UNSTEADY}"
            elif problems:
                why = " ".join(f"{one.pointer[1:]}: {one.detail}" for one in problems)
            else:
                with work.nested():
                    stamp = work.stamp(OPERATOR, "What is derived was not what it comes to.")
                    follows = Follows(stamp, None, "")
                    change = derivation(resource.collection, record, {**record, **values}, follows)
                    apply(work, OPERATOR, follow(work, OPERATOR, change, None))
        except Unavailable:
            raise
        except Refusal as refusal:
            why = refusal.detail
        yield record_id, Differing(name, key, fields, why)
