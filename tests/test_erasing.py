"""Forgetting: what is erased is gone from record, history, kept outcomes and files, and every proof still holds."""

from __future__ import annotations

import json
import random
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from commands import fenland
from fenland.client import Client
from fenland.core.definitions.reading import definitions_from
from fenland.core.problems import Conflict, NotFound
from fenland.service.history.erasing_removed import erase_removed, removed
from fenland.service.proof.reports import read_heads
from fenland.service.proof.verifying import verify_database
from fenland.service.proof.verifying_files import verify_evidence, verify_export
from fenland.service.service import Service
from fenland.storage.door import Made, migrate, plan_migration
from support import TOKENS, bearer, new_project, workshop_of

EVERYONE = {right: ["everyone"] for right in ("read", "create", "update", "delete")}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
FIELDS: dict[str, Any] = {
    "code": CODE,
    "name": {"type": "string"},
    "phone": {"type": "string", "sensitive": True, "search": True},
    "mail": {"type": "string", "format": "email", "sensitive": True, "unique": True},
    "birth": {"type": "string", "sensitive": True, "required": True, "minLength": 3},
    "notes": {"type": "array", "items": {"type": "string"}, "sensitive": True},
    "pin": {"type": "string", "writeOnly": True},
}
MADE = Made("2031-01-01T00:00:00.000000Z")
PEOPLE = {"people": {"key": "code", "access": {**EVERYONE, "erase": ["office"]}, "fields": FIELDS}}


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "people.db"


@pytest.fixture
def house(path: Path) -> Iterator[tuple[Service, httpx.Client]]:
    with workshop_of(PEOPLE, path, account_managers=["office"]) as found:
        yield found


def sent(http: httpx.Client, method: str, path: str, status: int = 200, **parts: Any) -> Any:
    answer = http.request(method, path, **parts)
    assert answer.status_code == status, answer.text
    return answer.json()


def files_with(folder: Path, value: str) -> list[str]:
    """The files of a folder that hold a text, as it is or as JSON writes it."""
    wanted = {value.encode(), json.dumps(value).encode()[1:-1]}
    return [
        one.name for one in folder.rglob("*") if one.is_file() and any(w in one.read_bytes() for w in wanted)
    ]


def test_an_erased_value_is_in_no_file_and_every_proof_still_holds(
    house: tuple[Service, httpx.Client], path: Path
) -> None:
    http, dice = house[1], random.Random(8)
    gone: list[str] = []
    for number in range(60):
        phone = f"07{dice.randrange(10**9):09d}é"
        notes = [f"note-{dice.randrange(10**9):09d}" for _ in range(dice.randint(0, 40))]
        person = {
            "code": f"P{number}",
            "birth": "1960",
            "phone": phone,
            "notes": notes,
            "mail": f"m{dice.randrange(10**9)}@x.example",
            "pin": f"pin-{dice.randrange(10**9):09d}",
        }
        http.post(
            "/v1/records/people", json=person, headers={"Idempotency-Key": f"k{number}"}
        ).raise_for_status()
        later = f"08{dice.randrange(10**9):09d}"
        items = [
            {
                "action": "update",
                "collection": "people",
                "key": f"P{number}",
                "fields": {"phone": later, "name": "x" * dice.randrange(900)},
            }
        ]
        http.post(
            "/v1/batch", json={"items": items}, headers={"Idempotency-Key": f"b{number}"}
        ).raise_for_status()
        if number % 3 == 0:
            gone += [phone, later, *notes, person["mail"]]
        gone.append(person["pin"])
    evidence = sent(http, "GET", "/v1/records/people/P3/history/evidence")
    head, keys = http.get("/v1/history/head").text, sent(http, "GET", "/v1/history/keys")["keys"]
    export = http.get("/v1/history", headers={"Accept": "application/jsonl"}).content
    assert files_with(path.parent, gone[0])
    for number in range(0, 60, 3):
        if number == 6:
            sent(http, "DELETE", f"/v1/records/people/P{number}")
        body = {"fields": ["phone", "notes", "mail"], "reason": "asked to be forgotten"}
        sent(http, "POST", f"/v1/records/people/P{number}/erase", json=body)
    # Pins stand in the table of records alone: there they go with a change.
    for number in range(60):
        if number != 6:
            sent(http, "PATCH", f"/v1/records/people/P{number}", json={"pin": "none"})
    house[0].database.scrub()
    assert {value: found for value in gone if (found := files_with(path.parent, value))} == {}
    # What was proved before still is, and so is all that stands there now.
    assert verify_evidence(evidence).sound
    heads = read_heads(head, keys)
    assert verify_export(export.splitlines(), heads).sound
    now = http.get("/v1/history", headers={"Accept": "application/jsonl"}).content
    assert verify_export(now.splitlines(), heads).sound
    assert verify_evidence(sent(http, "GET", "/v1/records/people/P3/history/evidence")).sound
    report = verify_database(path, head)
    assert (report.sound, report.records) == (True, 59)


