"""Reading one field of a definition; `reading.py` does collections and what stands between them."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from fenland.core.definitions.constraints import CONSTRAINTS
from fenland.core.definitions.keywords import FORMATS, KEYWORDS, TYPES, Keyword
from fenland.core.definitions.model import Field, Mistake, Series
from fenland.core.definitions.own import Functions
from fenland.core.definitions.validation import compile_field
from fenland.core.expressions import ExpressionMistake
from fenland.core.names import did_you_mean, nearest
from fenland.core.problems import Problem, pointer_to
from fenland.core.values.plain import MISSING, as_written, same

#: A text that numbers can go on from.
_ENDS_IN_DIGITS = re.compile(r"(?P<prefix>(?:.*[^0-9])?)(?P<digits>[0-9]{1,15})", re.ASCII | re.DOTALL)
#: How a default may be worked out for each new record, each with the words beside.
_DEFAULTS: Mapping[str, Sequence[str]] = {"expression": (), "series": ("gaps",), "pick": ("of", "where")}
#: What the field inside a list is called.
_ITEM = "item"
#: Formats whose values are kept in one spelling, whichever was sent.
_NORMALIZED = ("date-time", "uuid")

Path = tuple[str | int, ...]


@dataclass(frozen=True, slots=True)
class Source:
    """One file's content: its name for messages, plain data, and the line of each path in it."""

    file: str
    data: Any
    lines: Mapping[Path, int] = field(default_factory=dict)
    #: Of texts, the line and the column where their first character stands; 0 for a column nobody can tell.
    texts: Mapping[Path, tuple[int, int]] = field(default_factory=dict)

    def line(self, path: Path) -> int:
        """The line of a path, or of the nearest place above it that has one."""
        while path not in self.lines and path:
            path = path[:-1]
        return self.lines.get(path, 1)


class Notes:
    """Gathers mistakes of one source."""

    def __init__(self, source: Source, functions: Functions | None = None, *, kept: bool = False) -> None:
        self.source = source
        #: What definitions may call; of definitions that are `kept`, as far as it is at hand.
        self.functions, self.kept = functions, kept
        self.mistakes: list[Mistake] = []

    def add(self, path: Path, what: str, hint: str) -> None:
        """Notes a mistake at a path: what is wrong, and what to do."""
        source = self.source
        self.mistakes.append(Mistake(source.file, source.line(path), pointer_to(*path), what, hint))

    def add_expression(self, path: Path, found: ExpressionMistake) -> None:
        """Notes what is wrong with an expression, at its own place in the text at a path."""
        source = self.source
        line, column = source.texts.get(path, (source.line(path), 0))
        within = found.line > 1 or not column
        self.mistakes.append(
            Mistake(
                source.file,
                line + found.line - 1,
                pointer_to(*path),
                f"{'.'.join(map(str, path))}: {found.what}",
                "",
                found.column if within else column + found.column - 1,
                found.caret,
            )
        )


def known_keywords(
    data: Mapping[str, Any], path: Path, known: Mapping[str, Any], notes: Notes, place: str
) -> Iterator[tuple[str, Any]]:
    """The members whose names are keywords; the others are noted as mistakes."""
    for name, value in data.items():
        if name in known:
            yield name, value
        else:
            notes.add((*path, name), f"{place} has no keyword {name!r}.", did_you_mean(name, known))


def _one_of(types: Sequence[str]) -> str:
    return f"type: {types[0]}" if len(types) == 1 else f"one of the types {', '.join(types)}"


