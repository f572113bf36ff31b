"""Asking: what each derived field asks for, over all collections, and in which order they are worked out.

A field is named by its collection and its own name. What asks for itself in a circle could never be right.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import TypeVar

from fenland.core.definitions.model import Aggregate, Collection, Field, Formula
from fenland.core.expressions.checking import Checked
from fenland.core.expressions.tree import Path, paths_in

#: A collection, and one of its fields.
Place = tuple[str, str]
Name = TypeVar("Name")


def places_on(path: Path, collection: str) -> Iterator[Place]:
    """The fields that a path goes over, from a record of this collection on."""
    place: str | None = collection
    for step in path.steps:
        if place is not None:
            yield place, step.name
        place = step.references


def asked_by(collection: str, rules: Iterable[Checked]) -> dict[Place, None]:
    """The fields that expressions over records of a collection ask for, each once."""
    paths = (path for rule in rules for path in paths_in(rule.tree))
    return dict.fromkeys(place for path in paths for place in places_on(path, collection))


def asked_in(collection: str, formula: Formula) -> dict[Place, None]:
    """The fields that a formula of a collection asks for, of its record and of the one that it picks."""
    picked = None if formula.search is None else formula.search.collection
    found: dict[Place, None] = {}
    for path in (path for rule in formula.rules for path in paths_in(rule.tree)):
        root = picked if path.root == "each" and picked is not None else collection
        found |= dict.fromkeys(places_on(path, root))
    return found


def sources_of(collection: str, item: Field) -> dict[Place, None]:
    """The fields that a derived field is made of."""
    derived = item.derived
    if derived is None:
        return {}
    if isinstance(derived, Aggregate):
        of = (derived.collection, derived.reference)
        return {of: None, **asked_by(derived.collection, derived.rules)}
    return asked_by(collection, derived.rules)


def all_at_hand(collections: Mapping[str, Collection]) -> bool:
    """Whether all derived fields can be worked out here."""
    derived = (item.derived for one in collections.values() for item in one.fields.values())
    return all(one is None or one.at_hand for one in derived)


def derived_needs(collections: Mapping[str, Collection]) -> dict[Place, list[Place]]:
    """By derived field, the derived ones that it asks for."""
    all_of = {
        (name, item.name): item
        for name, one in collections.items()
        for item in one.fields.values()
        if item.derived is not None
    }
    return {
        place: [one for one in sources_of(place[0], item) if one in all_of] for place, item in all_of.items()
    }


def outer_places(collections: Mapping[str, Collection], needs: Mapping[Place, Sequence[Place]]) -> set[Place]:
    """The derived fields that change with other records: made of them, or of such fields."""
    found: set[Place] = set()
    for place in in_order(needs):
        derived = collections[place[0]].fields[place[1]].derived
        paths = [] if derived is None else [path for rule in derived.rules for path in paths_in(rule.tree)]
        reaches = isinstance(derived, Aggregate) or any(len(path.steps) > 1 for path in paths)
        if reaches or any(one in found for one in needs[place]):
            found.add(place)
    return found


def own_needs(
    fields: Mapping[str, Field], asks: Callable[[Field], Iterable[str] | None]
) -> dict[str, list[str]]:
    """By field with a formula, those of the same record that it asks for; `asks` gives None without one."""
    found = {name: asks(item) for name, item in fields.items()}
    having = {name: inputs for name, inputs in found.items() if inputs is not None}
    return {name: [one for one in inputs if one in having] for name, inputs in having.items()}


def derived_inputs(item: Field) -> tuple[str, ...] | None:
    """The fields of its own record that a derived field asks for; None for one that is not derived."""
    return None if item.derived is None else item.derived.inputs


def in_order(needs: Mapping[Name, Sequence[Name]]) -> list[Name]:
    """All of them, each behind those that it needs."""
    found: dict[Name, None] = {}

    def add(one: Name) -> None:
        if one not in found:
            for needed in needs[one]:
                add(needed)
            found[one] = None

    for one in needs:
        add(one)
    return list(found)


def levels(needs: Mapping[Name, Sequence[Name]]) -> dict[Name, int]:
    """How many stand in the longest row of those that each needs."""
    found: dict[Name, int] = {}
    for one in in_order(needs):
        found[one] = 1 + max((found[needed] for needed in needs[one]), default=-1)
    return found


def circles(needs: Mapping[Name, Sequence[Name]]) -> Iterator[list[Name]]:
    """The circles that they go round in, each once and from the one that stands first."""
    told: set[Name] = set()
    for one in needs:
        if one not in told and (circle := _way_back(one, needs)):
            told.update(circle)
            yield circle


def _way_back(start: Name, needs: Mapping[Name, Sequence[Name]]) -> list[Name]:
    """The shortest way from one over what it needs back to itself; nothing without one."""
    ways: list[list[Name]] = [[start]]
    seen: set[Name] = set()
    while ways:
        way = ways.pop(0)
        for needed in needs[way[-1]]:
            if needed == start:
                return way
            if needed not in seen:
                seen.add(needed)
                ways.append([*way, needed])
    return []