def test_one_entry_says_who_erased_what_and_why_and_the_rest_says_that_it_is_gone(
    house: tuple[Service, httpx.Client],
) -> None:
    http = house[1]
    sent(http, "POST", "/v1/records/people", 201, json={"code": "P1", "birth": "1960", "phone": "0111"})
    sent(http, "PATCH", "/v1/records/people/P1", json={"phone": "0222", "name": "Ann"})
    found = sent(http, "POST", "/v1/records/people/P1/erase", json={"fields": ["phone"], "reason": "asked"})
    assert (found["phone"], found["version"]) == (None, 3)
    entries = sent(http, "GET", "/v1/records/people/P1/history")["items"]
    assert (entries[0]["action"], entries[0]["reason"], entries[0]["actor"]) == ("erase", "asked", "olga")
    assert entries[0]["sentence"] == "Olga erased phone of P1 for good."
    assert entries[1]["changes"]["phone"] == {"before": None, "after": None, "erased": True}
    assert "what was erased" in entries[1]["sentence"]
    assert sent(http, "GET", "/v1/records/people/P1?version=2")["phone"] is None
    last = sent(http, "GET", "/v1/history?limit=2")["items"]
    sent(http, "POST", f"/v1/history/{last[0]['sequence']}/undo", 409)
    refused = sent(http, "POST", f"/v1/history/{last[1]['sequence']}/undo", 409)
    assert refused["items"][0]["problem"]["conflicts"] == [{"pointer": "/phone"}]
    # A required one gives way to another value.
    refused = sent(
        http, "POST", "/v1/records/people/P1/erase", 422, json={"fields": ["birth"], "reason": "x"}
    )
    assert [one["code"] for one in refused["errors"]] == ["null"]
    body = {"fields": ["birth"], "reason": "x", "values": {"birth": "unknown"}}
    assert sent(http, "POST", "/v1/records/people/P1/erase", json=body)["birth"] == "unknown"


REFUSED = [
    ({"fields": ["phone"]}, 422, "/reason", "required"),
    ({"fields": [], "reason": "x"}, 422, "/fields", "required"),
    ({"fields": ["name"], "reason": "x"}, 422, "/fields/0", "not_sensitive"),
    ({"fields": ["fone"], "reason": "x"}, 422, "/fields/0", "not_sensitive"),
    ({"fields": ["phone"], "reason": "x", "values": {"name": "y"}}, 422, "/values/name", "unknown_field"),
    (
        {"fields": ["mail"], "reason": "x", "values": {"mail": "m@x.example"}},
        422,
        "/values/mail",
        "not_required",
    ),
    ({"fields": ["birth"], "reason": "x", "values": {"birth": 7}}, 422, "/birth", "type"),
    ({"fields": "phone", "reason": "x"}, 400, None, None),
    ({"fields": ["phone"], "reason": 7}, 400, None, None),
    ({"field": ["phone"]}, 400, None, None),
    ([], 400, None, None),
]


