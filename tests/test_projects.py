"""A project's own files: its seeds, what its definitions are described as, and records that break newer rules."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from commands import fenland
from fenland.core.access.policy import Actor, Caller
from fenland.core.changes.patches import MergePatch
from fenland.service.changes.finding import Address
from fenland.service.files.seeding import unguarded
from fenland.service.opening import open_service
from fenland.service.project import load_project
from fenland.service.records.delete import DeleteRequest, delete
from fenland.service.records.update import UpdateRequest, update
from fenland.service.service import Service
from support import FENLAND, workshop_of

TOML = 'roles = ["office"]\ndatabase = "records.db"\n'
AREAS = """\
key: code
access: {read: [office]}
fields:
  code: {type: string, required: true, unique: true, fixed: true}
  title: {type: string, access: {update: [office]}}
  within: {references: areas}
  head: {references: people, on_delete: clear}
"""
PEOPLE = """\
key: number
owner: keeper
if_match: required
access: {read: [owner]}
fields:
  number: {type: integer, required: true, unique: true, fixed: true}
  name: {type: string, required: true, maxLength: 9}
  area: {references: areas, required: true}
  keeper: {type: string, required: true}
checks:
  - {rule: "next.name != 'nobody'", message: Somebody must be named., fields: [name]}
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "collections").mkdir()
    (tmp_path / "seeds").mkdir()
    (tmp_path / "fenland.toml").write_text(TOML)
    (tmp_path / "collections" / "areas.yaml").write_text(AREAS)
    (tmp_path / "collections" / "people.yaml").write_text(PEOPLE)
    return tmp_path


def run(folder: Path, *words: str, code: int = 0) -> str:
    made = fenland(*words, cwd=folder, code=code)
    return made.stdout + made.stderr


def seeded(folder: Path, *words: str, code: int = 0) -> dict[str, Any]:
    made = fenland("seed", "--json", *words, cwd=folder, code=code)
    found: dict[str, Any] = json.loads(made.stdout)
    return found


def counts(found: dict[str, Any]) -> dict[str, tuple[int, int, int, int]]:
    return {
        name: (one["created"], one["updated"], one["unchanged"], len(one["refused"]))
        for name, one in found.items()
    }


def test_seeds_are_applied_in_the_order_that_references_need(folder: Path) -> None:
    # Rows before those they refer to, files in circles, and every kind of file.
    (folder / "seeds" / "areas.yaml").write_text(
        "- {code: A3, within: A2}\n- {code: A2, within: A1}\n- {code: A1, within: A1}\n"
    )
    (folder / "seeds" / "areas-heads.csv").write_text("code,head\nA1,7\n")
    (folder / "seeds" / "people.json").write_text(
        '[{"number": 7, "name": "Ada", "area": "A3", "keeper": "somebody"}]'
    )
    (folder / "seeds" / "people-more.jsonl").write_text('{"number": 8, "name": "Bram", "area": "A1"}\n')
    (folder / "seeds" / "README.md").write_text("not a seed")
    refused = seeded(folder, code=7)
    # An owner must be an account; and where one row is refused, nothing of any file is kept.
    assert "There is no account 'somebody'" in refused["seeds/people.json"]["refused"][0]["detail"]
    assert run(folder, "check", "--records").count("Every record fits") == 1
    run(folder, "account", "add", "somebody")
    made = {
        "seeds/areas-heads.csv": (0, 1, 0, 0),
        "seeds/areas.yaml": (3, 0, 0, 0),
        "seeds/people-more.jsonl": (1, 0, 0, 0),
        "seeds/people.json": (1, 0, 0, 0),
    }
    assert counts(seeded(folder, "--preview")) == made
    assert counts(seeded(folder)) == made
    again = seeded(folder)
    assert {one[:2] for one in counts(again).values()} == {(0, 0)}
    assert not any(one["left"] for one in again.values())
    (folder / "seeds" / "people.json").write_text('[{"number": 7, "name": "Adah", "area": "A3"}]')
    left = seeded(folder)["seeds/people.json"]
    assert (left["updated"], left["left"][0]["key"], "--update" in left["left"][0]["why"]) == (0, 7, True)
    assert counts(seeded(folder, "--update"))["seeds/people.json"] == (0, 1, 0, 0)


