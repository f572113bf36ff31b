"""Comparing definitions: what differs between those that a database was made for and newer ones.

A comparison is a list of steps, each a sentence with what it takes: nothing but a note (`free`), a look at
the records that newer limits refuse (`tightens`), data that is moved (`moves`), or data that is lost
(`loses`); and what becomes of each collection. Nothing is done here: `moving.py` says how records are made.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from itertools import chain
from typing import Any, Literal

from fenland.core.definitions.asking import derived_needs, outer_places
from fenland.core.definitions.constraints import CONSTRAINTS
from fenland.core.definitions.model import (
    Collection,
    Definitions,
    Field,
    has_index,
    place_of,
    stored_form,
)
from fenland.core.expressions.checking import Checked
from fenland.core.names import circled
from fenland.core.values.plain import MISSING, as_written, same

#: Values that a sentence names.
_NAMED = 8

Effect = Literal["free", "tightens", "moves", "loses"]


@dataclass(frozen=True, slots=True)
class Step:
    """One difference: where (`stations`, `stations.height`, by newer names), in a sentence, at what price."""

    place: str
    sentence: str
    effect: Effect = "free"


@dataclass(frozen=True, slots=True)
class Move:
    """How a field comes to its values: from the field that it was, or from nothing."""

    field: Field
    source: Field | None
    #: Whether its value is worked out anew from the others; and `later`, by other records once all are moved.
    derives: bool = False
    later: bool = False

    @property
    def fills(self) -> bool:
        """Whether records that hold nothing in it get something: it is new, must be given, or says so now."""
        if self.source is None or (self.field.filled and not self.source.filled):
            return filling(self.field) is not None
        return self.field.fill is not None and _said(self.field.fill) != _said(self.source.fill)

    @property
    def turns(self) -> bool:
        """Whether values become others: where the field says so now, and did not before."""
        if self.source is None or self.field.values is None:
            return False
        return not same(_said(self.field.values), _said(self.source.values))


@dataclass(frozen=True, slots=True)
class Succession:
    """What becomes of a collection that stays, under whichever name."""

    old: Collection
    new: Collection
    moves: tuple[Move, ...] = ()
    lost: tuple[Field, ...] = ()
    #: Fields that let in less than they did.
    tightened: tuple[str, ...] = ()
    #: Whether its records are to be moved into a table made anew.
    remade: bool = False
    #: Whether what is derived from other records may come out otherwise.
    rederived: bool = False


@dataclass(frozen=True, slots=True)
class Comparison:
    """All that differs, and why some of it cannot be done."""

    steps: tuple[Step, ...] = ()
    added: tuple[Collection, ...] = ()
    gone: tuple[Collection, ...] = ()
    kept: tuple[Succession, ...] = ()
    impossible: tuple[str, ...] = ()

    @property
    def free(self) -> bool:
        """Whether no stored data is moved, lost or refused by it."""
        return not self.impossible and all(step.effect == "free" for step in self.steps)

    @property
    def losses(self) -> list[str]:
        """The places of what is lost."""
        return [step.place for step in self.steps if step.effect == "loses"]

    @property
    def moved(self) -> list[str]:
        """The collections, by their newer names, whose records are not as they were."""
        return [one.new.name for one in self.kept if one.remade or one.rederived]

    @property
    def rederives(self) -> bool:
        """Whether what is derived from other records is to be worked out anew once all are moved."""
        return any(one.rederived for one in self.kept)

    def before(self, name: str) -> Succession | None:
        """What a collection was, by its newer name; None for one that is new."""
        return next((one for one in self.kept if one.new.name == name), None)


def _going(one: Collection) -> str:
    words = f"Remove collection {one.name} and all its records."
    if any(item.sensitive for item in one.fields.values()):
        words += " What its sensitive fields held stays in the history; fenland erase-removed erases that."
    return words


def _said(given: Mapping[str, Any] | Checked | None) -> Any:
    """What stands in the definitions."""
    return given.text if isinstance(given, Checked) else given


def compare(old: Definitions, new: Definitions) -> Comparison:
    """What differs between older definitions and newer ones."""
    pairs = list(_pairs(old.collections, new.collections))
    both = [(one, other) for one, other in pairs if one is not None and other is not None]
    renamed = {one.name: other.name for one, other in both}
    added = tuple(other for one, other in pairs if one is None)
    gone = tuple(one for one, other in pairs if other is None)
    found = [_succession(one, other, (old, new), renamed) for one, other in both]
    steps = [
        *(Step(one.name, f"The collection {one.name} is new.") for one in added),
        *chain.from_iterable(made for made, _ in found),
        *(Step(one.name, _going(one), "loses") for one in gone),
    ]
    if list(old.roles) != list(new.roles):
        steps.append(Step("roles", "The roles that access lists may name change."))
    impossible = chain.from_iterable(_impossible(one, other, old) for one, other in both)
    kept = tuple(_rederived([one for _, one in found], new, steps))
    return Comparison(tuple(steps), added, gone, kept, tuple(impossible))


def _rederived(kept: list[Succession], new: Definitions, steps: list[Step]) -> Iterator[Succession]:
    """The same, with what is derived from other records: it may come out otherwise where anything moves."""
    outer = outer_places(new.collections, derived_needs(new.collections))
    moving = any(step.effect in ("moves", "loses") for step in steps)
    for one in kept:
        names = {field for collection, field in outer if collection == one.new.name}
        moves = tuple(replace(move, later=move.field.name in names) for move in one.moves)
        yield replace(one, moves=moves, rederived=moving and bool(names))


def _pairs(old: Mapping[str, Any], new: Mapping[str, Any]) -> Iterator[tuple[Any, Any]]:
    """What was beside what it is; those that are new, then those that go, beside nothing."""
    taken, traded = set(), _traded(old, new)
    for name, one in new.items():
        kept = name in old and name not in traded
        before = name if kept else one.was if one.was in old else None
        taken.add(before)
        yield old.get(before) if before is not None else None, one
    for name, one in old.items():
        if name not in taken:
            yield one, None


def _traded(old: Mapping[str, Any], new: Mapping[str, Any]) -> set[str]:
    """Names that are there before and after, and are given on in a circle: two that are swapped, for one."""
    # Definitions that said so already have done it.
    newly = {name: one.was for name, one in new.items() if name in old and one.was != old[name].was}
    return circled(newly)


def _impossible(one: Collection, other: Collection, old: Definitions) -> Iterator[str]:
    key = one.fields.get(one.key)
    follows = other.fields.get(other.key)
    renamed = key is not None and follows is not None and follows.was == key.name
    if one.key != other.key and not renamed and (referring := old.referring_to(one.name)):
        named = ", ".join(f"{collection.name}.{item.name}" for collection, item in referring)
        yield (
            f"{other.name}: the key cannot become {other.key}, since {named} holds keys. "
            "Remove those references first, or add a new collection."
        )


# --- one collection ----------------------------------------------------------------------------------


def _succession(
    one: Collection,
    other: Collection,
    definitions: tuple[Definitions, Definitions],
    renamed: Mapping[str, str],
) -> tuple[list[Step], Succession]:
    steps = []
    if one.name != other.name:
        steps.append(Step(other.name, f"The collection {one.name} is called {other.name} now.", "moves"))
    moves, lost, tightened = [], [], []
    for source, item in _pairs(one.fields, other.fields):
        if item is None:
            lost.append(source)
            place = place_of(other, source)
            steps.append(Step(place, f"Remove field {place} and its values.", "loses"))
            continue
        moves.append(Move(item, source))
        found = list(_field_steps(_Compared(place_of(other, item), source, item, one, other), renamed))
        if source is not None and source.references is not None and item.references is not None:
            found += _key_renamed(place_of(other, item), (source, item), definitions, found)
        if source is not None and not found:
            found += _unsaid(place_of(other, item), *_written((one, source), (other, item), definitions))
        steps += found
        if any(step.effect == "tightens" for step in found):
            tightened.append(item.name)
    steps += _collection_steps(one, other, *definitions)
    remade = any(step.effect in ("moves", "loses") for step in steps)
    # Where anything moves, what is derived from it may come out otherwise.
    moves = [replace(move, derives=remade and move.field.derived is not None) for move in moves]
    return steps, Succession(one, other, tuple(moves), tuple(lost), tuple(tightened), remade)


def _written(
    older: tuple[Collection, Field],
    newer: tuple[Collection, Field],
    definitions: tuple[Definitions, Definitions],
) -> tuple[Any, Any]:
    """A field as it stands in the older definitions, and in the newer ones."""
    was, now = (
        _data(whole, collection.name)["fields"][item.name]
        for whole, (collection, item) in zip(definitions, (older, newer), strict=True)
    )
    return was, now


def _unsaid(place: str, was: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[Step]:
    """What differs in a field, at any depth, where nothing else was said of it."""
    # What has been followed may go without a word.
    over = {word for word in ("was", "fill", "values") if word not in now}
    words = [word for word in dict.fromkeys(_differing(was, now)) if word not in over]
    if words:
        yield Step(place, f"{place}: {', '.join(words)} {_change(words)}.")


def _differing(was: Mapping[str, Any], now: Mapping[str, Any], path: str = "") -> Iterator[str]:
    """The keywords whose values differ; of what is inside, with the way there."""
    for word in _changed(was, now):
        older, newer = was.get(word), now.get(word)
        if word == "items" and isinstance(older, dict) and isinstance(newer, dict):
            yield from _differing(older, newer, f"{path}items.")
        elif word == "properties" and isinstance(older, dict) and isinstance(newer, dict):
            both = [name for name in newer if name in older]
            found = [one for name in both for one in _differing(older[name], newer[name], f"{path}{name}.")]
            # Others that there are, or another order of them.
            yield from found or [f"{path}{word}"]
        else:
            yield f"{path}{word}"


def _key_renamed(
    place: str, fields: tuple[Field, Field], definitions: tuple[Definitions, Definitions], found: list[Step]
) -> Iterator[Step]:
    """A reference whose keys are in a field of another name now: what it holds stays, its table does not."""
    was, now = (
        whole.collections[str(one.references)] for one, whole in zip(fields, definitions, strict=True)
    )
    if (was.name, was.key) != (now.name, now.key) and not any(step.effect == "moves" for step in found):
        yield Step(place, f"{place} refers to {now.name}.{now.key}, which had another name.", "moves")


def _collection_steps(
    one: Collection, other: Collection, old: Definitions, new: Definitions
) -> Iterator[Step]:
    before, after = _data(old, one.name), _data(new, other.name)
    if one.key != other.key and other.fields.get(other.key) and other.fields[other.key].was != one.key:
        yield Step(other.name, f"Records of {other.name} are found by {other.key} from now on.", "tightens")
    words = [word for word in _changed(before, after) if word not in ("fields", "key", "was")]
    if words:
        yield Step(other.name, f"{other.name}: {', '.join(words)} {_change(words)}.")
    was, now = list(one.fields), list(other.fields)
    if [name for name in was if name in now] != [name for name in now if name in was]:
        yield Step(other.name, f"The fields of {other.name} stand in another order.")


def _data(definitions: Definitions, name: str) -> Mapping[str, Any]:
    found: Mapping[str, Any] = definitions.data["collections"][name]
    return found


def _changed(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[str]:
    """The keywords whose values differ."""
    return [
        word for word in {**before, **after} if not same(before.get(word, MISSING), after.get(word, MISSING))
    ]


def _change(words: list[str]) -> str:
    return "change" if len(words) > 1 else "changes"


# --- one field ---------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Compared:
    place: str
    source: Field | None
    item: Field
    old: Collection
    new: Collection


def _field_steps(one: _Compared, renamed: Mapping[str, str]) -> Iterator[Step]:
    place, source, item = one.place, one.source, one.item
    if source is None:
        yield _added(place, item)
        return
    yield from _derived(place, source, item)
    if source.name != item.name:
        yield Step(place, f"The field {source.name} of {one.new.name} is called {item.name} now.", "moves")
    if stored_form(source) != stored_form(item):
        yield Step(place, f"{place} holds {stored_form(source)}, and will hold {stored_form(item)}.", "moves")
    move = Move(item, source)
    if move.turns:
        yield Step(place, f"{place}: {_turning(item)}.", "moves")
    if source.filled != item.filled:
        yield Step(place, _required(place, item), "moves")
    elif move.fills:
        yield Step(place, f"{place}: where it holds nothing, it gets {filling(item)}.", "moves")
    if source.unique != item.unique:
        words = "may not share values any more" if item.unique else "may share values from now on"
        yield Step(place, f"Records {words} in {place}.", "moves")
    target = renamed.get(source.references or "", source.references)
    if target != item.references:
        words = f"refers to {item.references}" if item.references else "refers to nothing any more"
        yield Step(place, f"{place} {words}.", "moves")
    elif source.references != item.references:
        yield Step(place, f"{place} refers to {item.references}, which had another name.", "moves")
    if stored_form(source) == stored_form(item):
        yield from _limits(place, source, item)
    yield from _index(place, source, item, one)
    yield from _other_words(place, source, item)


def _derived(place: str, source: Field, item: Field) -> Iterator[Step]:
    if item.derived is None:
        if source.derived is not None:
            yield Step(place, f"{place} is not derived any more, and keeps the values that it has.")
    elif source.derived is None:
        yield Step(place, f"{place} is derived from {item.derived} now: the values that it has go.", "loses")
    elif str(source.derived) != str(item.derived):
        yield Step(place, f"{place} is derived from {item.derived} now.", "moves")


def _added(place: str, item: Field) -> Step:
    words = f"The field {place} is new"
    if item.derived is not None:
        return Step(place, f"{words}, and derived from {item.derived}.", "moves")
    if (given := filling(item)) is not None:
        return Step(place, f"{words}, and filled with {given}.", "moves")
    if item.filled:
        return Step(place, f"{words}, and must be given.", "moves")
    return Step(place, f"{words}.", "moves" if item.unique else "free")


def _required(place: str, item: Field) -> str:
    if not item.filled:
        return f"{place} need not be given any more."
    given = filling(item)
    return f"{place} must be given from now on" + (f"; where it is not, it gets {given}." if given else ".")


def _turning(item: Field) -> str:
    if isinstance(item.values, Checked):
        return f"every value becomes that of {item.values.text}"
    pairs = [f"{old!r} becomes {as_written(new)}" for old, new in (item.values or {}).items()]
    more = len(pairs) - _NAMED
    return ", ".join(pairs[:_NAMED]) + (f", and {more} more" if more > 0 else "")


def filling(item: Field) -> str | None:
    """What records that hold nothing in a field get there, in words; None for nothing."""
    if item.fill is not None:
        return f"the value of {item.fill.text}"
    # Of a field that may be empty, the default is for records that are yet to come.
    if item.filled and item.default is not MISSING and item.default is not None:
        return as_written(item.default)
    return None


def _index(place: str, source: Field, item: Field, one: _Compared) -> Iterator[Step]:
    had, has = (has_index(field, whole) for field, whole in ((source, one.old), (item, one.new)))
    if had != has and source.unique == item.unique:
        yield Step(place, f"{place} {'gets' if has else 'loses'} an index.")


def _other_words(place: str, source: Field, item: Field) -> Iterator[Step]:
    """What is only said of it: nothing stored depends on that."""
    attributes = ("title", "description", "examples", "read_only", "write_only", "fixed", "search", "blank")
    words = [name for name in attributes if getattr(source, name) != getattr(item, name)]
    words += [name for name in ("default", "sensitive") if _differ(source, item, name)]
    if source.references is not None and source.on_delete != item.on_delete:
        words.append("on_delete")
    if {right: str(rule) for right, rule in source.access.items()} != {
        right: str(rule) for right, rule in item.access.items()
    }:
        words.append("access")
    if words:
        yield Step(place, f"{place}: {', '.join(words)} {_change(words)}.")


def _differ(source: Field, item: Field, name: str) -> bool:
    return not same(getattr(source, name), getattr(item, name))


# --- limits ------------------------------------------------------------------------------------------


def _limits(place: str, source: Field, item: Field) -> Iterator[Step]:
    tighter, wider = set[str](), set[str]()
    _weigh(source, item, tighter, wider)
    if tighter:
        yield Step(place, f"{place} lets in less: {', '.join(sorted(tighter))}.", "tightens")
    elif wider:
        yield Step(place, f"{place} lets in more: {', '.join(sorted(wider))}.")


def _weigh(source: Field, item: Field, tighter: set[str], wider: set[str]) -> None:
    """Notes the keywords by which a field lets in less than it did, and those by which more."""
    for word in {**source.constraints, **item.constraints}:
        was, now = source.constraints.get(word), item.constraints.get(word)
        if not same(was, now):
            (wider if _lets_more(word, was, now) else tighter).add(word)
    if source.format != item.format:
        (wider if item.format is None else tighter).add("format")
    if source.required != item.required and source.filled == item.filled:
        (tighter if item.required else wider).add("required")
    for word in ("items", "properties"):
        was, now = getattr(source, word), getattr(item, word)
        if was is None or now is None:
            if was is not now:
                (wider if now is None else tighter).add(word)
        elif isinstance(was, Field):
            _weigh_within(was, now, tighter, wider)
        else:
            _weigh_properties(was, now, tighter, wider)


def _lets_more(word: str, was: Any, now: Any) -> bool:
    if was is None or now is None:
        return now is None
    return CONSTRAINTS[word].lets_more(was, now)


def _weigh_within(was: Field, now: Field, tighter: set[str], wider: set[str]) -> None:
    if stored_form(was) != stored_form(now):
        tighter.add("type")
    if was.nullable != now.nullable:
        (wider if now.nullable else tighter).add("nullable")
    _weigh(was, now, tighter, wider)


def _weigh_properties(
    was: Mapping[str, Field], now: Mapping[str, Field], tighter: set[str], wider: set[str]
) -> None:
    for name, item in now.items():
        if name in was:
            _weigh_within(was[name], item, tighter, wider)
        else:
            (tighter if item.required else wider).add("properties")
    if any(name not in now for name in was):
        tighter.add("properties")