@pytest.mark.parametrize(("body", "status", "pointer", "code"), REFUSED)
def test_erasing_is_refused_with_all_that_is_wrong(
    house: tuple[Service, httpx.Client], body: Any, status: int, pointer: str | None, code: str | None
) -> None:
    http = house[1]
    sent(http, "POST", "/v1/records/people", 201, json={"code": "P1", "birth": "1960", "phone": "0111"})
    found = sent(http, "POST", "/v1/records/people/P1/erase", status, json=body)
    if pointer is not None:
        assert (pointer, code) in [(one["pointer"], one["code"]) for one in found["errors"]]
    sent(
        http,
        "POST",
        "/v1/records/people/P1/erase",
        403,
        json={"fields": ["phone"], "reason": "x"},
        headers=bearer("carl"),
    )
    assert sent(http, "GET", "/v1/records/people/P1")["phone"] == "0111"


def test_values_from_before_a_field_was_sensitive_are_told_of_and_not_left_half_erased(path: Path) -> None:
    older = {"people": {**PEOPLE["people"], "fields": {**FIELDS, "name": {"type": "string"}}}}
    with workshop_of(older, path) as (_, http):
        sent(http, "POST", "/v1/records/people", 201, json={"code": "P1", "birth": "1960", "name": "Ann"})
    newer = {
        "people": {**PEOPLE["people"], "fields": {**FIELDS, "name": {"type": "string", "sensitive": True}}}
    }
    migrate(
        path,
        definitions_from(newer, ["office", "crew"]),
        MADE,
        lambda plan: None,
    )
    with workshop_of(newer, path) as (_, http):
        sent(http, "PATCH", "/v1/records/people/P1", json={"name": "Bea"})
        found = sent(
            http, "POST", "/v1/records/people/P1/erase", 409, json={"fields": ["name"], "reason": "x"}
        )
        assert "in clear" in found["detail"]
        assert sent(http, "GET", "/v1/records/people/P1")["name"] == "Bea"


def test_a_field_that_was_called_otherwise_is_erased_under_all_its_names(path: Path) -> None:
    with workshop_of(PEOPLE, path) as (_, http):
        sent(
            http, "POST", "/v1/records/people", 201, json={"code": "P1", "birth": "1960", "phone": "0777123"}
        )
    fields = {("mobile" if name == "phone" else name): one for name, one in FIELDS.items()}
    fields["mobile"] = {**FIELDS["phone"], "was": "phone"}
    newer = {"people": {**PEOPLE["people"], "fields": fields}}
    migrate(
        path,
        definitions_from(newer, ["office", "crew"]),
        MADE,
        lambda plan: None,
    )
    for copy in path.parent.glob("*.before-*"):
        copy.unlink()
    with workshop_of(newer, path) as (_, http):
        sent(http, "POST", "/v1/records/people/P1/erase", json={"fields": ["mobile"], "reason": "x"})
        assert files_with(path.parent, "0777123") == []
    assert verify_database(path).sound


def test_nothing_of_a_field_that_is_never_shown_stands_in_the_history(path: Path) -> None:
    with workshop_of(PEOPLE, path) as (_, http):
        body = {"code": "P1", "birth": "1960", "pin": "4711-0815"}
        http.post("/v1/records/people", json=body, headers={"Idempotency-Key": "k"}).raise_for_status()
    raw = sqlite3.connect(path)
    for table in ("fenland_history", "fenland_sealed", "fenland_outcomes", "fenland_terms"):
        assert "4711-0815" not in repr(raw.execute(f"SELECT * FROM {table}").fetchall())
    raw.close()


