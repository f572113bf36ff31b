"""Advice: what definitions say that is no mistake, and may well not be meant.

Each piece of advice names where it stands and what would be clearer; nothing is refused for it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from fenland.core.definitions.asking import Place, asked_by, asked_in, sources_of
from fenland.core.definitions.model import EVERYONE, Check, Collection, Definitions, Field
from fenland.core.expressions.tree import Call, Constant, Node, Path, parts_of, paths_in

#: Operators that are an error where a side is null.
_ASKING = frozenset({"_<_", "_<=_", "_>_", "_>=_", "_+_", "_-_", "_*_", "_/_", "_%_", "-_", "!_"})


@dataclass(frozen=True, slots=True)
class Advice:
    """One piece: the place (`loans.checks/0`), what may not be meant, and what to write in its place."""

    place: str
    what: str
    hint: str

    def __str__(self) -> str:
        return f"{self.place}: {self.what} {self.hint}"


def advise(definitions: Definitions) -> list[Advice]:
    """All advice on these definitions."""
    return [one for collection in definitions.collections.values() for one in _of(collection, definitions)]


def _of(collection: Collection, definitions: Definitions) -> Iterator[Advice]:
    for number, check in enumerate(collection.checks):
        place = f"{collection.name}.checks/{number}"
        yield from _nulls(place, check, collection)
        yield from _hidden(place, check, collection)
    for place, item, sources in _made(collection):
        yield from _wider(place, item, sources, (collection, definitions))
    for item in collection.fields.values():
        if item.sensitive and item.required and item.fixed:
            yield Advice(
                f"{collection.name}.{item.name}",
                "It is sensitive, required and fixed, so nothing can be put in its place when it is erased.",
                "Drop fixed or required if it is ever to be erased.",
            )


def _made(collection: Collection) -> Iterator[tuple[str, Field, Iterable[Place]]]:
    """Fields that get their values from others of the collection: where that stands, the field, and those."""
    for item in collection.fields.values():
        place = f"{collection.name}.{item.name}"
        if item.derived is not None:
            yield place, item, sources_of(collection.name, item)
        if item.initial is not None:
            yield place, item, asked_in(collection.name, item.initial)
    for number, effect in enumerate(collection.effects):
        for name, formula in effect.sets.items() if effect.does == "set" else ():
            sources = {} if effect.search else asked_by(collection.name, formula.rules)
            yield f"{collection.name}.effects/{number}", collection.fields[name], sources


def _wider(
    place: str, item: Field, sources: Iterable[Place], where: tuple[Collection, Definitions]
) -> Iterator[Advice]:
    """What a field tells of others that not all of its readers may read."""
    collection, definitions = where
    own, kept = _readers(item, collection), dict[str, None]()
    for name, field in sources:
        of = definitions.collections[name]
        if field not in of.fields:
            continue
        rules = _readers(of.fields[field], of)
        # Where records are read by the same rule, or by everybody, only rules of the field are to be asked.
        if rules[1] not in (own[1], EVERYONE) or (rules[0] and rules[0] != own[0]):
            kept[field if name == collection.name else f"{name}.{field}"] = None
    if kept:
        told = " and ".join(kept)
        yield Advice(
            place,
            f"{item.name} is made of {told}, and can be read by people who may not read {told}.",
            "Give it the same access: read, or accept that it tells of it.",
        )


def _readers(item: Field, collection: Collection) -> tuple[str, str]:
    """Who may read a field, where it says, and who its records; in words."""
    rules = (item.access.get("read"), collection.access.get("read"))
    own, records = ("" if rule is None else str(rule) for rule in rules)
    return own, records


def _nulls(place: str, check: Check, collection: Collection) -> Iterator[Advice]:
    """Optional fields that are compared without asking first whether they hold anything."""
    tree = check.rule.tree
    asked = {_field(path) for path in _asked_for_null(tree)}
    compared = [_field(path) for path in _compared(tree)]
    optional = [
        name
        for name in dict.fromkeys(compared)
        if name in collection.fields and not collection.fields[name].filled and name not in asked
    ]
    if optional:
        guard = " || ".join(f"next.{name} == null" for name in optional)
        yield Advice(
            place,
            f"It compares {' and '.join(optional)}, which may hold nothing: then no record can be saved.",
            f"Write: {guard} || {_in_parentheses(check.rule.text)}",
        )


def _hidden(place: str, check: Check, collection: Collection) -> Iterator[Advice]:
    """Fields that not everybody may read: whether a check holds tells something of them."""
    names = [
        name
        for name in dict.fromkeys(_field(path) for path in paths_in(check.rule.tree))
        if name in collection.fields and "read" in collection.fields[name].access
    ]
    if names:
        yield Advice(
            place,
            f"Whoever may change a record can find out about {' and '.join(names)} by trying values.",
            "Keep such conditions to those who may read the fields, in access, or accept it.",
        )


def _field(path: Path) -> str:
    return path.steps[0].name if path.steps and path.root in ("next", "record") else ""


def _compared(node: Node) -> Iterator[Path]:
    if isinstance(node, Call) and node.name in _ASKING and not node.method:
        yield from (one for one in node.arguments if isinstance(one, Path))
    for part in parts_of(node):
        yield from _compared(part)


def _asked_for_null(node: Node) -> Iterator[Path]:
    if isinstance(node, Call) and node.name in ("_==_", "_!=_"):
        sides = node.arguments
        if any(isinstance(one, Constant) and one.value is None for one in sides):
            yield from (one for one in sides if isinstance(one, Path))
    for part in parts_of(node):
        yield from _asked_for_null(part)


def _in_parentheses(text: str) -> str:
    return f"({text})" if "||" in text or "?" in text or "&&" in text else text
