"""Reading definitions: plain data in, frozen `Definitions` out, or every mistake at once.

The tables in `keywords.py` are the rules; the code here only walks. What YAML is, and where files
lie, is not known here: a `Source` brings data and the line of each place in it.

A field's own keywords are read first (`_FieldReader`), then a collection's (`_CollectionReader`),
then what only shows with all collections side by side: references (`_cross_check`).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any

from fenland.core import patterns
from fenland.core.definitions import (
    ACTIONS,
    EVERYONE,
    OWNER,
    Collection,
    DefinitionMistakes,
    Definitions,
    Field,
    Mistake,
)
from fenland.core.keywords import (
    BOUNDS,
    COLLECTION_KEYWORDS,
    FORMATS,
    KEYWORDS,
    TYPES,
    Keyword,
    is_number,
)
from fenland.core.names import NAME, RESERVED_FIELDS, did_you_mean, nearest
from fenland.core.problems import Problem, pointer_to
from fenland.core.validation import compile_field

Path = tuple[str | int, ...]


@dataclass(frozen=True, slots=True)
class Source:
    """One file's content: its name for messages, plain data, and the line of each path in it."""

    file: str
    data: Any
    lines: Mapping[Path, int] = field(default_factory=dict)

    def line(self, path: Path) -> int:
        """The line of a path, or of the nearest place above it that has one."""
        while path not in self.lines and path:
            path = path[:-1]
        return self.lines.get(path, 1)


# --- walking ------------------------------------------------------------------------------------