def test_whoever_erases_is_told_which_copies_hold_it_still(path: Path) -> None:
    backups = path.parent / "backups"
    backups.mkdir()
    for one in (path.with_name("people.before-2.db"), backups / "people-20310409T120000Z.db"):
        one.touch()
    for other in (path.with_name("people.before-the-fair.db"), backups / "stations-20310409T120000Z.db"):
        other.touch()
    with workshop_of(PEOPLE, path, database=path, backup_folder=backups) as (_, http):
        sent(http, "POST", "/v1/records/people", 201, json={"code": "P1", "birth": "1960", "phone": "0111"})
        transport = http._transport
        with Client("http://workshop", TOKENS["olga"][1], transport=transport) as client:
            found = client.past.erase("people", "P1", ["phone"], "asked")
            assert found.copies == ("people.before-2.db", "people-20310409T120000Z.db")
            assert client.update("people", "P1", {"name": "Ann"}).copies == ()
        body = {"fields": ["mail"], "reason": "asked"}
        minimal = {"Prefer": "return=minimal"}
        answer = http.post("/v1/records/people/P1/erase", json=body, headers=minimal)
        assert (answer.status_code, "people.before-2.db" in answer.headers["Fenland-Copies"]) == (204, True)
    with workshop_of(PEOPLE, path) as (_, http):
        answer = http.post("/v1/records/people/P1/erase", json={"fields": ["notes"], "reason": "asked"})
        assert "Fenland-Copies" not in answer.headers


#: How the people's phone came to be what it is today, if it still is, and by which name it is erased now.
FATES: dict[str, tuple[list[dict[str, Any]], str]] = {
    "dropped": ([{"phone": None}], "phone"),
    "renamed": ([{"phone": None, "line": {**FIELDS["phone"], "was": "phone"}}], "line"),
    "renamed, then dropped": (
        [{"phone": None, "line": {**FIELDS["phone"], "was": "phone"}}, {"phone": None}], "line",
    ),
    "dropped, then there again": ([{"phone": None}, {"phone": {"type": "string", "sensitive": True}}], "phone"),
    "traded": (
        [{"phone": {**FIELDS["mail"], "was": "mail", "format": None}, "mail": {**FIELDS["phone"], "was": "phone"}}], "mail",
    ),
}  # fmt: skip


def test_what_a_collection_held_can_be_erased_once_it_is_gone(path: Path) -> None:
    keeps = {
        "people": {**PEOPLE["people"], "fields": {**FIELDS, "line": {**FIELDS["phone"], "was": "phone"}}}
    }
    del keeps["people"]["fields"]["phone"]
    other = {"helpers": PEOPLE["people"]}
    for described, phone in ((PEOPLE | other, "phone"), (keeps | other, "line")):
        with workshop_of(described, path) as (_, http):
            for kept in ("people", "helpers"):
                name = phone if kept == "people" else "phone"
                for number in range(3):
                    person = {"code": f"{phone}{number}", "birth": "1960", name: f"0555-{kept}-{phone}"}
                    sent(http, "POST", f"/v1/records/{kept}", 201, json=person)
            sent(http, "DELETE", f"/v1/records/people/{phone}1")
            if phone == "phone":
                definitions = definitions_from(keeps | other, ["office", "crew"])
                head = http.get("/v1/history/head").text
        if phone == "phone":
            migrate(path, definitions, MADE, lambda plan: None)
    plan = plan_migration(path, definitions_from(other, ["office", "crew"]))
    assert "erase-removed erases that" in " ".join(plan.steps)
    migrate(path, definitions_from(other, ["office", "crew"]), MADE, lambda plan: None)
    for copy in path.parent.glob("people.before-*"):
        copy.unlink()
    with workshop_of(other, path) as (service, http):
        held = removed(service)
        assert [(name, len(one.records)) for name, one in held.items()] == [("people", 6)]
        with pytest.raises(Conflict):
            erase_removed(service, "helpers", "asked")
        with pytest.raises(NotFound):
            erase_removed(service, "peoples", "asked")
        assert files_with(path.parent, "0555-people-line")
        assert erase_removed(service, "people", "asked").values == held["people"].values
        assert removed(service) == {}
        assert [files_with(path.parent, f"0555-people-{one}") for one in ("phone", "line")] == [[], []]
        assert files_with(path.parent, "0555-helpers-phone")
    report = verify_database(path, head)
    assert report.sound, report.faults
    # Without an entry that says so, it is a fault.
    with sqlite3.connect(path) as base:
        base.execute("DELETE FROM fenland_sealed")
    assert {one.kind for one in verify_database(path, head).faults} == {"salt"}


