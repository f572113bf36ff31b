"""Reading definitions: plain data in, frozen `Definitions` out, or every mistake at once.

The tables in `keywords.py` are the rules; the code here only walks. What YAML is, and where files
lie, is not known here: a `Source` brings data and the line of each place in it.

A field's own keywords are read first (`field_reading.py`), then a collection's (`_CollectionReader`),
then what only shows with all collections side by side: references (`_cross_check`).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from fenland.core.definitions.calls import refuse_uncalled
from fenland.core.definitions.catalog import catalog_of
from fenland.core.definitions.derived import DerivedReader, refuse_circles_beyond
from fenland.core.definitions.effects import EffectReader, refuse_unknown_passes
from fenland.core.definitions.field_reading import FieldReader, Notes, Path, Source, known_keywords
from fenland.core.definitions.keywords import (
    COLLECTION_KEYWORDS,
)
from fenland.core.definitions.model import (
    EVERYONE,
    OWNER,
    Collection,
    DefinitionMistakes,
    Definitions,
    Field,
    Mistake,
)
from fenland.core.definitions.own import Functions
from fenland.core.definitions.passes import PassReader
from fenland.core.definitions.rule_reading import RuleReader
from fenland.core.definitions.views import refuse_unfit
from fenland.core.expressions.types import DYN, FieldType
from fenland.core.names import NAME, circled, did_you_mean
from fenland.core.reserved import RESERVED
from fenland.core.values.plain import as_written


class _CollectionReader:
    """Reads one collection file."""

    def __init__(self, notes: Notes, name: str) -> None:
        self.notes = notes
        self.name = name
        self.fields: dict[str, Field] = {}
        #: Fields that could not be read: rules may speak of them, and their mistakes are told already.
        self.broken: list[str] = []
        self.access: Mapping[str, Any] = {}
        self.checks: Sequence[Any] = ()
        self.effects: Sequence[Any] = ()
        self.passes: Mapping[str, Any] = {}

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
        self._label(settled.get("label"))
        settled["columns"] = self._columns(settled.get("columns", []))
        self._was()
        if settled.get("views"):
            refuse_unfit(self.notes, self.fields)
        # Rules are read once the fields of all collections are known: `_with_rules`.
        self.access, self.checks = settled.pop("access", {}), settled.pop("checks", [])
        self.effects, self.passes = settled.pop("effects", []), settled.pop("passes", {})
        if self.notes.mistakes and not self.fields:
            return None
        title = settled.pop("title", self.name.replace("_", " ").capitalize())
        return Collection(
            name=self.name,
            title=title,
            singular=settled.pop("singular", title),
            fields={**self.fields, **{name: Field(name, "object") for name in self.broken}},
            **settled,
        )

    def _keywords(self, data: Mapping[str, Any]) -> Iterator[tuple[str, Any]]:
        for word, value in known_keywords(
            data, (), COLLECTION_KEYWORDS, self.notes, f"Collection {self.name!r}"
        ):
            shape = COLLECTION_KEYWORDS[word]
            if shape.accepts(value):
                yield word, value
            else:
                self.notes.add((word,), f"{word} is {as_written(value)}.", f"It must be {shape.looks}.")

    def _fields(self, data: Mapping[str, Any] | None) -> None:
        if not data:
            self.notes.add((), f"Collection {self.name!r} has no fields.", "Add fields: with at least one.")
            return
        for name, inner in data.items():
            path: Path = ("fields", name)
            if name in RESERVED:
                self.notes.add(path, f"{name!r} is kept by the service.", "Give the field another name.")
            elif not NAME.fullmatch(name):
                self.notes.add(
                    path,
                    f"A field cannot be called {name!r}.",
                    "Use lower-case letters, digits and _, beginning with a letter, 63 at most.",
                )
            else:
                found = FieldReader(self.notes, path, name, outermost=True).read(inner)
                if found is not None:
                    self.fields[name] = found
                else:
                    self.broken.append(name)

    @property
    def _declared(self) -> Mapping[str, Any]:
        """What is said of fields, whether that can be read or not."""
        given = self.notes.source.data.get("fields")
        return given if isinstance(given, dict) else {}

    def _named(self, word: str, name: str, path: Path = ()) -> Field | None:
        """The field that a collection keyword names, noted as a mistake when it is not there."""
        declared = self._declared
        if name not in declared:
            self.notes.add(
                path or (word,), f"{word} names {name!r}, which is no field.", did_you_mean(name, declared)
            )
        return self.fields.get(name)

    def _key(self, name: str) -> None:
        self._open_names(name, "key")
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

    def _open_names(self, name: str, what: str) -> None:
        """Keys and owners stand in every entry of the history, and in what refers to them."""
        item = self.fields.get(name)
        if item is not None and item.sensitive:
            self.notes.add(
                ("fields", name, "sensitive"),
                f"The {what} {name!r} is sensitive, and stands in addresses and in every entry all the same.",
                "Remove sensitive, or let another field be that.",
            )

    def _owner(self, name: str | None) -> None:
        if name is not None:
            self._open_names(name, "owner field")
        item = self._named("owner", name) if name is not None else None
        if item is not None and (item.type != "string" or item.format or item.references):
            self.notes.add(
                ("fields", str(name)),
                f"The owner field {name!r} must be able to hold an account's name.",
                "Give it type: string and neither format nor references.",
            )

    def _label(self, name: str | None) -> None:
        item = self._named("label", name) if name is not None else None
        if item is None:
            return
        if item.type in ("array", "object"):
            self.notes.add(("label",), f"The label {name!r} is an {item.type}.", "Name a field of one value.")
        self._refuse_unshown("label", item)

    def _columns(self, names: Sequence[Any]) -> tuple[str, ...]:
        found: list[str] = []
        for place, name in enumerate(names):
            path: Path = ("columns", place)
            if not isinstance(name, str):
                self.notes.add(path, f"A column is {as_written(name)}.", "Give the name of a field.")
            elif name in found:
                self.notes.add(path, f"The column {name!r} is there twice.", "Remove one.")
            else:
                found.append(name)
                item = None if name in RESERVED else self._named("columns", name, path)
                if item is not None:
                    self._refuse_unshown("columns", item, path)
        return tuple(found)

    def _refuse_unshown(self, word: str, item: Field, path: Path = ()) -> None:
        if item.write_only:
            what = f"{word} names {item.name!r}, which is never shown."
            self.notes.add(path or (word,), what, "Name another field.")

    def _was(self) -> None:
        declared = self._declared
        traded = circled({name: item.was for name, item in self.fields.items()})
        for name, item in self.fields.items():
            if item.was in declared and name not in traded:
                self.notes.add(
                    ("fields", name, "was"),
                    f"Field {name!r} was {item.was!r}, which is still a field.",
                    "Remove that one, or was.",
                )


def _cross_check(
    collections: dict[str, Collection], readers: Mapping[str, _CollectionReader]
) -> dict[str, Collection]:
    """References: that they lead somewhere, with the type of the key they hold filled in."""
    settled, traded = {}, circled({name: one.was for name, one in collections.items()})
    for name, collection in collections.items():
        notes, fields = readers[name].notes, dict(collection.fields)
        for item in collection.fields.values():
            if item.references is not None:
                fields[item.name] = _reference(item, collections, readers, notes)
        if collection.was in readers and name not in traded:
            what = f"Collection {name!r} was {collection.was!r}, which is still a collection."
            notes.add(("was",), what, "Remove that one, or was.")
        settled[name] = replace(collection, fields=fields)
    return settled


def _reference(
    item: Field,
    collections: Mapping[str, Collection],
    readers: Mapping[str, _CollectionReader],
    notes: Notes,
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


def _with_rules(
    collections: Mapping[str, Collection], readers: Mapping[str, _CollectionReader], roles: Sequence[str]
) -> dict[str, Collection]:
    """The collections with who may do what, and what must hold, read by the fields that are there."""
    catalog, settled = catalog_of(collections.values()), {}
    for name in collections:
        unknown = {field: FieldType(DYN) for field in readers[name].broken}
        catalog = {**catalog, name: {**catalog[name], **unknown}}
    for name, one in collections.items():
        reader = RuleReader(readers[name].notes, one, roles, catalog)
        fields = {
            field: reader.moving(replace(item, access=reader.field_access(item)))
            if item.access or item.fill or item.values
            else item
            for field, item in one.fields.items()
        }
        fields = DerivedReader(readers[name].notes, one, collections, catalog).read(fields)
        effects = EffectReader(readers[name].notes, replace(one, fields=fields), collections, catalog)
        fields = effects.initial(fields)
        access, checks = reader.access(readers[name].access), reader.checks(readers[name].checks)
        found = effects.effects(readers[name].effects)
        settled[name] = replace(one, fields=fields, access=access, checks=checks, effects=found)
    for name, one in settled.items():
        passes = PassReader(readers[name].notes, one, settled, catalog).read(readers[name].passes)
        settled[name] = replace(one, passes=passes)
        refuse_unknown_passes(readers[name].notes, settled[name])
    refuse_circles_beyond(settled, {name: readers[name].notes for name in settled})
    return settled


def read_definitions(
    sources: Mapping[str, Source],
    roles: Sequence[str] = (),
    functions: Functions | None = None,
    *,
    kept: bool = False,
) -> Definitions:
    """The definitions in these sources, by collection name; they call these functions of the project's own.

    Those that are `kept` may call others too: nothing is worked out by one that is not at hand. Raises
    `DefinitionMistakes` with every mistake of every source.
    """
    for reserved in (OWNER, EVERYONE):
        if reserved in roles:
            what = f"roles holds {reserved!r}, which access lists take for a word of their own."
            raise DefinitionMistakes([Mistake("fenland.toml", 1, "/roles", what, "Name the role otherwise.")])
    readers = {
        name: _CollectionReader(Notes(source, functions, kept=kept), name) for name, source in sources.items()
    }
    found = {name: reader.read() for name, reader in readers.items()}
    collections = {name: one for name, one in found.items() if one is not None}
    settled = _with_rules(_cross_check(collections, readers), readers, roles)
    settled = dict(sorted(settled.items(), key=lambda one: (one[1].order, one[0])))
    mistakes = [mistake for reader in readers.values() for mistake in reader.notes.mistakes]
    if functions and not kept and not mistakes:
        mistakes += refuse_uncalled(functions, settled)
    if mistakes:
        raise DefinitionMistakes(mistakes)
    data = {"collections": {name: source.data for name, source in sources.items()}, "roles": list(roles)}
    return Definitions(collections=settled, roles=tuple(roles), data=data)


def definitions_from(
    data: Mapping[str, Any],
    roles: Sequence[str] = (),
    functions: Functions | None = None,
    *,
    kept: bool = False,
) -> Definitions:
    """Definitions built in Python: the same data that the YAML files hold, by collection name."""
    sources = {name: Source(name, one) for name, one in data.items()}
    return read_definitions(sources, roles, functions, kept=kept)