def test_what_people_did_since_is_not_undone_by_seeds(folder: Path) -> None:
    (folder / "seeds" / "areas.yaml").write_text("- {code: A1}\n- {code: A2}\n- {code: A3}\n- {code: A4}\n")
    seeded(folder)
    definitions = load_project(folder).definitions
    opened = open_service(definitions, folder / "records.db")
    service = Service(unguarded(definitions), opened.database)
    people = Caller(Actor("ada", roles=frozenset(service.definitions.roles)))
    fields = MergePatch({"title": "Ours"})
    update(service, people, UpdateRequest(Address("areas", "A2"), fields))
    delete(service, people, DeleteRequest(Address("areas", "A3")))
    service.close()
    (folder / "seeds" / "areas.yaml").write_text(
        "".join(f"- {{code: A{n}, title: Seeded}}\n" for n in range(1, 6))
    )
    for words, updated in ((["--update", "--preview"], 2), (["--update"], 2), (["--update"], 0)):
        found = seeded(folder, *words)["seeds/areas.yaml"]
        assert [(one["key"], one["why"]) for one in found["left"]] == [
            ("A2", "changed since"),
            ("A3", "deleted since"),
        ]
        assert found["updated"] == updated
    assert found["created"] == 0
    told = run(folder, "seed", "--update")
    assert "A2 is left: changed since" in told
    # Of a mistake in one file nothing of the others is kept.
    (folder / "seeds" / "people.csv").write_text("number,name\n7,none\n")
    (folder / "seeds" / "areas-more.yaml").write_text("- {code: A9}\n")
    refused = seeded(folder, code=7)
    assert refused["seeds/people.csv"]["refused"]
    assert counts(seeded(folder, "--preview", code=7))["seeds/areas-more.yaml"][0] == 1


WRONG = [
    ("aeras.yaml", "- {code: A1}", "Did you mean 'areas'"),
    ("areas.yaml", "code: A1", "must hold a list"),
    ("areas.yaml", "- [", "not YAML"),
    ("areas.json", "[{]", "not JSON"),
    ("areas.csv", "code;title\nA;b\n", "semicolons"),
    ("areas.yaml", "- {code: A1, tilte: x}", "'tilte'"),
]


@pytest.mark.parametrize(("name", "text", "told"), WRONG)
def test_a_seed_that_cannot_be_read_is_told_and_nothing_is_applied(
    folder: Path, name: str, text: str, told: str
) -> None:
    (folder / "seeds" / name).write_text(text)
    assert told in run(folder, "seed", code=7)


def test_records_that_break_newer_rules_are_listed_and_edited_elsewhere(folder: Path) -> None:
    (folder / "seeds" / "areas.yaml").write_text("- {code: A1}\n")
    (folder / "seeds" / "people.csv").write_text("number,name,area\n7,Ada,A1\n8,Bram,A1\n9,none,A1\n")
    seeded(folder)
    assert "Every record fits" in run(folder, "check", "--records")
    file = folder / "collections" / "people.yaml"
    file.write_text(PEOPLE.replace("maxLength: 9", "maxLength: 3").replace("'nobody'", "'none'"))
    run(folder, "migrate")
    found = json.loads(run(folder, "check", "--records", "--json", code=7))
    assert [(one["key"], [error["code"] for error in one["errors"]]) for one in found] == [
        (8, ["max_length"]),
        (9, ["max_length"]),
    ]