@pytest.mark.parametrize("fate", FATES)
def test_what_a_field_held_can_be_erased_whatever_became_of_it(path: Path, fate: str) -> None:
    steps, name = FATES[fate]
    with workshop_of(PEOPLE, path) as (_, http):
        person = {"code": "P1", "birth": "1960", "phone": "0555-gone", "mail": "stays@x.example"}
        sent(http, "POST", "/v1/records/people", 201, json=person)
        sent(http, "PATCH", "/v1/records/people/P1", json={"phone": "0556-gone"})
    described: Any = PEOPLE
    for step in steps:
        fields = {one: kept for one, kept in (FIELDS | step).items() if kept is not None}
        fields = {
            one: {word: kept[word] for word in kept if kept[word] is not None} for one, kept in fields.items()
        }
        described = {"people": {**PEOPLE["people"], "fields": fields}}
        migrate(path, definitions_from(described, ["office", "crew"]), MADE, lambda plan: None)
    for copy in path.parent.glob("people.before-*"):
        copy.unlink()
    with workshop_of(described, path) as (service, http):
        assert name in sent(http, "GET", "/v1/records/people/P1/form")["erasable"]
        body = {"fields": [name], "reason": "asked"}
        sent(http, "POST", "/v1/records/people/P1/erase", json=body)
        told = sent(http, "GET", "/v1/records/people/P1/history")["items"]
        assert told[0]["changes"][name] == {"erased": True, "after": None}
        assert told[-1]["changes"]["phone"]["erased"]
        assert "gone" not in json.dumps(told)
        service.database.scrub()
        assert [files_with(path.parent, one) for one in ("0555-gone", "0556-gone")] == [[], []]
        assert files_with(path.parent, "stays@x.example")
        head = http.get("/v1/history/head").text
    report = verify_database(path, head)
    assert report.sound, report.faults


def test_the_command_names_the_copies_that_hold_it_still(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "notes")
    described = folder / "collections" / "people.yaml"
    described.write_text(
        "key: code\naccess: {read: [everyone], create: [everyone]}\nfields:\n"
        "  code: {type: string, required: true, unique: true, fixed: true}\n"
        "  phone: {type: string, sensitive: true}\n"
    )
    (folder / "seeds").mkdir()
    seeds = folder / "seeds" / "people.csv"
    seeds.write_text("code,phone\nP1,0555-kept\nP2,0555-kept\n")
    place = ("--project", str(folder))
    fenland("migrate", str(folder))
    fenland("seed", str(folder))
    described.unlink()
    seeds.unlink()
    refused = fenland("erase-removed", "people", "--reason", "x", "--yes", *place, code=None)
    assert (refused.returncode, "people is there" in refused.stderr) == (1, True)
    fenland("migrate", str(folder), "--lose", "people")
    found = json.loads(fenland("erase-removed", "--json", *place).stdout)
    assert found == {"items": [{"collection": "people", "records": 2, "values": 2}]}
    for words in (["people"], ["people", "--reason", "x", "--json"]):
        assert fenland("erase-removed", *words, *place, code=None).returncode == 2
    done = fenland("erase-removed", "people", "--reason", "asked", "--yes", "--json", *place)
    copies = json.loads(done.stdout)["copies"]
    # Not in the database any more, and in one of those that are named.
    holding = files_with(folder, "0555-kept")
    assert (len(holding), set(holding) <= set(copies)) == (1, True), (holding, copies)
    fenland("verify", *place)
    assert json.loads(fenland("erase-removed", "--json", *place).stdout) == {"items": []}
