"""Telling: all that follows from a change in a project, one by one, as people and diagrams are shown it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Any, Literal

from fenland.core.definitions.asking import Place, asked_in, places_on, sources_of
from fenland.core.definitions.model import (
    TRIGGERS,
    Aggregate,
    Collection,
    Definitions,
    Effect,
    Formula,
    place_of,
)
from fenland.core.expressions.checking import Checked
from fenland.core.expressions.tree import paths_in

Kind = Literal[
    "derived", "default", "series", "effect", "create", "delete", "deletion", "call", "notice", "pass"
]


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
    #: The collection whose changes it follows from, where that is another; and the records that it finds.
    by: str = ""
    found: str = ""
    #: All fields that it asks for anything, besides its sources.
    asks: tuple[str, ...] = ()
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
            "by": self.by or None,
            "found": self.found or None,
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
            gaps = ", with gaps" if item.series.gaps else ""
            does = f"the next number, from {item.series.value(item.series.first)} on{gaps}"
            yield Consequence("series", place, does, on=("create",))
        if item.initial is not None:
            asked = asked_in(collection.name, item.initial)
            yield _made("default", place, item.initial, asked, on=("create",))
        if item.derived is not None:
            yield _made("derived", place, item.derived, sources_of(collection.name, item))
    for effect in collection.effects:
        yield from _effect(effect, collection, definitions)
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


def _effect(effect: Effect, collection: Collection, definitions: Definitions) -> Iterator[Consequence]:
    target, search = definitions.collections[effect.target], effect.search
    base = Consequence(
        "effect" if effect.does in ("set", "change") else "create",
        target.name,
        "",
        on=tuple(one for one in TRIGGERS if one in effect.on),
        condition="" if effect.condition is None else effect.condition.text,
        by="" if target is collection else collection.name,
        found="" if search is None else str(search),
        asks=_named(_asked(effect, effect.rules, collection)),
        file=effect.file,
        line=effect.line,
    )
    if effect.call is not None:
        yield replace(base, kind="call", does=f"{effect.call.name} of rules.py")
    if effect.does == "notice":
        said = ", ".join(f"{name}: {formula}" for name, formula in effect.sets.items())
        sources = _named(_asked(effect, effect.rules, collection))
        does = f"{effect.notice}, with {said}" if said else effect.notice
        yield replace(base, kind="notice", does=does, sources=sources)
        return
    if effect.does == "pass":
        sources = _named(_asked(effect, effect.rules, collection))
        yield replace(base, kind="pass", does=f"a pass of {effect.template}", sources=sources)
        return
    if effect.does == "delete":
        yield replace(base, kind="delete", sources=_named(_asked(effect, effect.rules, collection)))
    for name, formula in effect.sets.items():
        conditions = [one for one in effect.rules if one is effect.condition]
        sources = _named(_asked(effect, [*conditions, formula.rule], collection))
        place = place_of(target, target.fields[name])
        yield replace(base, place=place, does=str(formula), sources=sources)


def _asked(effect: Effect, rules: Iterable[Checked], collection: Collection) -> dict[Place, None]:
    """The fields that expressions of an effect ask for, of what changed and of what it finds."""
    found: dict[Place, None] = {}
    for path in (path for rule in rules for path in paths_in(rule.tree)):
        of_each = path.root == "each" and effect.search is not None
        root = effect.search.collection if of_each and effect.search is not None else collection.name
        found |= dict.fromkeys(places_on(path, root))
    return found


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
        told = {"derived": "derived", "default": "begins", "deletion": "deleted", "delete": "deletes"}
        for source in one.sources:
            start, end = node(source), node(one.place)
            lines.append(f"  {start} -->|{told.get(one.kind, one.kind)}| {end}")
    return "\n".join(lines) + "\n"
