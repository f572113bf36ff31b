"""Templates of passes: how `passes` of a definition is read.

A template says what those may see and propose who hold a pass made of it. What its maker could not mean is
a mistake here: a field that is never shown among those that are, one that nobody sets among those to be
changed. What a pass lends besides is a matter of who made it (`service/passes/`).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

from fenland.core.definitions.catalog import rule_names
from fenland.core.definitions.field_reading import Notes, Path, known_keywords
from fenland.core.definitions.formulas import FormulaReader
from fenland.core.definitions.model import (
    BY_REVIEW,
    Applying,
    Collection,
    Field,
    Formula,
    PassCreation,
    PassTemplate,
)
from fenland.core.definitions.shapes import FLAG, LIST, LIST_OR_MAPPING, MAPPING, TEXT, Shape, up_to
from fenland.core.expressions.checking import Checked
from fenland.core.expressions.types import Catalog, record_of
from fenland.core.names import NAME, did_you_mean
from fenland.core.values.plain import MISSING, as_written, write_json

#: For how many days a pass can be good, and how often it can be used.
_MOST_DAYS, _MOST_USES = 3_650, 1_000_000
#: How the keywords of a template look.
TEMPLATE_KEYWORDS: Mapping[str, Shape] = {
    "title": TEXT,
    "introduction": TEXT,
    "thanks": TEXT,
    "where": TEXT.said("a condition over record"),
    "shows": LIST.said("a list of fields"),
    "changes": LIST_OR_MAPPING.said("a list of fields, or a mapping of them"),
    "choices": MAPPING.said("a mapping of references to conditions over each"),
    "creates": MAPPING.said("a mapping with collection: and fields:"),
    "confirms": FLAG,
    "deletes": FLAG,
    "lists": FLAG,
    "sort": TEXT.said("fields with commas between, - before one for the other way round"),
    "days": up_to(_MOST_DAYS).said(f"a number of days up to {_MOST_DAYS}"),
    "uses": up_to(_MOST_USES).said("a whole number from 1"),
    "answer": TEXT.said("the name of a field, or field.property"),
    "tells_reasons": FLAG,
}
_APPLIED = "Write review, at once, or if: with a condition over record and next."
#: Words that go with one record, and not with a list of them.
_OF_ONE = ("answer",)


class PassReader:
    """Reads the templates of one collection, once the fields of all are known."""

    def __init__(
        self, notes: Notes, collection: Collection, collections: Mapping[str, Collection], catalog: Catalog
    ) -> None:
        self._notes, self._collection, self._collections = notes, collection, collections
        self._catalog = catalog
        own = rule_names(catalog, collection.name, ("record",))
        self._stored = FormulaReader(notes, collections, own)
        both = rule_names(catalog, collection.name, ("record", "next"))
        self._changed = FormulaReader(notes, collections, both)

    def read(self, data: Mapping[str, Any]) -> dict[str, PassTemplate]:
        """The templates, by name."""
        found = {}
        for name, given in data.items():
            path: Path = ("passes", name)
            if not isinstance(name, str) or not NAME.fullmatch(name):
                hint = "Use lower-case letters, digits and _, beginning with a letter."
                self._notes.add(path, f"A template cannot be called {as_written(name)}.", hint)
            elif not isinstance(given, dict):
                what = f"passes.{name} is {as_written(given)}."
                self._notes.add(path, what, "It must be a mapping with shows:.")
            else:
                before = len(self._notes.mistakes)
                template = self._template(name, given, path)
                if len(self._notes.mistakes) == before:
                    found[name] = template
        return found

    def _template(self, name: str, given: Mapping[str, Any], path: Path) -> PassTemplate:
        values = dict(self._words(name, given, path))
        shows = self._shows(values.get("shows", []), path)
        lists = values.get("lists", False)
        changes = self._changes(values.get("changes", {}), shows, path)
        if not shows:
            self._notes.add(path, f"passes.{name} shows nothing.", "Add shows: with a list of fields.")
        if lists:
            for word in (one for one in _OF_ONE if one in values):
                what = f"A pass that lists is for no one record, so {word} has no say."
                self._notes.add((*path, word), what, f"Remove {word}, or lists.")
        elif "sort" in values:
            self._notes.add((*path, "sort"), "There is no list to sort.", "Add lists: true, or remove sort.")
        return PassTemplate(
            name=name,
            title=values.get("title", self._collection.singular),
            shows=shows,
            changes=changes,
            choices=self._choices(values.get("choices", {}), changes, path),
            introduction=values.get("introduction", ""),
            thanks=values.get("thanks", ""),
            where=self._condition(values.get("where"), (*path, "where")),
            creation=self._creation(values["creates"], (*path, "creates")) if "creates" in values else None,
            confirms=values.get("confirms", False),
            deletes=values.get("deletes", False),
            lists=lists,
            sort=self._sort(values.get("sort", ""), shows, path),
            days=values.get("days", 90),
            uses=values.get("uses", 0),
            answer=self._answer(values.get("answer", ""), path),
            tells_reasons=values.get("tells_reasons", False),
            file=self._notes.source.file,
            line=self._notes.source.line(path),
        )

    def _words(self, name: str, given: Mapping[str, Any], path: Path) -> Iterable[tuple[str, Any]]:
        for word, value in known_keywords(given, path, TEMPLATE_KEYWORDS, self._notes, f"passes.{name}"):
            shape = TEMPLATE_KEYWORDS[word]
            if shape.accepts(value):
                yield word, value
            else:
                what = f"{word} is {as_written(value)}."
                self._notes.add((*path, word), what, f"It must be {shape.looks}.")

    def _condition(self, text: str | None, path: Path) -> Checked | None:
        return None if text is None else self._stored.condition(text, path)

    # --- fields ---------------------------------------------------------------------------------------

    def _named(self, name: Any, path: Path, fields: Mapping[str, Field]) -> Field | None:
        item = fields.get(name) if isinstance(name, str) else None
        if item is None:
            what = f"{'.'.join(map(str, path[2:]))} names {as_written(name)}, which is no field."
            self._notes.add(path, what, did_you_mean(str(name), fields))
        return item

    def _shows(self, given: list[Any], path: Path) -> tuple[str, ...]:
        found: dict[str, None] = {}
        for number, name in enumerate(given):
            place = (*path, "shows", number)
            item = self._named(name, place, self._collection.fields)
            if item is None:
                continue
            if item.write_only or _for_nobody(item):
                why = "writeOnly" if item.write_only else "read by nobody"
                what = f"A pass would show {name!r}, which is {why}."
                self._notes.add(place, what, "Leave it out.")
            found[name] = None
        return tuple(found)

    def _changes(
        self, given: Mapping[str, Any] | list[Any], shows: tuple[str, ...], path: Path
    ) -> dict[str, Applying]:
        found: dict[str, Applying] = {}
        if isinstance(given, Mapping):
            listed: list[tuple[str | int, Any, Any]] = [(name, name, how) for name, how in given.items()]
        else:
            listed = [(number, name, "review") for number, name in enumerate(given)]
        for step, name, how in listed:
            place: Path = (*path, "changes", step)
            item = self._named(name, place, self._collection.fields)
            if item is None:
                continue
            why = self._unchangeable(item, shows)
            if why:
                self._notes.add(place, f"A pass would change {name!r}, {why}.", "Leave it out.")
            found[name] = self._applying(how, place)
        return found

    def _unchangeable(self, item: Field, shows: tuple[str, ...]) -> str:
        """Why nobody can propose another value of a field; nothing where they can."""
        collection = self._collection
        reasons = {
            "which is derived": item.derived is not None,
            "which rules alone set (readOnly)": item.read_only,
            "which is never shown (writeOnly)": item.write_only,
            "which is the key": item.name == collection.key,
            "which is fixed": item.fixed,
            "which says whose the record is": item.name == collection.owner,
            "which its page does not show": item.name not in shows,
        }
        return next((words for words, so in reasons.items() if so), "")

    def _applying(self, given: Any, path: Path, reader: FormulaReader | None = None) -> Applying:
        if given in ("review", "at once"):
            return Applying(at_once=True) if given == "at once" else BY_REVIEW
        if isinstance(given, dict) and given.keys() == {"if"} and isinstance(given["if"], str):
            return Applying(condition=(reader or self._changed).condition(given["if"], (*path, "if")))
        self._notes.add(path, f"{path[-1]} is {as_written(given)}.", _APPLIED)
        return BY_REVIEW

    def _choices(
        self, given: Mapping[str, Any], changes: Mapping[str, Applying], path: Path
    ) -> dict[str, Checked]:
        """Which records each reference can be changed to."""
        found: dict[str, Checked] = {}
        fields = self._collection.fields
        for name in (one for one in changes if fields[one].references is not None and one not in given):
            what = f"{name} is a reference, and nobody can tell which records its page may name."
            hint = f"Add choices: with {name}: and a condition over each, such as true."
            self._notes.add((*path, "changes"), what, hint)
        for name, text in given.items():
            place: Path = (*path, "choices", name)
            item = fields.get(name)
            if name not in changes or item is None or item.references is None:
                what = f"choices names {as_written(name)}, which is no reference among the changes."
                self._notes.add(place, what, "Name a field of changes that refers to records.")
                continue
            names = rule_names(self._catalog, self._collection.name, ("record",))
            names = replace(names, types={**names.types, "each": record_of(str(item.references))})
            reader = FormulaReader(self._notes, self._collections, names)
            text = text if isinstance(text, str) else write_json(text).decode()
            condition = reader.condition(text, place)
            if condition is not None:
                found[name] = condition
        return found

    def _sort(self, text: str, shows: tuple[str, ...], path: Path) -> tuple[str, ...]:
        found = tuple(one.strip() for one in text.split(",") if one.strip())
        for one in found:
            if one.removeprefix("-") not in (*shows, self._collection.key):
                what = f"sort names {one.removeprefix('-')!r}, which the list does not show."
                self._notes.add((*path, "sort"), what, did_you_mean(one.removeprefix("-"), shows))
        return found

    def _answer(self, text: str, path: Path) -> tuple[str, ...]:
        """The way to what holders must know: a field, or a property of one."""
        if not text:
            return ()
        place: Path = (*path, "answer")
        name, *inner = text.split(".")
        item = self._named(name, place, self._collection.fields)
        for one in inner:
            if item is not None:
                item = self._named(one, place, item.properties or {})
        if item is not None and (item.type not in ("string", "integer") or item.write_only):
            what = f"answer names {text!r}, which nobody can write down."
            self._notes.add(place, what, "Name a text or a whole number.")
        return (name, *inner)

    # --- records that holders may have created --------------------------------------------------------

    def _creation(self, given: Mapping[str, Any], path: Path) -> PassCreation | None:
        notes = self._notes
        known = dict.fromkeys(("collection", "fields", "with", "applied", "title"))
        values = dict(known_keywords(given, path, known, notes, "creates"))
        target = self._collections.get(values["collection"]) if _is_name(values.get("collection")) else None
        if target is None:
            what = f"creates names {as_written(values.get('collection'))}, which is no collection."
            hint = did_you_mean(str(values.get("collection")), self._collections)
            notes.add((*path, "collection") if "collection" in values else path, what, hint)
            return None
        fields = values.get("fields")
        if not LIST.accepts(fields) or not fields:
            notes.add(path, "creates leaves its holder nothing to fill.", "Add fields: with a list.")
            fields = []
        settled = self._given(values.get("with", {}), target, (*path, "with"))
        for number, name in enumerate(fields):
            place = (*path, "fields", number)
            item = self._named(name, place, target.fields)
            if item is not None and (why := _unfillable(item, target, settled)):
                notes.add(place, f"A pass would fill {name!r}, {why}.", "Leave it out.")
        self._refuse_missing(target, {*map(str, fields), *settled}, path)
        names = rule_names(self._catalog, target.name, ("next",))
        names = replace(names, types={**names.types, "record": record_of(self._collection.name)})
        reader = FormulaReader(notes, self._collections, names)
        applying = self._applying(values.get("applied", "review"), (*path, "applied"), reader)
        title = values.get("title", target.singular)
        if not TEXT.accepts(title):
            notes.add((*path, "title"), f"title is {as_written(title)}.", "It must be a text.")
        return PassCreation(target.name, tuple(map(str, fields)), settled, applying, str(title))

    def _given(self, given: Any, target: Collection, path: Path) -> dict[str, Formula]:
        """What the new record gets whatever its holder says; a text is an expression over record."""
        if not isinstance(given, dict):
            self._notes.add(
                path, f"with is {as_written(given)}.", "Write fields and expressions over record."
            )
            return {}
        found = {}
        for name, value in given.items():
            place = (*path, name)
            item = self._named(name, place, target.fields)
            if item is None:
                continue
            if item.derived is not None:
                self._notes.add(place, f"with gives {name!r}, which is derived.", "Leave it out.")
            text = value if isinstance(value, str) else write_json(value).decode()
            formula = self._stored.formula(text, item, place, "with")
            if formula is not None:
                found[name] = formula
        return found

    def _refuse_missing(self, target: Collection, there: set[str], path: Path) -> None:
        for item in target.fields.values():
            settled = item.begins or item.derived is not None or item.default is not MISSING
            if item.filled and not settled and item.name not in (*there, target.owner):
                what = f"It creates {target.name} without {item.name}, which is required."
                self._notes.add(path, what, f"Add {item.name} to fields or with, or give it a default.")


def _is_name(value: Any) -> bool:
    return isinstance(value, str)


def _for_nobody(item: Field) -> bool:
    rule = item.access.get("read")
    return rule is not None and rule.condition is None and not rule.grants


def _unfillable(item: Field, target: Collection, settled: Mapping[str, Formula]) -> str:
    """Why nobody can fill a field of a new record; nothing where they can."""
    reasons = {
        "which is derived": item.derived is not None,
        "which rules alone set (readOnly)": item.read_only,
        "which is never shown (writeOnly)": item.write_only,
        "which says whose the record is": item.name == target.owner,
        "which with gives": item.name in settled,
        "which is a reference": item.references is not None,
    }
    return next((words for words, so in reasons.items() if so), "")
