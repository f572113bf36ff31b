"""Definitions: what is read, and that every mistake is told at once with its line and a remedy."""

from __future__ import annotations

import json
import random
from decimal import Decimal
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from fenland.core.definitions.constraints import CONSTRAINTS
from fenland.core.definitions.effects import EFFECT_WORDS
from fenland.core.definitions.field_reading import Source
from fenland.core.definitions.keywords import COLLECTION_KEYWORDS, KEYWORDS
from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.passes import TEMPLATE_KEYWORDS
from fenland.core.definitions.reading import definitions_from, read_definitions
from fenland.core.definitions.rule_reading import CHECK_WORDS
from fenland.core.definitions.schema import ABOUT, definition_schema
from fenland.demo import sample as sample_module
from fenland.service.project import load_project, read_source
from fenland.service.settings import SettingsRefused, read_settings
from support import NIGHTLY

SAMPLE = Path(sample_module.__file__).parent / "project" / "collections"
FIELD = "fields:\n  name:\n    type: string\n"

#: YAML, then for each mistake: its line, words of what is wrong, and words of the hint.
MISTAKES = [
    ("fields:\n  name: {type: strng}\n", [(2, "'strng'", "Did you mean 'string'?")]),
    ("fields:\n  name: {type: string, requird: true}\n", [(2, "'requird'", "'required'")]),
    ("fields:\n  name: {title: Name}\n", [(2, "no type", "Add type:")]),
    ("fields:\n  name:\n    type: string\n    minLength: -1\n", [(4, "minLength is -1", "from 0")]),
    ("fields:\n  name:\n    type: integer\n    pattern: x\n", [(4, "pattern says nothing", "string")]),
    (FIELD + "    pattern: '['\n", [(4, "cannot be read", "Correct")]),
    (FIELD + "    minLength: 5\n    maxLength: 2\n", [(5, "maxLength 2 is below", "No value")]),
    (FIELD + "    enum: [a, 1]\n", [(4, "1 under enum", "Must be a string")]),
    (FIELD + "    maxLength: 2\n    default: long\n", [(5, "'long' under default", "at most 2")]),
    (FIELD + "    format: day\n", [(4, "format is 'day'", "date")]),
    ("fields:\n  id: {type: string}\n", [(2, "kept by the service", "another name")]),
    ("fields:\n  Größe: {type: string}\n", [(2, "cannot be called", "lower-case")]),
    ("key: nam\n" + FIELD, [(1, "'nam', which is no field", "Did you mean 'name'?")]),
    ("key: name\n" + FIELD, [(3, "is the key", "fixed: true")]),
    (
        "key: code\nfields:\n  code: {type: string, required: true, unique: true, fixed: true, sensitive: true}\n",
        [(3, "The key 'code' is sensitive", "Remove sensitive")],
    ),
    (
        "owner: name\n" + FIELD + "    sensitive: true\n",
        [(5, "owner field 'name' is sensitive", "another field")],
    ),
    ("owner: name\nfields:\n  name: {type: integer}\n", [(3, "owner field", "type: string")]),
    ("label: nam\n" + FIELD, [(1, "label names 'nam', which is no field", "Did you mean 'name'?")]),
    ("label: id\n" + FIELD, [(1, "label names 'id', which is no field", "")]),
    ("label: a\nfields:\n  a: {type: array, items: {type: string}}\n", [(1, "'a' is an array", "one value")]),
    ("label: name\n" + FIELD + "    writeOnly: true\n", [(1, "'name', which is never shown", "another")]),
    ("columns: name\n" + FIELD, [(1, "columns is 'name'", "a list of names of fields")]),
    (
        "columns:\n  - name\n  - nam\n  - 3\n  - version\n  - name\n" + FIELD,
        [
            (3, "'nam', which is no field", "'name'"),
            (4, "A column is 3", ""),
            (6, "'name' is there twice", ""),
        ],
    ),
    ("columns:\n  - name\n" + FIELD + "    writeOnly: true\n", [(2, "'name', which is never shown", "")]),
    ("access: {update: [ofice]}\n" + FIELD, [(1, "'ofice', which is no role", "'office'")]),
    ("access: {change: [office]}\n" + FIELD, [(1, "no keyword 'change'", "Known here: create")]),
    ("access: {update: [owner]}\n" + FIELD, [(1, "names the owner", "Add owner:")]),
    ("access: {update: office}\n" + FIELD, [(1, "update is 'office'", "Write a list")]),
    ("fields:\n  to: {references: thngs}\n", [(2, "'thngs', which is no collection", "'things'")]),
    (
        "fields:\n  to: {references: things, on_delete: clear, required: true}\n",
        [(2, "cannot be cleared", "restrict or cascade")],
    ),
    ("title: A\ntitle: B\n" + FIELD, [(2, "stands twice", "Keep one")]),
    ("fields: [\n", [(2, "not YAML", "")]),
    ("", [(1, "no mapping", "Begin with")]),
    ("title: A\n", [(1, "has no fields", "Add fields:")]),
    ("fields:\n  a: {type: object, required: [b], properties: {c: {type: string}}}\n", [(2, "'b'", "c")]),
    (
        "tilte: Things\nfields:\n  a: {type: strin}\n  b:\n    type: integer\n    minimum: high\n",
        [(1, "'tilte'", "'title'"), (3, "'strin'", "'string'"), (6, "'high'", "a number")],
    ),
]


