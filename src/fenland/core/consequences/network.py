"""The network: which derived fields follow from which fields of other records, and over which references.

Fields derived from their own record alone are no part of it, unless they are made of ones that are.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from fenland.core.consequences.fitting import Fitted
from fenland.core.consequences.gathering import Gathering
from fenland.core.definitions.asking import Place, derived_needs, levels, outer_places
from fenland.core.definitions.model import Aggregate, Collection, Definitions, Field, Formula
from fenland.core.expressions.tree import Path, paths_in


@dataclass(frozen=True, slots=True, eq=False)
class Node:
    """A derived field, compiled. One of a higher level may need those below it."""

    collection: Collection
    field: Field
    level: int
    work: Fitted | Gathering

    @property
    def rule(self) -> Formula | Aggregate:
        """What it is derived by."""
        return self.work.formula if isinstance(self.work, Fitted) else self.work.aggregate


@dataclass(frozen=True, slots=True)
class Edge:
    """From changes of fields of one collection to a derived field.

    `back` are the references over which those are found that are made of a changed record, the one to it
    first: records of the field's own collection at last, or those that are gathered.
    """

    node: Node
    fields: frozenset[str]
    back: tuple[Place, ...] = ()


class Network:
    """All of a project's, compiled."""

    def __init__(self, definitions: Definitions) -> None:
        collections = definitions.collections
        needs = derived_needs(collections)
        level, outer = levels(needs), outer_places(collections, needs)
        self.collections = collections
        #: In an order in which each comes behind those that it needs.
        self.nodes = sorted(
            (one for place in needs if place in outer if (one := _node(collections, place, level[place]))),
            key=lambda one: one.level,
        )
        #: By the collection that changes, what follows in other records; and in the record itself.
        self.edges: dict[str, list[Edge]] = {}
        self.own: dict[str, list[Edge]] = {}
        for node in self.nodes:
            self._add(node)

    def _add(self, node: Node) -> None:
        derived, own = node.rule, node.collection.name
        gathers = isinstance(derived, Aggregate)
        first = derived.collection if isinstance(derived, Aggregate) else own
        found: dict[tuple[str, tuple[Place, ...]], set[str]] = {}
        if isinstance(derived, Aggregate):
            found[first, ()] = {derived.reference}
        for path in (path for rule in derived.rules for path in paths_in(rule.tree)):
            for collection, back, name in _ways(path, first):
                found.setdefault((collection, back), set()).add(name)
        for (collection, back), names in found.items():
            kept = self.edges if back or gathers else self.own
            kept.setdefault(collection, []).append(Edge(node, frozenset(names), back))

    def concerns(self, collection: str) -> bool:
        """Whether anything in other records, or derived from those, may follow from a change there."""
        return collection in self.edges

    def reached(self, collection: str) -> set[str]:
        """The collections in whose records anything may be derived from changes there, also of what is."""
        found, left = set[str](), [collection]
        while left:
            more = {edge.node.collection.name for edge in self.edges.get(left.pop(), ())} - found
            left += more
            found |= more
        return found

    def fans_out(self, collection: str) -> bool:
        """Whether very many records may follow from one that changes there: all that refer to something."""
        names = {collection, *self.reached(collection)}
        return any(edge.back for name in names for edge in self.edges.get(name, ()))

    @property
    def passes(self) -> list[tuple[Collection, list[Node]]]:
        """All of them in portions, each of one collection: none needs any of its own or a later one."""
        found: dict[tuple[int, str], list[Node]] = {}
        for node in self.nodes:
            found.setdefault((node.level, node.collection.name), []).append(node)
        return [(nodes[0].collection, nodes) for nodes in found.values()]


def _ways(path: Path, first: str) -> Iterator[tuple[str, tuple[Place, ...], str]]:
    """For each field on a path its collection, and the references back from there."""
    collection: str | None = first
    back: tuple[Place, ...] = ()
    for step in path.steps:
        if collection is not None:
            yield collection, back, step.name
            back = ((collection, step.name), *back)
        collection = step.references


def _node(collections: Mapping[str, Collection], place: Place, level: int) -> Node | None:
    """The derived field at a place; None where it cannot be worked out here."""
    collection = collections[place[0]]
    item = collection.fields[place[1]]
    derived = item.derived
    if derived is None or not derived.at_hand:
        return None
    work = Gathering(item, derived) if isinstance(derived, Aggregate) else Fitted(item, derived)
    return Node(collection, item, level, work)