class _Notes:
    """Gathers mistakes of one source."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.mistakes: list[Mistake] = []

    def add(self, path: Path, what: str, hint: str) -> None:
        source = self.source
        self.mistakes.append(Mistake(source.file, source.line(path), pointer_to(*path), what, hint))


def _known_keywords(
    data: Mapping[str, Any], path: Path, known: Mapping[str, Any], notes: _Notes, place: str
) -> Iterator[tuple[str, Any]]:
    """The members whose names are keywords; the others are noted as mistakes."""
    for name, value in data.items():
        if name in known:
            yield name, value
        else:
            notes.add((*path, name), f"{place} has no keyword {name!r}.", did_you_mean(name, known))


class _FieldReader:
    """Reads one field, or one property or item inside it."""

    def __init__(self, notes: _Notes, path: Path, name: str, *, outermost: bool) -> None:
        self.notes = notes
        self.path = path
        self.place = f"Field {name!r}"
        self.name = name
        self.outermost = outermost

    def note(self, keyword: str, what: str, hint: str) -> None:
        self.notes.add((*self.path, keyword), what, hint)

    def read(self, data: Any) -> Field | None:
        """The field, or None when mistakes stand in the way; all are in the notes."""
        if not isinstance(data, dict):
            self.notes.add(
                self.path, f"{self.place} is not a mapping.", "Write keywords, such as type: string."
            )
            return None
        before = len(self.notes.mistakes)
        kind = self._type(data)
        values = dict(self._keywords(data, kind))
        self._bounds(data)
        if len(self.notes.mistakes) > before:
            return None
        item = Field(name=self.name, **{"type": kind, **values})
        self._values_fit(item, data)
        return item if len(self.notes.mistakes) == before else None

    def _type(self, data: Mapping[str, Any]) -> str:
        kind = data.get("type")
        if isinstance(kind, str) and kind in TYPES:
            return kind
        if kind is None and "references" not in data:
            self.notes.add(
                self.path, f"{self.place} has no type.", f"Add type: with one of {', '.join(TYPES)}."
            )
        # A reference takes the type of the key it holds; `_cross_check` fills that in.
        return "string"

    def _keywords(self, data: Mapping[str, Any], kind: str) -> Iterator[tuple[str, Any]]:
        typed = isinstance(data.get("type"), str)
        for word, value in _known_keywords(data, self.path, KEYWORDS, self.notes, self.place):
            keyword = KEYWORDS[word]
            if word == "required":
                yield "required", self._required(value, data)
                continue
            if not keyword.fits(value):
                self._unfit(word, value, keyword)
            elif typed and kind not in keyword.types:
                self.note(
                    word,
                    f"{self.place} is of type {kind}, which {word} says nothing about.",
                    f"Remove it, or use one of the types {', '.join(keyword.types)}.",
                )
            elif keyword.outermost and not self.outermost:
                self.note(word, f"{word} belongs to a field, not inside one.", "Move or remove it.")
            elif word == "properties":
                yield word, self._properties(value, data.get("required"))
            else:
                yield keyword.attribute, self._settled(word, value)
        if "nullable" not in data:
            yield "nullable", data.get("required") is not True

    def _unfit(self, word: str, value: Any, keyword: Keyword) -> None:
        hint = f"It must be {keyword.looks}."
        if word in ("type", "format") and isinstance(value, str):
            close = nearest(value, TYPES if word == "type" else FORMATS)
            hint = f"Did you mean {close!r}? {hint}" if close else hint
        self.note(word, f"{self.place}: {word} is {value!r}.", hint)

    def _settled(self, word: str, value: Any) -> Any:
        if word in ("enum", "examples"):
            return tuple(value)
        if word in ("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf"):
            return Decimal(value)
        if word == "items":
            return self._inner("item", value, ("items",))
        if word == "pattern":
            self._pattern(value)
        return value

    def _inner(self, name: str, data: Any, steps: Path) -> Field | None:
        reader = _FieldReader(self.notes, (*self.path, *steps), name, outermost=False)
        return reader.read(data)

    def _properties(self, data: Mapping[str, Any], required: Any) -> dict[str, Field]:
        listed = required if isinstance(required, list) else ()
        found = {}
        for name, inner in data.items():
            item = self._inner(name, inner, ("properties", name))
            if item is not None and name in listed:
                item = replace(item, required=True, nullable=inner.get("nullable", False))
            if item is not None:
                found[name] = item
        return found

    def _required(self, value: Any, data: Mapping[str, Any]) -> bool:
        """True or false for the field itself; a list, JSON Schema's form, names an object's properties."""
        if isinstance(value, bool):
            return value
        properties = data.get("properties")
        if data.get("type") == "object" and isinstance(value, list) and isinstance(properties, dict):
            for number, name in enumerate(value):
                if name not in properties:
                    self.notes.add(
                        (*self.path, "required", number),
                        f"{self.place} requires {name!r}, which is no property.",
                        did_you_mean(str(name), properties),
                    )
            return False
        self.note(
            "required",
            f"{self.place}: required is {value!r}.",
            "It must be true or false; for an object also a list of its properties.",
        )
        return False

    def _pattern(self, text: str) -> None:
        try:
            patterns.compile_pattern(text)
        except ValueError as error:
            self.note("pattern", f"{self.place}: pattern cannot be read: {error}.", "Correct it.")

    def _bounds(self, data: Mapping[str, Any]) -> None:
        for low, high in BOUNDS:
            if is_number(data.get(low)) and is_number(data.get(high)) and data[low] > data[high]:
                self.note(
                    high,
                    f"{self.place}: {high} {data[high]} is below {low} {data[low]}.",
                    "No value could pass. Swap or correct them.",
                )

    def _values_fit(self, item: Field, data: Mapping[str, Any]) -> None:
        """Default, examples and enum members must themselves be valid values of the field."""
        check = compile_field(replace(item, enum=None))
        whole = compile_field(item)
        for number, value in enumerate(item.enum or ()):
            self._fits(check, value, ("enum", number), "enum")
        for number, value in enumerate(item.examples):
            self._fits(whole, value, ("examples", number), "examples")
        if "default" in data and not (item.default is None and item.nullable):
            self._fits(whole, item.default, ("default",), "default")

    def _fits(self, check: Any, value: Any, steps: Path, word: str) -> None:
        problems: list[Problem] = []
        check(value, "", problems)
        for problem in problems:
            self.notes.add(
                (*self.path, *steps),
                f"{self.place}: {value!r} under {word} breaks the field's own rules.",
                problem.detail,
            )


class _CollectionReader:
    """Reads one collection file."""

    def __init__(self, source: Source, name: str, roles: Sequence[str]) -> None:
        self.notes = _Notes(source)
        self.name = name
        self.roles = roles
        self.fields: dict[str, Field] = {}

    def read(self) -> Collection | None:
        data = self.notes.source.data
        if not isinstance(data, dict):
            self.notes.add((), "The file holds no mapping.", "Begin with title: and fields:.")
            return None
        if not NAME.fullmatch(self.name) or self.name.startswith("fenland"):
            self.notes.add(
                (),
                f"A collection cannot be called {self.name!r}.",
                "Name the file with lower-case letters, digits and _, not beginning with fenland.",
            )
        settled = dict(self._keywords(data))
        self._fields(settled.pop("fields", None))
        self._key(settled.get("key", "id"))
        self._owner(settled.get("owner"))
        access = self._access(settled.pop("access", {}), settled.get("owner"))
        checks = self._rules(settled.pop("checks", []), "checks", ("rule", "message", "fields"))
        effects = self._rules(
            settled.pop("effects", []), "effects", ("on", "when", "set", "change", "create", "notice")
        )
        if self.notes.mistakes:
            return None
        title = settled.pop("title", self.name.replace("_", " ").capitalize())
        return Collection(
            name=self.name,
            title=title,
            fields=self.fields,
            access=access,
            checks=checks,
            effects=effects,
            **settled,
        )

    def _keywords(self, data: Mapping[str, Any]) -> Iterator[tuple[str, Any]]:
        for word, value in _known_keywords(
            data, (), COLLECTION_KEYWORDS, self.notes, f"Collection {self.name!r}"
        ):
            fits, looks = COLLECTION_KEYWORDS[word]
            if fits(value):
                yield word, value
            else:
                self.notes.add((word,), f"{word} is {value!r}.", f"It must be {looks}.")

    def _fields(self, data: Mapping[str, Any] | None) -> None:
        if not data:
            self.notes.add((), f"Collection {self.name!r} has no fields.", "Add fields: with at least one.")
            return
        for name, inner in data.items():
            path: Path = ("fields", name)
            if name in RESERVED_FIELDS:
                self.notes.add(path, f"{name!r} is kept by the service.", "Give the field another name.")
            elif not NAME.fullmatch(name):
                self.notes.add(
                    path,
                    f"A field cannot be called {name!r}.",
                    "Use lower-case letters, digits and _, beginning with a letter, 63 at most.",
                )
            else:
                found = _FieldReader(self.notes, path, name, outermost=True).read(inner)
                if found is not None:
                    self.fields[name] = found

    def _named(self, word: str, name: str) -> Field | None:
        """The field that a collection keyword names, noted as a mistake when it is not there."""
        declared = self.notes.source.data.get("fields") or {}
        if name not in declared:
            self.notes.add(
                (word,), f"{word} names {name!r}, which is no field.", did_you_mean(name, declared)
            )
        return self.fields.get(name)

    def _key(self, name: str) -> None:
        if name == "id":
            return
        item = self._named("key", name)
        if item is None:
            return
        if not (item.unique and item.required and item.fixed and not item.nullable):
            self.notes.add(
                ("fields", name),
                f"Field {name!r} is the key, so it may be neither absent, shared nor changed.",
                "Give it required: true, unique: true and fixed: true.",
            )
        if item.type not in ("string", "integer"):
            self.notes.add(
                ("fields", name), f"The key {name!r} is a {item.type}.", "Use a string or an integer."
            )

    def _owner(self, name: str | None) -> None:
        item = self._named("owner", name) if name is not None else None
        if item is not None and (item.type != "string" or item.format or item.references):
            self.notes.add(
                ("fields", str(name)),
                f"The owner field {name!r} must be able to hold an account's name.",
                "Give it type: string and neither format nor references.",
            )

    def _access(self, data: Mapping[str, Any], owner: str | None) -> dict[Any, frozenset[str]]:
        found: dict[Any, frozenset[str]] = {}
        for action, grants in _known_keywords(
            data, ("access",), dict.fromkeys(ACTIONS), self.notes, "access"
        ):
            if not isinstance(grants, list) or not all(isinstance(one, str) for one in grants):
                self.notes.add(
                    ("access", action),
                    f"access: {action} is {grants!r}.",
                    "Write a list of roles, owner or everyone, such as [owner, office].",
                )
                continue
            for number, grant in enumerate(grants):
                self._grant(action, number, grant, owner)
            found[action] = frozenset(grants)
        return found

    def _grant(self, action: str, number: int, grant: str, owner: str | None) -> None:
        path: Path = ("access", action, number)
        if grant not in (OWNER, EVERYONE, *self.roles):
            known = (OWNER, EVERYONE, *self.roles)
            self.notes.add(
                path,
                f"access: {action} names {grant!r}, which is no role.",
                did_you_mean(grant, known) + " Roles stand in fenland.toml under roles.",
            )
        elif grant == OWNER and owner is None:
            self.notes.add(
                path, f"access: {action} names the owner.", "Add owner: with the field that holds it."
            )
        elif grant == OWNER and action == "create":
            self.notes.add(path, "A record has no owner before it is created.", "Name roles, or everyone.")

    def _rules(self, data: list[Any], word: str, known: Sequence[str]) -> tuple[Mapping[str, Any], ...]:
        for number, rule in enumerate(data):
            if not isinstance(rule, dict):
                self.notes.add((word, number), f"{word} holds {rule!r}.", "Each must be a mapping.")
                continue
            for _ in _known_keywords(
                rule, (word, number), dict.fromkeys(known), self.notes, f"An entry of {word}"
            ):
                pass
        return tuple(rule for rule in data if isinstance(rule, dict))


def _cross_check(
    collections: dict[str, Collection], readers: Mapping[str, _CollectionReader]
) -> dict[str, Collection]:
    """References: that they lead somewhere, with the type of the key they hold filled in."""
    settled = {}
    for name, collection in collections.items():
        notes, fields = readers[name].notes, dict(collection.fields)
        for item in collection.fields.values():
            if item.references is not None:
                fields[item.name] = _reference(item, collections, readers, notes)
        settled[name] = replace(collection, fields=fields)
    return settled


def _reference(
    item: Field,
    collections: Mapping[str, Collection],
    readers: Mapping[str, _CollectionReader],
    notes: _Notes,
) -> Field:
    path: Path = ("fields", item.name)
    target = collections.get(item.references or "")
    if target is None:
        if item.references not in readers:
            notes.add(
                (*path, "references"),
                f"Field {item.name!r} refers to {item.references!r}, which is no collection.",
                did_you_mean(item.references or "", readers),
            )
        return item
    key = target.fields.get(target.key)
    kind = key.type if key is not None else "string"
    declared = notes.source.data["fields"][item.name].get("type", kind)
    if declared != kind:
        notes.add(
            (*path, "type"),
            f"Field {item.name!r} is of type {declared}, but keys of {target.name} are {kind}s.",
            f"Write type: {kind}, or leave type out.",
        )
    if item.on_delete == "clear" and not item.nullable:
        notes.add(
            (*path, "on_delete"),
            f"Field {item.name!r} cannot be cleared: it is required.",
            "Use on_delete: restrict or cascade, or drop required.",
        )
    if item.on_delete == "clear" and item.fixed:
        notes.add((*path, "on_delete"), f"Field {item.name!r} is fixed.", "Use restrict or cascade.")
    return replace(item, type=kind)


def _unsettled(source: Source, word: str, value: Any, hint: str) -> Mistake:
    return Mistake(source.file, source.line((word,)), f"/{word}", f"{word} is {value!r}.", hint)


def read_definitions(sources: Mapping[str, Source], roles: Sequence[str] = ()) -> Definitions:
    """The definitions in these sources, by collection name.

    Raises `DefinitionMistakes` with every mistake of every source.
    """
    readers = {name: _CollectionReader(source, name, roles) for name, source in sources.items()}
    found = {name: reader.read() for name, reader in readers.items()}
    collections = {name: one for name, one in found.items() if one is not None}
    settled = _cross_check(collections, readers)
    mistakes = [mistake for reader in readers.values() for mistake in reader.notes.mistakes]
    if mistakes:
        raise DefinitionMistakes(mistakes)
    return Definitions(collections=settled, roles=tuple(roles))


def definitions_from(data: Mapping[str, Any], roles: Sequence[str] = ()) -> Definitions:
    """Definitions built in Python: the same data that the YAML files hold, by collection name."""
    return read_definitions({name: Source(name, one) for name, one in data.items()}, roles)


def not_yet_enforced(definitions: Definitions) -> list[str]:
    """What the definitions ask for that this version reads and checks but does not act on."""
    found = []
    for collection in definitions.collections.values():
        if collection.checks:
            found.append(f"{collection.name}: checks are read, and not yet run.")
        if collection.effects:
            found.append(f"{collection.name}: effects are read, and not yet carried out.")
        found.extend(
            f"{collection.name}.{item.name}: derived is read, and not yet computed."
            for item in collection.fields.values()
            if item.derived is not None
        )
    return found
