"""Telling: all that follows from a change in a project, one by one, as people and diagrams are shown it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any, Literal

from fenland.core.definitions.asking import Place, asked_by, sources_of
from fenland.core.definitions.model import (
    Aggregate,
    Collection,
    Definitions,
    Effect,
    Formula,
    place_of,
)

Kind = Literal["derived", "default", "series", "effect", "deletion"]


@dataclass(frozen=True, slots=True)
class Consequence:
    """One: what comes of it (`tickets.total`), of which fields, when, and what is done, in words."""

    kind: Kind
    place: str
    does: str
    sources: tuple[str, ...] = ()
    #: On what it happens, and the condition.
    on: tuple[str, ...] = ()
    condition: str = ""
    file: str = ""
    line: int = 0

    def as_json(self) -> dict[str, Any]:
        """For scripts."""
        return {
            "kind": self.kind,
            "place": self.place,
            "does": self.does,
            "sources": list(self.sources),
            "on": list(self.on),
            "if": self.condition or None,
            "file": self.file or None,
            "line": self.line or None,
        }


def consequences_of(definitions: Definitions) -> list[Consequence]:
    """All of them, collection by collection: what records begin with, what is derived, effects, deletions."""
    return [one for collection in definitions.collections.values() for one in _of(collection, definitions)]


def _of(collection: Collection, definitions: Definitions) -> Iterator[Consequence]:
    for item in collection.fields.values():
        place = place_of(collection, item)
        if item.series is not None:
            does = f"the next number, from {item.series.value(item.series.first)} on"
            yield Consequence("series", place, does, on=("create",))
        if item.initial is not None:
            asked = asked_by(collection.name, item.initial.rules)
            yield _made("default", place, item.initial, asked, on=("create",))
        if item.derived is not None:
            yield _made("derived", place, item.derived, sources_of(collection.name, item))
    for effect in collection.effects:
        yield from _effect(effect, collection)
    for item in collection.fields.values():
        then = {"clear": "is emptied", "cascade": "goes, with its record"}.get(item.on_delete)
        if item.references is not None and then is not None:
            key = definitions.collections[item.references].key
            place, source = place_of(collection, item), f"{item.references}.{key}"
            yield Consequence("deletion", place, then, (source,), ("delete",))


def _made(
    kind: Kind, place: str, rule: Formula | Aggregate, asked: Iterable[Place], on: tuple[str, ...] = ()
) -> Consequence:
    return Consequence(kind, place, str(rule), _named(asked), on, file=rule.file, line=rule.line)


def _effect(effect: Effect, collection: Collection) -> Iterator[Consequence]:
    condition = "" if effect.condition is None else effect.condition.text
    asked = [] if effect.condition is None else [effect.condition]
    for name, formula in effect.sets.items():
        place = place_of(collection, collection.fields[name])
        sources = _named(asked_by(collection.name, [*asked, formula.rule]))
        on = tuple(one for one in ("create", "update", "restore") if one in effect.on)
        yield Consequence("effect", place, str(formula), sources, on, condition, effect.file, effect.line)


def _named(places: Iterable[Place]) -> tuple[str, ...]:
    return tuple(f"{collection}.{field}" for collection, field in places)


def mermaid(consequences: Iterable[Consequence]) -> str:
    """A flow chart in Mermaid's text: fields, and arrows to those that follow from them."""
    lines, names = ["flowchart LR"], dict[str, str]()

    def node(place: str) -> str:
        if place not in names:
            names[place] = f"n{len(names)}"
            lines.append(f'  {names[place]}["{place}"]')
        return names[place]

    for one in consequences:
        told = {"derived": "derived", "default": "begins", "effect": "effect", "deletion": "deleted"}
        for source in one.sources:
            start, end = node(source), node(one.place)
            lines.append(f"  {start} -->|{told.get(one.kind, one.kind)}| {end}")
    return "\n".join(lines) + "\n"