class FieldReader:
    """Reads one field, or one property or item inside it."""

    def __init__(self, notes: Notes, path: Path, name: str, *, outermost: bool) -> None:
        self.notes = notes
        self.path = path
        self.place = f"Field {name!r}"
        self.name = name
        self.outermost = outermost

    def note(self, keyword: str, what: str, hint: str) -> None:
        """Notes a mistake at one of the field's keywords."""
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
        given = {name: values.pop(name) for name in CONSTRAINTS if name in values}
        # `uniqueItems: false` asks for nothing.
        constraints = {name: value for name, value in given.items() if value is not False}
        item = Field(name=self.name, **{"type": kind, "constraints": constraints, **values})
        self._lengths(item, data)
        self._together(item, data)
        item = self._values_fit(item, data)
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
        for word, value in known_keywords(data, self.path, KEYWORDS, self.notes, self.place):
            keyword = KEYWORDS[word]
            if word == "required":
                yield "required", self._required(value, data)
                continue
            if not keyword.shape.accepts(value):
                self._unfit(word, value, keyword)
            elif typed and kind not in keyword.types:
                self.note(
                    word,
                    f"{self.place} is of type {kind}, which {word} says nothing about.",
                    f"Remove it, or use {_one_of(keyword.types)}.",
                )
            elif keyword.outermost and not self.outermost:
                self.note(word, f"{word} belongs to a field, not inside one.", "Move or remove it.")
            elif word == "default" and kind != "object" and isinstance(value, dict):
                yield self._worked_out(value, kind, data)
            elif word == "properties":
                yield word, self._properties(value, data.get("required"))
            elif word == "items":
                yield word, self._inner(_ITEM, value, ("items",))
            else:
                yield word if word in CONSTRAINTS else keyword.attribute, self._settled(word, value, keyword)
        if "nullable" not in data:
            # A list holds nothing but items, unless it says so.
            yield "nullable", self.name != _ITEM and data.get("required") is not True

    def _worked_out(self, given: dict[str, Any], kind: str, data: Mapping[str, Any]) -> tuple[str, Any]:
        """How a default is worked out for each new record; of an object a mapping could be a value."""
        path: Path = (*self.path, "default")
        form = next((one for one in _DEFAULTS if one in given), None)
        if form is None:
            hint = f"Write a value, or one of {', '.join(_DEFAULTS)}."
            self.notes.add(path, f"{self.place}: default is {as_written(given)}.", hint)
            return "initial", None
        known = dict.fromkeys((form, *_DEFAULTS[form]))
        values = dict(known_keywords(given, path, known, self.notes, f"A default with {form}"))
        if form == "series":
            return "series", self._series(values, kind, data)
        return "initial", self._initial(values["expression"]) if form == "expression" else values

    def _initial(self, text: Any) -> Any:
        """What gives new records their values; it is read once the fields of all collections are known."""
        if not isinstance(text, str):
            what = f"{self.place}: expression is {as_written(text)}."
            self.notes.add((*self.path, "default", "expression"), what, "Write an expression, as a text.")
        return text

    def _series(self, given: Mapping[str, Any], kind: str, data: Mapping[str, Any]) -> Series | None:
        """Numbers for new records, by the first of them."""
        path: Path = (*self.path, "default", "series")
        first, gaps = given["series"], given.get("gaps", False)
        if not isinstance(gaps, bool):
            what = f"{self.place}: gaps is {as_written(gaps)}."
            self.notes.add((*path[:-1], "gaps"), what, "It must be true or false.")
        if data.get("unique") is not True:
            self.notes.add(path, f"{self.place} has a series, and is not unique.", "Add unique: true.")
        if kind == "integer" and isinstance(first, int) and not isinstance(first, bool) and first >= 0:
            return Series(first, gaps=gaps)
        found = _ENDS_IN_DIGITS.fullmatch(first) if kind == "string" and isinstance(first, str) else None
        if found is None:
            what = f"{self.place}: series is {as_written(first)}."
            hint = "Write the first number: 1 for whole numbers, or a text that ends in digits, as T-0001."
            self.notes.add(path, what, hint)
            return None
        return Series(int(found["digits"]), found["prefix"], len(found["digits"]), gaps)

    def _unfit(self, word: str, value: Any, keyword: Keyword) -> None:
        hint = f"It must be {keyword.shape.looks}."
        if word in ("type", "format") and isinstance(value, str):
            close = nearest(value, TYPES if word == "type" else FORMATS)
            hint = f"Did you mean {close!r}? {hint}" if close else hint
        self.note(word, f"{self.place}: {word} is {as_written(value)}.", hint)

    def _settled(self, word: str, value: Any, keyword: Keyword) -> Any:
        try:
            return keyword.settle(value)
        except ValueError as error:
            self.note(word, f"{self.place}: {word} cannot be read: {error}.", "Correct it.")
        return value

    def _inner(self, name: str, data: Any, steps: Path) -> Field | None:
        reader = FieldReader(self.notes, (*self.path, *steps), name, outermost=False)
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
            f"{self.place}: required is {as_written(value)}.",
            "It must be true or false; for an object also a list of its properties.",
        )
        return False

    def _bounds(self, data: Mapping[str, Any]) -> None:
        for low, row in CONSTRAINTS.items():
            for high in row.at_most:
                lower: Any = data.get(low)
                upper: Any = data.get(high)
                if row.shape.accepts(lower) and row.shape.accepts(upper) and lower > upper:
                    self.note(
                        high,
                        f"{self.place}: {high} {upper} is below {low} {lower}.",
                        "No value could pass. Swap or correct them.",
                    )

    def _together(self, item: Field, data: Mapping[str, Any]) -> None:
        """Keywords that contradict each other."""
        if item.write_only:
            # Whoever searches, finds by or collides with a value learns it.
            for word, there in (
                ("search", item.search),
                ("unique", item.unique),
                ("readOnly", item.read_only),
            ):
                if there:
                    self.note(
                        word,
                        f"{self.place} is writeOnly, so nobody may read it, and {word} would show it.",
                        f"Remove writeOnly or {word}.",
                    )
        if item.read_only and item.required and item.default is MISSING and not item.begins:
            self.note(
                "readOnly",
                f"{self.place} is required, and nobody can set it, so no record could be created.",
                "Give it a default, or remove readOnly or required.",
            )
        if "on_delete" in data and item.references is None:
            self.note("on_delete", f"{self.place} refers to nothing.", "Remove on_delete, or add references.")

    def _lengths(self, item: Field, data: Mapping[str, Any]) -> None:
        if item.format in _NORMALIZED:
            for word in (word for word in ("minLength", "maxLength", "pattern") if word in data):
                self.note(
                    word,
                    f"{self.place} holds a {item.format}, whose spelling is settled, so {word} has no say.",
                    f"Remove {word}, or the format.",
                )

    def _values_fit(self, item: Field, data: Mapping[str, Any]) -> Field:
        """Sees that default, examples and enum members are valid values of the field.

        Returns the field with its enum in the form in which values are kept, and so compared.
        """
        if item.enum is not None:
            members: list[Any] = []
            check = compile_field(_constrained(item, enum=None))
            for number, value in enumerate(item.enum):
                kept = self._fits(check, value, ("enum", number), "enum")
                if any(same(kept, one) for one in members):
                    self.note(
                        "enum", f"{self.place}: enum holds {as_written(value)} twice.", "Keep one of them."
                    )
                members.append(kept)
            item = _constrained(item, enum=tuple(members))
        whole = compile_field(item)
        if item.series is not None:
            self._fits(whole, item.series.value(item.series.first), ("default", "series"), "series")
        for number, value in enumerate(item.examples):
            self._fits(whole, value, ("examples", number), "examples")
        given = "default" in data and not item.begins
        if given and not (item.default is None and item.nullable):
            self._fits(whole, item.default, ("default",), "default")
        if isinstance(item.values, dict):
            settled = {
                old: None
                if new is None and item.nullable
                else self._fits(whole, new, ("values", old), "values")
                for old, new in item.values.items()
            }
            item = replace(item, values=settled)
        return item

    def _fits(self, check: Any, value: Any, steps: Path, word: str) -> Any:
        problems: list[Problem] = []
        kept = check(value, "", problems)
        for problem in problems:
            self.notes.add(
                (*self.path, *steps),
                f"{self.place}: {as_written(value)} under {word} breaks the field's own rules.",
                problem.detail,
            )
        return kept


def _constrained(item: Field, *, enum: tuple[Any, ...] | None) -> Field:
    """The field with other values allowed; with None, with any."""
    others = {name: value for name, value in item.constraints.items() if name != "enum"}
    return replace(item, constraints=others if enum is None else {**others, "enum": enum})
