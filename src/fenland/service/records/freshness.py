"""Freshness: what tells whether a list or a form may show anything else than it did, without reading it.

A tag stands for who asks, what for, and the last change of each collection that the list may depend on: its
own, and where references are followed by anything, all that these can lead to. It moves too often rather
than too seldom. What depends on the time has none.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping
from typing import Any, Literal

from fenland.core.access.policy import Caller
from fenland.core.definitions.model import Collection, Rule
from fenland.core.expressions.tree import Node, paths_in, roots_in
from fenland.core.history.entries import ACCOUNTS
from fenland.service.records.filtering import checked_filter
from fenland.service.records.listing import ListRequest
from fenland.service.service import Service

#: What changes with the time alone.
_TIMES = {"now", "today"}
#: Conditions of which it is kept what they concern, and how long these may be.
_MOST_KEPT, _LONGEST_KEPT = 200, 1_000


def list_tag(service: Service, caller: Caller, request: ListRequest, asked: str) -> str | None:
    """What moves whenever anything moves that the list shows or could show; None where only time tells.

    `asked` is the request as it was sent. Raises `Malformed` for a condition that is none, and `NotFound`.
    """
    collection = service.resource(request.collection).collection
    follows = request.labels or request.writable or bool(request.wanted.include)
    found = _concerned_by(service, collection, request, follows=follows)
    if found is not None and request.labels:
        # What people read in place of accounts' names.
        found = found | {ACCOUNTS}
    return _tag(service, caller, found, asked)


def form_tag(service: Service, caller: Caller, name: str, asked: str) -> str | None:
    """The same of a form to change a record: its values, what may be done with it, and all choices."""
    collection = service.resource(name).collection
    found = _concerned(service, collection, [*_conditions(collection)], follows=True)
    tag = _tag(service, caller, None if found is None else found | {ACCOUNTS}, asked)
    return None if tag is None else tag[:16]


def _tag(service: Service, caller: Caller, names: set[str] | None, asked: str) -> str | None:
    last = None if names is None else service.last_changes.of(service.database, names)
    if last is None:
        return None
    parts = (service.database.number, asked, caller.sees_as, sorted(last.items()))
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:32]


def _concerned_by(
    service: Service, collection: Collection, request: ListRequest, *, follows: bool
) -> set[str] | None:
    """The same as `_concerned`, kept for what is asked again and again."""
    where = request.filter.where
    place = (collection.name, where, follows, request.writable)
    if place not in service.concerned:
        trees = [checked_filter(service, collection.name, where).tree] if where else []
        # Who may change what goes by all rules; of reading, those are added anyway.
        trees += _conditions(collection) if request.writable else ()
        if len(where) > _LONGEST_KEPT:
            return _concerned(service, collection, trees, follows=follows)
        if len(service.concerned) >= _MOST_KEPT:
            service.concerned.clear()
        service.concerned[place] = _concerned(service, collection, trees, follows=follows)
    return service.concerned.get(place)


def _concerned(
    service: Service, collection: Collection, trees: list[Node], *, follows: bool
) -> set[str] | None:
    """The collections that an answer may depend on; None where it depends on the time."""
    trees += _conditions(collection, "read")
    names = {collection.name}
    if follows or any(len(path.steps) > 1 for tree in trees for path in paths_in(tree)):
        names = _reached(service, collection.name)
        trees += [one for name in names for one in _conditions(service.resources[name].collection, "read")]
    return None if any(not _TIMES.isdisjoint(roots_in(tree)) for tree in trees) else names


def _conditions(collection: Collection, right: Literal["read"] | None = None) -> Iterator[Node]:
    """The conditions of access to records and fields of a collection: all of them, or those of a right."""
    granted: list[Mapping[Any, Rule]] = [
        collection.access,
        *(one.access for one in collection.fields.values()),
    ]
    for rules in granted:
        for name, rule in rules.items():
            if right in (None, name) and rule.condition is not None:
                yield rule.condition.tree


def _reached(service: Service, name: str) -> set[str]:
    """A collection, and all that references lead to from there."""
    found, left = {name}, [name]
    while left:
        fields = service.resources[left.pop()].collection.fields.values()
        more = {str(item.references) for item in fields if item.references is not None} - found
        found |= more
        left += more
    return found