#: A rule, and where it goes wrong: line, column, and words of what.
RULE_MISTAKES: list[tuple[str, int, int | None, str]] = [
    ("access: {read: record.nmae == actor.name}\n", 1, 23, "Did you mean 'name'?"),
    ("access:\n  read: 'record.count > \"x\"'\n", 2, 23, "no order between int and string"),
    ("access:\n  update: {roles: [office], if: record.count}\n", 2, 33, "must be true or false"),
    ("access:\n  update: |\n    true &&\n    record.cuont > 1\n", 4, 8, "Did you mean 'count'?"),
    ("access: {create: record.count > 1}\n", 1, 18, "not there before it is created"),
    ("access: {delete: next.count > 1}\n", 1, 18, "no name 'next'"),
    ("access: {read: record.to.to.to.to.name == 'x'}\n", 1, 35, "At most 3 references"),
    ("access: {read: 'actor.rolse == []'}\n", 1, 23, "Did you mean 'roles'?"),
    ("access: {read: record.count >}\n", 1, 30, "Expected a value"),
    ("access:\n  read: record.tags.exists(record, record == 'x')\n", 2, 21, "Give the items another name"),
    ("access: {read: record == record}\n", 1, 16, "is a whole record"),
    ("access: {read: {if: [x]}}\n", 1, None, "if is"),
    ("access: {read: {when: 'true'}}\n", 1, None, "no keyword 'when'"),
    ("checks: [{rule: next.count > 0}]\n", 1, None, "no message"),
    ("checks: [{message: Count.}]\n", 1, None, "nothing that must hold"),
    ("checks: [{rule: record.count > 0, message: Count.}]\n", 1, 17, "no name 'record'"),
    ("checks: [{rule: next.count > 0, message: Count., fields: [cuont]}]\n", 1, None, "which is no field"),
    ("checks: [{rule: next.count > 0, message: Count., code: No!}]\n", 1, None, "code is"),
]
_THINGS = (
    "key: code\nfields:\n  code: {type: string, required: true, unique: true, fixed: true}\n  name: {type: string}\n"
    "  count: {type: integer}\n  tags: {type: array, items: {type: string}}\n  to: {references: things}\n"
)


@pytest.mark.parametrize(("rule", "line", "column", "words"), RULE_MISTAKES)
def test_every_mistake_of_a_rule_has_its_line_and_column(
    tmp_path: Path, rule: str, line: int, column: int | None, words: str
) -> None:
    path = tmp_path / "things.yaml"
    path.write_text(rule + _THINGS, encoding="utf-8")
    with pytest.raises(DefinitionMistakes) as caught:
        read_definitions({"things": read_source(path, "things.yaml")}, ["office"])
    (found,) = caught.value.mistakes
    assert (found.line, found.column) == (line, column), found
    assert words in f"{found.what} {found.hint}"
    if column is not None:
        # The caret stands under the place, in the expression's own line.
        shown, caret = found.caret.split("\n")
        source = (rule + _THINGS).splitlines()[line - 1]
        assert shown in source or "|" in rule
        assert len(caret) <= len(shown) + 1


def test_a_field_that_stands_in_addresses_is_kept_from_no_reader(tmp_path: Path) -> None:
    path = tmp_path / "things.yaml"
    path.write_text(_THINGS.replace("fixed: true", "fixed: true, access: {read: [office]}"), encoding="utf-8")
    with pytest.raises(DefinitionMistakes, match="cannot be kept from readers"):
        read_definitions({"things": read_source(path, "things.yaml")}, ["office"])