def test_definitions_are_described_in_open_formats(folder: Path) -> None:
    bundle = json.loads(run(folder, "describe"))
    jsonschema.Draft202012Validator.check_schema(bundle)
    people = {"$ref": "#/$defs/people", **bundle}
    record = {"number": 7, "name": "Ada", "area": "A1", "keeper": "ada"}
    told = [
        one.message
        for one in jsonschema.Draft202012Validator(people).iter_errors(record | {"name": "far too long"})
    ]
    assert any("too long" in one for one in told)
    assert json.loads(run(folder, "describe", "--as", "openapi"))["openapi"] == "3.1.0"
    run(folder, "describe", "--as", "mermaid", "--out", "d.mmd")
    lines = (folder / "d.mmd").read_text().splitlines()
    assert lines[0] == "erDiagram"
    assert "    areas ||--o{ people : area" in lines
    assert "    people |o--o{ areas : head" in lines
    assert "        integer number PK" in lines
    assert "nothing is written over" in run(folder, "describe", "--out", "d.mmd", code=2)


def test_mistakes_in_was_and_fill_are_told_where_they_are(folder: Path) -> None:
    file = folder / "collections" / "areas.yaml"
    file.write_text(AREAS + "  label: {type: string, was: title}\n")
    told = run(folder, "check", code=9)
    assert "areas.yaml:8" in told
    assert "'title', which is still a field" in told
    size, far = (
        "  size: {type: integer, fill: record.code}\n",
        "  far: {type: string, fill: record.head.name}\n",
    )
    file.write_text(AREAS + size + far + "was: people\n")
    told = run(folder, "check", code=9)
    assert "areas.yaml:8" in told
    assert "fill gives string, and field 'size' holds int" in told
    assert "areas.yaml:9" in told
    assert "'people', which is still a collection" in told


def test_a_seed_asks_nobody_for_leave_but_keeps_the_rules(folder: Path, tmp_path: Path) -> None:
    # Nobody may create areas by the definitions; who holds the folder brings them along.
    (folder / "seeds" / "areas.yaml").write_text("- {code: A1, title: One}\n")
    seeded(folder)
    described = {
        "areas": {
            "key": "code",
            "access": {"read": ["office"]},
            "fields": {"code": {"type": "string", "required": True, "unique": True, "fixed": True}},
        }
    }
    with workshop_of(described, tmp_path / "other.db") as (_, http):
        assert http.post("/v1/records/areas", json={"code": "A2"}).status_code == 403


def test_editors_are_told_how_definitions_look(tmp_path: Path) -> None:
    folder = tmp_path / "notes"
    fenland("new", str(folder))
    written = json.loads((folder / "collection.schema.json").read_text())
    assert json.loads(fenland("describe", str(folder), "--as", "definitions").stdout) == written
    first = (folder / "collections" / "notes.yaml").read_text().splitlines()[0]
    assert (
        folder / "collections" / first.partition("$schema=")[2]
    ).resolve() == folder / "collection.schema.json"
    with workshop_of({"things": {"fields": {"name": {"type": "string"}}}}, tmp_path / "x.db") as (_, http):
        assert http.get("/v1/definitions.schema.json", headers={"Authorization": ""}).json() == written


def test_a_project_is_checked_again_whenever_a_file_is_saved(tmp_path: Path) -> None:
    folder = tmp_path / "notes"
    fenland("new", str(folder))
    file = folder / "collections" / "notes.yaml"
    right = file.read_text()
    command = [FENLAND, "check", str(folder), "--watch"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True) as running:
        assert running.stdout is not None

        def told(words: str) -> None:
            assert any(words in line for line in iter(running.stdout.readline, "")), words  # type: ignore[union-attr]

        told("No mistakes.")
        file.write_text(right.replace("type: boolean", "type: bolean"))
        told("Did you mean 'boolean'?")
        # As an editor saves: a new file takes the place of the old one.
        (folder / "saved").write_text(right)
        (folder / "saved").rename(file)
        told("No mistakes.")
        (folder / "messages").mkdir()
        (folder / "messages" / "de.yaml").write_text("no_such_message: Nein")
        told("no_such_message")
        (folder / "fenland.toml").write_text("prot = 1")
        told("Did you mean 'port'?")
        running.terminate()
    fenland("check", str(folder), "--watch", "--json", code=2)
