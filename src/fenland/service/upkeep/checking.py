"""Checking stored records against the definitions as they are now: which break newer rules, and why."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from fenland.core.access.policy import Actor, Caller
from fenland.core.problems import Problem
from fenland.service.changes.looking import names_around
from fenland.service.service import Service
from fenland.service.work import snapshot
from fenland.storage.door import Page

#: After how many records it is told how far the checking is.
_TOLD_EACH = 500


@dataclass(frozen=True, slots=True)
class Broken:
    """A record that breaks rules: where it is, and what is wrong with it."""

    collection: str
    key: Any
    problems: tuple[Problem, ...]


def broken_records(
    service: Service, looked: Callable[[int, int], None] = lambda _done, _whole: None
) -> Iterator[Broken]:
    """The records that could not be saved today as they are.

    `looked` is told how many were seen, and how many there are. Checks that compare with what a record was
    say nothing of one that nobody changes.
    """
    with snapshot(service) as view:
        names = names_around(view, Caller(Actor("nobody"), via="command-line"))
        resources = service.resources
        whole = sum(one.records.count(view.reading, Page()) for one in resources.values())
        done = 0
        for name, resource in resources.items():
            rules = resource.rules
            for record in resource.records.walk(view.reading):
                done += 1
                problems: list[Problem] = []
                fields = {one: record[one] for one in resource.collection.fields}
                rules.validate_whole(rules.validate_new(fields, problems), problems)
                problems += rules.run_checks(names, record, None, problems)
                problems += [] if problems else rules.run_functions(names, record, None)
                if problems:
                    yield Broken(name, record[resource.collection.key], tuple(problems))
                if not done % _TOLD_EACH:
                    looked(done, whole)
        looked(whole, whole)