@pytest.mark.parametrize(("text", "expected"), MISTAKES)
def test_every_mistake_has_its_line_and_a_hint(tmp_path: Path, text: str, expected: list) -> None:
    path = tmp_path / "things.yaml"
    path.write_text(text, encoding="utf-8")
    with pytest.raises(DefinitionMistakes) as caught:
        read_definitions({"things": read_source(path, "things.yaml")}, ["office"])
    told = [(one.line, one.what, one.hint) for one in caught.value.mistakes]
    assert len(told) == len(expected), told
    for (line, what, hint), (found_line, found_what, found_hint) in zip(expected, told, strict=True):
        assert found_line == line
        assert what in found_what
        assert hint in found_hint


def test_yaml_means_what_it_shows(tmp_path: Path) -> None:
    path = tmp_path / "things.yaml"
    path.write_text(
        "fields:\n  a: {type: string, enum: [no, on, 2031-04-09, '1']}\n  b: {type: number, multipleOf: 0.01}\n"
    )
    things = read_definitions({"things": read_source(path, "things.yaml")}).collections["things"]
    assert things.fields["a"].enum == ("no", "on", "2031-04-09", "1")
    assert things.fields["b"].constraints["multipleOf"] == Decimal("0.01")
    assert things.fields["b"].scale == 2


def test_every_keyword_of_the_sample_is_known_and_the_sample_is_whole() -> None:
    project = load_project(Path(sample_module.__file__).parent / "project")
    assert set(project.definitions.collections) == {
        "stations", "inspections", "tickets", "landholders", "watercourses", "duties", "duty_templates", "pictures",
        "views",
    }  # fmt: skip
    assert {"blank", "sensitive", "derived", "fixed", "on_delete", "writeOnly"} <= set(KEYWORDS)


def test_a_reference_takes_the_type_of_the_key_it_holds() -> None:
    key = {"type": "integer", "required": True, "unique": True, "fixed": True}
    found = definitions_from(
        {"a": {"key": "n", "fields": {"n": key}}, "b": {"fields": {"to": {"references": "a"}}}}
    )
    assert found.collections["b"].fields["to"].type == "integer"
    with pytest.raises(DefinitionMistakes, match="keys of a are integers"):
        definitions_from(
            {
                "a": {"key": "n", "fields": {"n": key}},
                "b": {"fields": {"to": {"references": "a", "type": "string"}}},
            }
        )


_VALUES: list[Any] = [
    "", "name", "string", "date", "whole", "keep", "required", "now", True, False, 0, 3, -1, [], ["name"], [3], {}, {"a": "b"},
    {"read": ["office"]}, {"read": "true"}, {"read": 3}, {"name": {"type": "string"}}, {"type": "string"}, None,
]  # fmt: skip
_WORDS = [
    *(("collection", word) for word in COLLECTION_KEYWORDS),
    *(("field", word) for word in KEYWORDS),
    *(("items", word) for word in KEYWORDS),
    *((place, "no_such_word") for place in ("collection", "field", "items")),
]


@pytest.mark.parametrize(("place", "word"), _WORDS)
def test_what_editors_are_told_of_definitions_is_what_the_reader_says(place: str, word: str) -> None:
    """What the schema refuses, the reader refuses too; and whatever does not look as it must, both do."""
    judge = jsonschema.Draft202012Validator(definition_schema())
    for value in _VALUES:
        for kind in ("string", "integer", "array", "object"):
            field: dict[str, Any] = {"type": kind}
            if kind == "array":
                field["items"] = {"type": "string"}
            data: dict[str, Any] = {"fields": {"name": field}}
            if place == "items":
                field |= {
                    "type": "array",
                    "items": {"type": kind, "items": {"type": "string"}}
                    if kind == "array"
                    else {"type": kind},
                }
            {"collection": data, "field": field, "items": field.get("items", {})}[place][word] = value
            try:
                definitions_from({"things": data}, ["office"])
                told = []
            except DefinitionMistakes as error:
                told = error.mistakes
            fits = judge.is_valid(data)
            assert fits or told, (place, word, value, next(judge.iter_errors(data)).message)
            # A list of properties is another matter, and so is what `derived` gathers.
            unfit = any(one.hint.startswith("It must be") and word != "required" for one in told)
            assert not (fits and unfit), (place, word, value, told)
            assert not (fits and word == "no_such_word")


@pytest.mark.parametrize("seed", range(20 if NIGHTLY else 4))
def test_whatever_stands_in_a_definition_is_read_or_told(seed: int) -> None:
    """Words that know nothing of each other, with values of any kind: none of it ends in anything but mistakes."""
    dice = random.Random(seed)
    effects = [{}, {word: dice.choice(_VALUES) for word in dice.sample(EFFECT_WORDS, 4)}]
    checks = [{word: dice.choice(_VALUES) for word in CHECK_WORDS}]
    passes = {"own": {word: dice.choice(_VALUES) for word in dice.sample(list(TEMPLATE_KEYWORDS), 6)}}
    judge, read, refused = jsonschema.Draft202012Validator(definition_schema()), 0, 0
    for _ in range(400):
        field = {word: dice.choice(_VALUES) for word in dice.sample(list(KEYWORDS), dice.randint(0, 5))}
        data: dict[str, Any] = {"fields": {"name": {"type": "string"}, "other": {"type": "string", **field}}}
        more = [*_VALUES, effects, checks, passes]
        data |= {
            word: dice.choice(more) for word in dice.sample(list(COLLECTION_KEYWORDS), dice.randint(0, 4))
        }
        try:
            definitions_from({"things": data}, ["office"])
            read += 1
        except DefinitionMistakes as error:
            refused += len(error.mistakes) > 0
            continue
        assert judge.is_valid(data), (data, next(judge.iter_errors(data)).message)
    assert read and refused


def test_every_definition_that_is_there_fits_what_editors_are_told() -> None:
    judge = jsonschema.Draft202012Validator(definition_schema())
    judge.check_schema(definition_schema())
    assert ABOUT.keys() >= {*COLLECTION_KEYWORDS, *KEYWORDS} - {*CONSTRAINTS}
    files = [*SAMPLE.glob("*.yaml"), *(Path(__file__).parent / "layouts").glob("*.yaml")]
    assert len(files) > 8
    for file in files:
        data = json.loads(json.dumps(read_source(file, file.name).data, default=float))
        assert [one.message for one in judge.iter_errors(data)] == [], file


_NAMED: list[tuple[dict[str, Any], str, tuple[str, ...]]] = [
    ({}, "name", ("code", "name", "count", "to")),
    ({"label": "count"}, "count", ("code", "count", "name", "to")),
    ({"columns": ["tags", "updated_by", "name"]}, "name", ("tags", "updated_by", "name")),
]


@pytest.mark.parametrize(("said", "naming", "listed"), _NAMED)
def test_what_names_a_record_and_what_lists_show_first(
    said: dict[str, Any], naming: str, listed: tuple[str, ...]
) -> None:
    text = {"type": "string", "search": True}
    fields = {
        "code": {**text, "required": True, "unique": True, "fixed": True},
        # Long texts name nothing by themselves, and stand in no column unasked.
        "remark": {**text, "maxLength": 1000},
        "name": {**text, "maxLength": 150},
        "count": {"type": "integer"},
        "tags": {"type": "array", "items": {"type": "string"}},
        "to": {"references": "things"},
    }
    found = definitions_from({"things": {"key": "code", "fields": fields, **said}}).collections["things"]
    assert (found.naming, found.listed) == (naming, listed)


def test_mistakes_of_all_files_come_together() -> None:
    sources = {name: Source(name, {"fields": {"x": {"type": "nope"}}}) for name in ("a", "b")}
    with pytest.raises(DefinitionMistakes) as caught:
        read_definitions(sources)
    assert [one.file for one in caught.value.mistakes] == ["a", "b"]


def test_settings_name_the_mistake_and_the_environment_wins(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with pytest.raises(SettingsRefused, match=r"no fenland\.toml"):
        read_settings(tmp_path)
    path = tmp_path / "fenland.toml"
    path.write_text("prot = 1\n")
    with pytest.raises(SettingsRefused, match="Did you mean 'port'"):
        read_settings(tmp_path)
    path.write_text("port = 99999\n")
    with pytest.raises(SettingsRefused, match="port is 99999"):
        read_settings(tmp_path)
    path.write_text("port = 9000\nworkers = 2\n")
    monkeypatch.setenv("FENLAND_PORT", "9001")
    settings = read_settings(tmp_path)
    assert (settings.port, settings.workers) == (9001, 2)
    assert settings.database == tmp_path / "fenland.db"
