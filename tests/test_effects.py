"""Effects, and defaults that are worked out: when they happen, what they set, what refuses, what is a mistake.

By every way of writing they are tried in tests/test_ways_to_write.py."""

from __future__ import annotations

import json
import os
import random
import re
import signal
import sqlite3
import subprocess
import threading
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from decimal import Decimal
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.reading import definitions_from
from fenland.service.numbers import PORTION
from fenland.service.project import read_source
from fenland.service.proof.verifying import verify_database
from fenland.storage.door import Made, migrate
from support import NIGHTLY, bearer, fenland, new_project, start, workshop_of

MADE = Made("2031-04-09T12:00:00.000000Z", "ada", "command-line")
ACCESS = {right: ["everyone"] for right in ("read", "create", "update", "delete")}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
TEXT, WHOLE, FLAG = {"type": "string"}, {"type": "integer"}, {"type": "boolean"}
DAY, OFFICE = TEXT | {"format": "date"}, {"access": {"read": ["office"], "update": ["office"]}}
CENTS = {"type": "number", "multipleOf": Decimal("0.01")}


def works_out(text: str) -> dict[str, Any]:
    return {"default": {"expression": text}}


LOANS: dict[str, Any] = {
    "tools": {"key": "code", "access": ACCESS, "fields": {"code": CODE, "shelf": TEXT, "fee": CENTS}},
    "loans": {
        "key": "code",
        "access": ACCESS,
        "fields": {
            "code": CODE,
            "tool": {"references": "tools", "on_delete": "clear"},
            "state": TEXT | {"enum": ["out", "back", "lost"], "default": "out"},
            "lent_on": DAY | works_out("today") | {"required": True, "fixed": True},
            "due_on": DAY | works_out("next.lent_on + 14"),
            "desk": TEXT | works_out("actor.name") | {"readOnly": True},
            "shelf": TEXT | works_out("next.tool.shelf"),
            "closed_on": DAY,
            "closed_by": TEXT | {"readOnly": True},
            "times": WHOLE | {"default": 0},
            "fine": CENTS | OFFICE | {"maximum": 100},
            "days": WHOLE,
            "late": FLAG | {"derived": "record.days > 14"},
            "warned": FLAG | {"default": False},
            "note": TEXT | {"maxLength": 12},
        },
        "effects": [
            {"on": ["update", "restore"], "if": 'before.state == "out" && after.state == "back"', "set": {"closed_on": "today", "closed_by": "actor.name"}},
            {"on": "update", "if": 'before.state != "out" && after.state == "out"', "set": {"closed_on": None, "closed_by": None, "times": "before.times + 1"}},
            # Stands before what makes it hold, and happens all the same.
            {"on": ["create", "update"], "if": "after.warned", "set": {"note": '"warned"'}},
            {"on": ["create", "update"], "if": "after.late", "set": {"warned": True, "fine": "double(after.days) * 2.5"}},
            {"on": ["update"], "if": "after.tool == null && before.tool != null", "set": {"note": '"no tool"'}},
            # Of a new record there was nothing before.
            {"on": ["create"], "if": "before.days > after.days", "set": {"note": '"never"'}},
            {"on": ["create"], "if": 'after.note == "none"', "set": {"note": "before.note", "days": "before.days + 1"}},
            {"on": ["create"], "if": 'after.note == "long"', "set": {"note": '"longer than twelve"'}},
        ],
    },
}  # fmt: skip


@pytest.fixture(scope="module")
def place(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("effects") / "loans.db"


@pytest.fixture(scope="module")
def loans(place: Path) -> Iterator[httpx.Client]:
    with workshop_of(LOANS, place) as (_, http):
        for code, shelf in (("saw", "A4"), ("drill", None)):
            http.post("/v1/records/tools", json={"code": code, "shelf": shelf}).raise_for_status()
        yield http


def made(loans: httpx.Client, code: str, who: str = "olga", **fields: Any) -> dict[str, Any]:
    answer = loans.post("/v1/records/loans", json={"code": code, **fields}, headers=bearer(who))
    assert answer.status_code == 201, answer.text
    found: dict[str, Any] = answer.json()
    return found


def patched(loans: httpx.Client, code: str, who: str = "olga", **fields: Any) -> dict[str, Any]:
    answer = loans.patch(f"/v1/records/loans/{code}", json=fields, headers=bearer(who))
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def newest(loans: httpx.Client, code: str) -> dict[str, Any]:
    found: dict[str, Any] = loans.get(f"/v1/records/loans/{code}/history").json()["items"][0]
    return found


def only(record: Mapping[str, Any], *names: str) -> list[Any]:
    return [record[name] for name in names]


# --- what a new record begins with -------------------------------------------------------------------


def test_a_new_record_gets_what_nobody_gives_it(loans: httpx.Client) -> None:
    found = made(loans, "A1", "carl", tool="saw")
    today = found["created_at"][:10]
    assert only(found, "lent_on", "desk", "shelf") == [today, "carl", "A4"]
    assert found["due_on"] > today
    # What it is made of is not there: then it is nothing.
    assert made(loans, "A2", tool="drill")["shelf"] is None
    assert made(loans, "A3")["shelf"] is None


def test_what_is_given_stands_and_null_too(loans: httpx.Client) -> None:
    found = made(loans, "B1", lent_on="2031-04-09", shelf="Z9")
    assert only(found, "lent_on", "due_on", "shelf") == ["2031-04-09", "2031-04-23", "Z9"]
    assert made(loans, "B2", tool="saw", shelf=None)["shelf"] is None
    answer = loans.post("/v1/records/loans", json={"code": "B3", "desk": "vic"})
    assert [(one["pointer"], one["code"]) for one in answer.json()["errors"]] == [("/desk", "read_only")]


def test_a_whole_record_leaves_what_it_began_with(loans: httpx.Client) -> None:
    made(loans, "C1", "carl", tool="saw")
    found = loans.put(
        "/v1/records/loans/C1", json={"code": "C1", "tool": "drill"}, headers=bearer("vic")
    ).json()
    assert only(found, "desk", "shelf", "state") == ["carl", "A4", "out"]


def test_forms_and_schemas_know_of_it(loans: httpx.Client) -> None:
    form = loans.get("/v1/schemas/loans?for=create", headers=bearer("carl")).json()
    assert form["values"]["desk"] == "carl" and form["values"]["shelf"] is None
    assert form["values"]["due_on"] > form["values"]["lent_on"]
    assert form["schema"]["required"] == ["code"]
    assert "default" not in form["schema"]["properties"]["lent_on"]
    assert form["schema"]["properties"]["lent_on"]["x-begins"] is True
    schemas = loans.get("/v1/openapi.json").json()["components"]["schemas"]
    assert schemas["LoansNew"]["required"] == ["code"]


def test_a_file_and_a_batch_bring_it_too(loans: httpx.Client) -> None:
    content = "code,tool\nD1,saw\nD2,drill\n"
    loans.post(
        "/v1/records/loans/import", content=content, headers={"Content-Type": "text/csv"}
    ).raise_for_status()
    items = [{"action": "create", "collection": "loans", "fields": {"code": "D3", "tool": "saw"}}]
    loans.post("/v1/batch", json={"items": items}).raise_for_status()
    for code, shelf in (("D1", "A4"), ("D2", None), ("D3", "A4")):
        found = loans.get(f"/v1/records/loans/{code}").json()
        assert only(found, "desk", "shelf") == ["olga", shelf]


# --- series ------------------------------------------------------------------------------------------

NUMBERED: dict[str, Any] = {
    "jobs": {
        "key": "number",
        "access": ACCESS,
        "fields": {
            "number": CODE | {"default": {"series": "T-0098"}},
            "place": WHOLE | {"unique": True, "default": {"series": 1}},
            "title": TEXT | {"maxLength": 9} | works_out("'No. ' + string(next.place)"),
        },
    }
}


def numbers_of(http: httpx.Client) -> list[tuple[str, int]]:
    items = http.get("/v1/records/jobs", params={"sort": "place", "limit": 200}).json()["items"]
    return [(one["number"], one["place"]) for one in items]


def test_numbers_follow_each_other_and_none_comes_twice(tmp_path: Path) -> None:
    with workshop_of(NUMBERED, tmp_path / "jobs.db") as (_, http):

        def add(**fields: Any) -> httpx.Response:
            return http.post("/v1/records/jobs", json=fields)

        first = add().json()
        assert only(first, "number", "place", "title") == ["T-0098", 1, "No. 1"]
        assert add().headers["location"].endswith("/T-0099")
        # Refused, it takes none.
        assert add(title="longer than nine").status_code == 422
        assert http.post("/v1/records/jobs/T-0098/preview", json={"title": "x"}).status_code == 200
        assert only(add().json(), "number", "place") == ["T-0100", 3]
        # Given, it goes on from there; a number that is none of the series is nobody's business.
        assert add(number="T-0200", place=50).status_code == 201
        assert add(number="X-1", place=7).status_code == 201
        assert only(add().json(), "number", "place") == ["T-0201", 51]
        # Too high, nobody goes on from there.
        assert add(number="T-900000000000000000", place=2**62, title="x").status_code == 201
        assert http.delete("/v1/records/jobs/T-900000000000000000").status_code == 200
        # Gone, it does not come back.
        http.delete("/v1/records/jobs/T-0201").raise_for_status()
        assert only(add().json(), "number", "place") == ["T-0202", 52]
        # All or nothing: what is taken back is free again.
        items = [
            {"action": "create", "collection": "jobs", "fields": fields}
            for fields in ({}, {"title": "longer than nine"})
        ]
        assert http.post("/v1/batch", json={"items": items}).status_code == 422
        answer = http.post("/v1/batch", json={"items": items, "atomic": False}).json()["results"]
        assert [one["status"] for one in answer] == [201, 422]
        assert only(add().json(), "number", "place") == ["T-0204", 54]


def test_a_file_brings_records_without_numbers(tmp_path: Path) -> None:
    with workshop_of(NUMBERED, tmp_path / "jobs.db") as (_, http):
        content = "title\na\nlonger than nine\nb\nc\n"
        for preview, there in (("true", 0), ("false", 3)):
            answer = http.post(
                f"/v1/records/jobs/import?mode=create&preview={preview}",
                content=content,
                headers={"Content-Type": "text/csv"},
            ).json()
            assert (answer["created"], answer["refused"]) == (3, 1), answer
            if preview == "true":
                assert [one["key"] for one in answer["changes"]] == ["T-0098", "T-0099", "T-0100"]
            assert len(numbers_of(http)) == there
        assert numbers_of(http) == [("T-0098", 1), ("T-0099", 2), ("T-0100", 3)]


def test_many_at_once_get_a_number_each(tmp_path: Path) -> None:
    with workshop_of(NUMBERED, tmp_path / "jobs.db") as (_, http):
        with ThreadPoolExecutor(8) as pool:
            answers = list(
                pool.map(
                    lambda number: (
                        http.post(
                            "/v1/records/jobs", json={"title": "longer than nine"} if number % 5 == 0 else {}
                        ).status_code
                    ),
                    range(60),
                )
            )
        assert sorted(set(answers)) == [201, 422]
        assert numbers_of(http) == [(f"T-{97 + place:04d}", place) for place in range(1, 49)]


GAPS: dict[str, Any] = {
    "jobs": {
        "key": "number",
        "access": ACCESS,
        "fields": {
            "number": CODE | {"default": {"series": "T-0001", "gaps": True}},
            "size": WHOLE | {"minimum": 0},
        },
    }
}


def test_numbers_with_gaps_come_once_and_few_are_written(tmp_path: Path) -> None:
    with workshop_of(GAPS, tmp_path / "jobs.db") as (service, http):

        def add(**fields: Any) -> httpx.Response:
            return http.post("/v1/records/jobs", json=fields)

        assert [add().json()["number"] for _ in range(2)] == ["T-0001", "T-0002"]
        # One that was refused is left out, one that somebody gave is passed over.
        assert add(size=-1).status_code == 422
        assert add(number="T-0005").status_code == 201
        assert [add().json()["number"] for _ in range(2)] == ["T-0004", "T-0006"]
        items = [{"action": "create", "collection": "jobs", "fields": {"size": size}} for size in (1, -1)]
        assert http.post("/v1/batch", json={"items": items}).status_code == 422
        with ThreadPoolExecutor(8) as pool:
            found = [one.json().get("number") for one in pool.map(lambda _: add(), range(2 * PORTION))]
        rows = "size\n" + "3\n" * (PORTION + 9)
        for preview in ("true", "false"):
            answer = http.post(
                f"/v1/records/jobs/import?mode=create&preview={preview}",
                content=rows,
                headers={"Content-Type": "text/csv"},
            ).json()
            assert answer["created"] == PORTION + 9, answer
        whole = [
            one["number"] for one in http.get("/v1/records/jobs?limit=200&fields=number").json()["items"]
        ]
        assert len(set(found)) == 2 * PORTION and len(set(whole)) == len(whole) >= 3 * PORTION + 14
        with service.database.reading() as reading:
            last = service.database.series.last(reading, "jobs.number")
        assert last is not None and last % PORTION == 0 and max(whole) <= f"T-{last:04d}"
        # Given beyond all that is put by, the series goes on behind it once those are used up.
        assert add(number="T-0900").status_code == 201
        numbers = [add().json()["number"] for _ in range(PORTION + 1)]
        assert numbers[-1] > "T-0900" and len({*numbers, *whole}) == len(numbers) + len(whole)


def test_what_is_put_by_in_vain_is_put_by_again(tmp_path: Path) -> None:
    """What is undone takes its numbers with it, so that no other process can be given the same."""
    with workshop_of(GAPS, tmp_path / "jobs.db") as (service, http):
        assert http.post("/v1/records/jobs", json={"size": -1}).status_code == 422
        with service.database.reading() as reading:
            assert service.database.series.last(reading, "jobs.number") is None
        assert service.numbers.next("jobs.number") is None
        items = [{"action": "create", "collection": "jobs", "fields": {"size": size}} for size in (-1, 1)]
        answer = http.post("/v1/batch", json={"items": items, "atomic": False}).json()["results"]
        assert [one["status"] for one in answer] == [422, 201]
        assert answer[1]["record"]["number"] == "T-0001"


def test_records_without_numbers_are_looked_through_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with workshop_of(NUMBERED, tmp_path / "jobs.db") as (service, http):
        looked, records = list[str](), service.resources["jobs"].records
        whole = records.values
        monkeypatch.setattr(
            records, "values", lambda reading, field: (looked.append(field), whole(reading, field))[1]
        )
        for _ in range(3):
            assert http.post("/v1/records/jobs", json={"title": "longer than nine"}).status_code == 422
        http.post("/v1/records/jobs", json={}).raise_for_status()
        assert sorted(looked) == ["number", "place"]


def test_a_series_that_comes_later_goes_on_from_what_there_is_and_keeps_its_place(tmp_path: Path) -> None:
    path, fields = tmp_path / "jobs.db", NUMBERED["jobs"]["fields"]
    before = {
        "jobs": {
            "key": "number",
            "access": ACCESS,
            "fields": {"number": CODE, "place": WHOLE | {"unique": True}},
        }
    }
    with workshop_of(before, path) as (_, http):
        for number, place in (("T-0300", 4), ("other", 9), ("T-301", None)):
            http.post("/v1/records/jobs", json={"number": number, "place": place}).raise_for_status()
    renamed = {
        "works": {
            **NUMBERED["jobs"],
            "was": "jobs",
            "key": "code",
            "fields": {"code": fields["number"] | {"was": "number"}, "place": fields["place"]},
        }
    }
    migrated = (
        {"jobs": {**before["jobs"], "fields": {one: fields[one] for one in ("number", "place")}}},
        renamed,
    )
    for described, expected in zip(migrated, (["T-0301", 10], ["T-0302", 11]), strict=True):
        migrate(path, definitions_from(described, ["office", "crew"]), MADE, lambda plan: None)
        with workshop_of(described, path) as (_, http):
            name = next(iter(described))
            found = http.post(f"/v1/records/{name}", json={}).json()
            assert only(found, described[name]["key"], "place") == expected
            http.delete(f"/v1/records/{name}/{expected[0]}").raise_for_status()


# --- effects -----------------------------------------------------------------------------------------


def test_an_effect_is_part_of_the_change_that_it_comes_of(loans: httpx.Client) -> None:
    made(loans, "E1")
    found = patched(loans, "E1", "carl", state="back")
    assert only(found, "closed_by", "version") == ["carl", 2]
    assert found["closed_on"] == found["updated_at"][:10]
    entry = newest(loans, "E1")
    assert set(entry["changes"]) == {"state", "closed_on", "closed_by"} and entry["version"] == 2
    # Nothing changes, so nothing happens.
    assert patched(loans, "E1", "vic", state="back")["version"] == 2


def test_it_stands_over_what_is_sent_and_may_set_what_nobody_else_may(loans: httpx.Client) -> None:
    made(loans, "F1")
    found = patched(loans, "F1", state="back", closed_on="1999-01-01")
    assert found["closed_on"] != "1999-01-01"
    made(loans, "F2")
    answer = loans.patch("/v1/records/loans/F2", json={"fine": 5}, headers=bearer("carl"))
    assert answer.status_code == 422
    found = patched(loans, "F2", "carl", days=20)
    assert "fine" not in found and only(found, "late", "warned", "note") == [True, True, "warned"]
    assert loans.get("/v1/records/loans/F2").json()["fine"] == 50


def test_of_a_new_record_there_was_nothing_before(loans: httpx.Client) -> None:
    assert only(made(loans, "G2", note="none", days=3), "note", "days") == [None, None]
    assert made(loans, "G3", note="some")["note"] == "some"


def test_effects_and_derived_fields_go_on_until_nothing_moves(loans: httpx.Client) -> None:
    found = made(loans, "G1", days=15)
    assert only(found, "late", "warned", "note", "fine") == [True, True, "warned", 37.5]


def test_a_preview_shows_it_and_saves_nothing(loans: httpx.Client) -> None:
    made(loans, "H1")
    preview = loans.post("/v1/records/loans/H1/preview", json={"state": "back"}).json()
    assert preview["changes"]["closed_by"] == {"before": None, "after": "olga"}
    assert only(loans.get("/v1/records/loans/H1").json(), "state", "closed_by") == ["out", None]


def test_what_it_may_not_set_refuses_the_change_and_names_the_place(loans: httpx.Client) -> None:
    answer = loans.post("/v1/records/loans", json={"code": "I1", "note": "long"})
    [problem] = answer.json()["errors"]
    assert (answer.status_code, problem["pointer"], problem["code"]) == (422, "/note", "max_length")
    assert problem["effect"] == "loans:1" and "set by the effect at loans:1" in problem["detail"]
    made(loans, "I2")
    [problem] = loans.patch("/v1/records/loans/I2", json={"days": 99}).json()["errors"]
    assert (problem["pointer"], problem["code"]) == ("/fine", "maximum")
    # Who may not read the field is told that something is in the way, and no more.
    answer = loans.patch("/v1/records/loans/I2", json={"days": 99}, headers=bearer("carl"))
    [problem] = answer.json()["errors"]
    assert (problem["pointer"], problem["code"]) == ("", "maximum")
    assert problem.keys() == {"pointer", "code", "detail"} and "100" not in problem["detail"]
    assert loans.get("/v1/records/loans/I2").json()["version"] == 1


def test_taking_a_change_back_takes_its_effects_back_and_brings_no_others(loans: httpx.Client) -> None:
    made(loans, "J1")
    patched(loans, "J1", "carl", state="back")
    entry = newest(loans, "J1")["sequence"]
    loans.post(f"/v1/history/{entry}/undo").raise_for_status()
    found = loans.get("/v1/records/loans/J1").json()
    assert only(found, "state", "closed_on", "closed_by", "times") == ["out", None, None, 0]
    # To take that back again is to have what it was, and not what it would be today.
    loans.post(
        f"/v1/history/{newest(loans, 'J1')['sequence']}/undo", headers=bearer("vic")
    ).raise_for_status()
    assert loans.get("/v1/records/loans/J1").json()["closed_by"] == "carl"


def test_going_back_to_a_version_is_a_change_with_effects_of_its_own(loans: httpx.Client) -> None:
    made(loans, "K1")
    patched(loans, "K1", "carl", state="back")
    patched(loans, "K1", "carl", state="out")
    assert loans.get("/v1/records/loans/K1").json()["times"] == 1
    answer = loans.post("/v1/records/loans/K1/restore?version=2", headers=bearer("vic"))
    # It goes back to what was closed, which vic does.
    assert only(answer.json(), "state", "closed_by", "times") == ["back", "vic", 0]


def test_a_reference_that_is_emptied_is_a_change_too(loans: httpx.Client) -> None:
    loans.post("/v1/records/tools", json={"code": "file"}).raise_for_status()
    made(loans, "L1", tool="file")
    loans.delete("/v1/records/tools/file").raise_for_status()
    assert only(loans.get("/v1/records/loans/L1").json(), "tool", "note") == [None, "no tool"]
    assert set(newest(loans, "L1")["changes"]) == {"tool", "note"}


def test_what_follows_from_an_emptied_reference_is_judged_like_any_change(tmp_path: Path) -> None:
    for name, sets, more in (
        ("a check", {"n": "13"}, {"checks": [{"rule": "next.n != 13", "message": "Not thirteen."}]}),
        ("a reference", {"other": "'none'"}, {}),
        ("a value taken", {"u": "'taken'"}, {}),
    ):
        fields = {
            "code": CODE,
            "tool": {"references": "tools", "on_delete": "clear"},
            "n": WHOLE,
            "u": TEXT | {"unique": True},
            "other": {"references": "tools"},
        }
        loans = {
            "key": "code",
            "access": ACCESS,
            "fields": fields,
            "effects": [{"on": "update", "if": "after.tool == null", "set": sets}],
            **more,
        }
        with workshop_of({"tools": LOANS["tools"], "loans": loans}, tmp_path / f"{name}.db") as (_, http):
            http.post("/v1/records/tools", json={"code": "saw"}).raise_for_status()
            http.post("/v1/records/loans", json={"code": "L1", "u": "taken"}).raise_for_status()
            http.post("/v1/records/loans", json={"code": "L2", "tool": "saw"}).raise_for_status()
            answer = http.delete("/v1/records/tools/saw")
            assert (answer.status_code, "would not be allowed" in answer.json()["detail"]) == (409, True), (
                name
            )
            assert http.get("/v1/records/loans/L2").json()["tool"] == "saw"


def test_what_rules_keep_from_somebody_they_cannot_put_back_either(tmp_path: Path) -> None:
    crew = {"access": {"update": ["office"]}}
    fields = {
        "code": CODE,
        "n": WHOLE,
        "set_by": TEXT | {"readOnly": True},
        "kept": TEXT | {"readOnly": True} | crew,
        "holder": TEXT | {"readOnly": True},
    }
    effects = [
        {
            "on": ["create", "update"],
            "if": "after.n != null",
            "set": {"set_by": "string(after.n)", "kept": "string(after.n)"},
        }
    ]
    access = {**ACCESS, "transfer": ["office"]}
    described = {
        "jobs": {"key": "code", "owner": "holder", "access": access, "fields": fields, "effects": effects}
    }
    with workshop_of(described, tmp_path / "jobs.db") as (_, http):
        http.post("/v1/records/jobs", json={"code": "J1", "n": 1}).raise_for_status()
        patch = http.patch("/v1/records/jobs/J1", json={"n": 2})
        entry = http.get("/v1/records/jobs/J1/history").json()["items"][0]["sequence"]
        assert patch.json()["kept"] == "2"
        for place, status in (
            ("/v1/records/jobs/J1/restore?version=1", 422),
            (f"/v1/history/{entry}/undo", 409),
        ):
            answer = http.post(place, headers=bearer("carl"))
            assert (answer.status_code, "/kept" in answer.text) == (status, True), answer.text
        http.delete("/v1/records/jobs/J1").raise_for_status()
        assert http.post("/v1/records/jobs/J1/restore?version=1", headers=bearer("carl")).status_code == 422
        assert http.post("/v1/records/jobs/J1/restore?version=1").json()["kept"] == "1"


def test_whose_a_record_is_nobody_puts_back_who_may_not_hand_it_over(tmp_path: Path) -> None:
    fields = {"code": CODE, "n": WHOLE, "holder": TEXT | {"readOnly": True}}
    effects = [{"on": "update", "if": "after.n == 2", "set": {"holder": "'carl'"}}]
    access = {**ACCESS, "transfer": ["office"]}
    described = {
        "jobs": {"key": "code", "owner": "holder", "access": access, "fields": fields, "effects": effects}
    }
    with workshop_of(described, tmp_path / "jobs.db") as (_, http):
        http.post("/v1/records/jobs", json={"code": "J1", "n": 1}).raise_for_status()
        assert (
            http.patch("/v1/records/jobs/J1", json={"n": 2}, headers=bearer("vic")).json()["holder"] == "carl"
        )
        entry = http.get("/v1/records/jobs/J1/history").json()["items"][0]["sequence"]
        for place in ("/v1/records/jobs/J1/restore?version=1", f"/v1/history/{entry}/undo"):
            answer = http.post(place, headers=bearer("carl"))
            assert answer.status_code in (409, 422) and '"owner"' in answer.text, answer.text
        assert http.get("/v1/records/jobs/J1").json()["version"] == 2
        assert http.post("/v1/records/jobs/J1/restore?version=1").json()["holder"] == "olga"


def test_many_at_once_each_have_their_effects(loans: httpx.Client) -> None:
    for number in range(3):
        made(loans, f"M{number}", note="many")
    where = {"where": 'note == "many"', "expect": "3"}
    loans.patch("/v1/records/loans", params=where, json={"state": "back"}).raise_for_status()
    assert {loans.get(f"/v1/records/loans/M{number}").json()["closed_by"] for number in range(3)} == {"olga"}


def test_the_history_alone_gives_the_records(loans: httpx.Client, place: Path) -> None:
    assert verify_database(place).faults == []


def test_the_guide_says_what_happens(tmp_path: Path) -> None:
    guide = (Path(__file__).parents[1] / "docs" / "consequences.md").read_text()
    read = []
    for text in re.findall(r"```yaml\n(.*?)```", guide, re.S):
        (tmp_path / "block.yaml").write_text(text)
        read.append(read_source(tmp_path / "block.yaml", "block.yaml").data)
    _, _, _, beginning, picked, numbered, effects, *_ = read
    more = {
        "code": CODE,
        "state": TEXT | {"default": "out"},
        "closed_on": DAY,
        "closed_by": TEXT,
        "times": WHOLE | {"default": 0},
    }
    described = {
        "tools": LOANS["tools"],
        "loans": {"key": "code", "access": ACCESS, "fields": more | beginning["fields"], **effects},
        "jobs": {"key": "number", "access": ACCESS, **numbered},
        "lockers": {"access": ACCESS, **picked},
    }
    with workshop_of(described, tmp_path / "guide.db") as (_, http):
        http.post("/v1/records/tools", json={"code": "saw", "shelf": "A4"}).raise_for_status()
        assert http.post("/v1/records/jobs", json={}).json()["number"] == "T-0001"
        lockers = [
            http.post("/v1/records/lockers", json={"shelf": one}).json()["tool"] for one in ("A4", "A1")
        ]
        assert lockers == ["saw", None]
        found = made(http, "A1", tool="saw", lent_on="2031-04-09")
        assert only(found, "due_on", "desk", "shelf") == ["2031-04-23", "olga", "A4"]
        assert patched(http, "A1", "carl", state="back")["closed_by"] == "carl"
        assert only(patched(http, "A1", state="out"), "closed_on", "closed_by", "times") == [None, None, 1]


# --- two processes, one of which is killed ------------------------------------------------------------

SHARED = {
    "key": "number",
    "access": {right: ["editor"] for right in ("read", "create", "update")},
    "fields": {
        "number": CODE | {"default": {"series": "N-1"}},
        "hours": WHOLE | {"default": 1},
        "twice": WHOLE | {"derived": "record.hours * 2"},
        "seen": WHOLE,
        "slip": WHOLE | {"unique": True, "default": {"series": 0, "gaps": True}},
    },
    "effects": [
        {"on": ["create", "update"], "set": {"seen": "after.twice + 1"}},
        {"on": "create", "notice": "job-made", "with": {"number": "after.number"}},
    ],
}


def test_two_processes_share_a_series_though_one_of_them_is_killed(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "shared")
    (folder / "collections" / "jobs.yaml").write_text(json.dumps(SHARED))
    running, token = start("start", folder, folder / "log", "--workers", "2"), (folder / "token").read_text()
    answered, guard, done = list[str](), threading.Lock(), threading.Event()

    def write(number: int) -> None:
        with running.client(token) as http:
            for turn in range(15):
                with suppress(httpx.TransportError):
                    answer = http.post("/v1/records/jobs", json={"hours": turn})
                    if answer.status_code != 201:
                        continue
                    key = answer.json()["number"]
                    with guard:
                        answered.append(key)
                    http.patch(f"/v1/records/jobs/{key}", json={"hours": number})
                if len(answered) > 40:
                    done.set()

    with ThreadPoolExecutor(8) as pool:
        writing = [pool.submit(write, number) for number in range(8)]
        assert done.wait(60)
        found = subprocess.run(
            ["pgrep", "-P", str(running.process.pid)], capture_output=True, text=True
        ).stdout.split()
        os.kill(int(found[0]), signal.SIGKILL)
        for one in writing:
            one.result()
    with running.client(token) as http:
        items, cursor = list[dict[str, Any]](), None
        while cursor is not None or not items:
            page = http.get(
                "/v1/records/jobs", params={"limit": 100, **({"cursor": cursor} if cursor else {})}
            ).json()
            items, cursor = items + page["items"], page["next"]
    running.stop()
    assert len(set(answered)) == len(answered) and set(answered) <= {one["number"] for one in items}
    # None twice, and none left out: who was killed took theirs with them.
    assert sorted(int(one["number"][2:]) for one in items) == list(range(1, len(items) + 1))
    raw = sqlite3.connect(next(folder.glob("*.db")))
    noticed = [json.loads(data)["number"] for (data,) in raw.execute("SELECT data FROM fenland_notices")]
    raw.close()
    # A notice of each that was saved, and of no other.
    assert sorted(noticed) == sorted(one["number"] for one in items)
    # With gaps: whoever was killed left at most what they had put by, which each that writes at once may do.
    slips = sorted(one["slip"] for one in items)
    assert len(set(slips)) == len(slips) and slips[0] >= 0 and slips[-1] < len(slips) + 9 * PORTION
    assert all(one["twice"] == one["hours"] * 2 and one["seen"] == one["twice"] + 1 for one in items)
    assert verify_database(next(folder.glob("*.db"))).faults == []


# --- told ---------------------------------------------------------------------------------------------


def test_the_command_tells_draws_and_lists_what_follows(tmp_path: Path) -> None:
    (tmp_path / "collections").mkdir()
    (tmp_path / "fenland.toml").write_text('title = "Loans"\nroles = ["office"]\n')
    for name, one in LOANS.items():
        (tmp_path / "collections" / f"{name}.yaml").write_text(json.dumps(one, default=float))
    told = fenland("consequences", str(tmp_path), env={"COLUMNS": "200"}).stdout
    for words in (
        "late is derived from record.days > 14",
        "due_on begins as next.lent_on + 14",
        "tool is emptied\n      when the record of tools is deleted",
        "closed_by is set to actor.name",
        'on update and restore, if before.state == "out" && after.state == "back"',
        "collections/loans.yaml:1",
    ):
        assert words in told, told
    listed = json.loads(fenland("consequences", str(tmp_path), "--json").stdout)
    late = next(one for one in listed if one["kind"] == "derived")
    assert (late["place"], late["sources"]) == ("loans.late", ["loans.days"])
    shelf = next(one for one in listed if one["place"] == "loans.shelf")
    assert shelf["sources"] == ["loans.tool", "tools.shelf"]
    drawn = fenland("consequences", str(tmp_path), "--mermaid").stdout.splitlines()
    assert drawn[0] == "flowchart LR"
    names = dict(re.findall(r'(n\d+)\["([a-z_.]+)"\]', "\n".join(drawn)))
    arrows = {
        (names[start], names[end]) for start, end in re.findall(r"(n\d+) -->\|\w+\| (n\d+)", "\n".join(drawn))
    }
    assert {
        ("loans.days", "loans.late"),
        ("loans.late", "loans.fine"),
        ("tools.code", "loans.tool"),
    } <= arrows
    nothing = fenland("new", str(tmp_path / "empty")) and fenland("consequences", str(tmp_path / "empty"))
    assert "Nothing follows" in nothing.stdout


# --- mistakes ----------------------------------------------------------------------------------------

#: Effects, and a part of what is said.
MISTAKES: dict[str, tuple[Any, str]] = {
    "no mapping": (["x"], "effects holds 'x'"),
    "no trigger": ([{"set": {"n": "1"}}], "does not say on what it happens"),
    "no such trigger": ([{"on": ["save"], "set": {"n": "1"}}], "on names 'save'"),
    "a trigger that is none": ([{"on": 3, "set": {"n": "1"}}], "on is 3"),
    "nothing to do": ([{"on": ["update"]}], "does nothing"),
    "nothing set": ([{"on": ["update"], "set": {}}], "set is {}"),
    "a keyword that there is not": ([{"on": ["update"], "set": {"n": "1"}, "then": 1}], "'then'"),
    "no field": ([{"on": ["update"], "set": {"nn": "1"}}], "sets 'nn', which is no field"),
    "no expression": ([{"on": ["update"], "set": {"n": "after."}}], "effects.0.set.n"),
    "another type": ([{"on": ["update"], "set": {"n": '"x"'}}], "set gives string, and field 'n' holds int."),
    "a value of another type": ([{"on": ["update"], "set": {"s": 5}}], "set gives int"),
    "no condition": ([{"on": ["update"], "if": "after.n", "set": {"n": "1"}}], "must be true or false"),
    "a condition that is none": ([{"on": ["update"], "if": 4, "set": {"n": "1"}}], "if is 4"),
    "record": ([{"on": ["update"], "if": "record.n > 1", "set": {"n": "1"}}], "Speak of after"),
    "next": ([{"on": ["update"], "set": {"n": "next.n"}}], "Speak of after"),
    "a derived field": ([{"on": ["update"], "set": {"d": "1"}}], "which is derived"),
    "the key": ([{"on": ["create"], "set": {"code": "'x'"}}], "sets the key 'code'"),
    "a fixed field": ([{"on": ["create", "update"], "set": {"f": "1"}}], "which is fixed"),
    "what is erased": ([{"on": ["update"], "set": {"s": "after.e"}}], "made of 'e', which is sensitive"),
    "what is never shown": ([{"on": ["update"], "set": {"s": "before.w"}}], "made of 'w', which is writeOnly"),
    "too far": ([{"on": ["update"], "set": {"s": "after.up.up.up.up.s"}}], "followed"),
}  # fmt: skip
FIELDS: dict[str, Any] = {
    "n": WHOLE, "s": TEXT, "d": WHOLE | {"derived": "record.n"}, "f": WHOLE | {"fixed": True}, "up": {"references": "jobs"},
    "e": TEXT | {"sensitive": True}, "w": TEXT | {"writeOnly": True},
}  # fmt: skip


@pytest.mark.parametrize("name", MISTAKES)
def test_a_mistake_in_an_effect_is_told_at_its_place(name: str) -> None:
    effects, said = MISTAKES[name]
    described = {"jobs": {"key": "code", "fields": {"code": CODE, **FIELDS}, "effects": effects}}
    with pytest.raises(DefinitionMistakes) as caught:
        definitions_from(described)
    assert any(said in f"{one.what} {one.hint}" for one in caught.value.mistakes), caught.value.mistakes
    assert all(one.pointer.startswith("/effects/0") for one in caught.value.mistakes)


#: A field, and a part of what is said of its default.
DEFAULTS: dict[str, tuple[Any, str]] = {
    "no text": (TEXT | {"default": {"expression": 3}}, "expression is 3"),
    "no expression": (TEXT | works_out("next."), "fields.x.default.expression"),
    "another type": (WHOLE | works_out("today"), "default gives date, and field 'x' holds int."),
    "itself": (WHOLE | works_out("next.x"), "x → x"),
    "record": (WHOLE | works_out("record.n"), "There is no record yet"),
    "a derived field": (WHOLE | works_out("next.d"), "asks for 'd', which is derived"),
    "what is erased": (TEXT | works_out("next.e"), "made of 'e', which is sensitive"),
    "more than an expression": (TEXT | {"default": {"expression": "today", "also": 1}}, "has no keyword 'also'"),
    "nothing that a default can be": (TEXT | {"default": {"now": 1}}, "Write a value, or one of expression, series, pick"),
    "a pick of nothing": (TEXT | {"default": {"pick": "each.code"}}, "does not say of which records"),
    "a pick of no collection": (TEXT | {"default": {"pick": "each.code", "of": "nowhere"}}, "which is no collection"),
    "a pick of an unknown field": (TEXT | {"default": {"pick": "each.nowhere", "of": "jobs"}}, "no field 'nowhere'"),
    "a pick that is no text": (TEXT | {"default": {"pick": 3, "of": "jobs"}}, "It must be a text"),
    "a pick where nothing is true": (TEXT | {"default": {"pick": "each.id", "of": "jobs", "where": "each.id"}}, "must be true or false"),
    "a pick of what does not fit": (WHOLE | {"default": {"pick": "each.id", "of": "jobs"}}, "holds int"),
    "a series with odd gaps": (WHOLE | {"unique": True, "default": {"series": 1, "gaps": "some"}}, "It must be true or false"),
    "derived": (WHOLE | {"derived": "record.n"} | works_out("1"), "default has no say"),
    "a series of what is not unique": (WHOLE | {"default": {"series": 1}}, "is not unique"),
    "a series that does not begin": (TEXT | {"unique": True, "default": {"series": "T-"}}, "ends in digits"),
    "a series of text for numbers": (WHOLE | {"unique": True, "default": {"series": "T-1"}}, "Write the first number"),
    "a series below zero": (WHOLE | {"unique": True, "default": {"series": -1}}, "Write the first number"),
    "a series of fractions": (CENTS | {"unique": True, "default": {"series": 1}}, "Write the first number"),
    "a series that breaks its field": (TEXT | {"unique": True, "maxLength": 3, "default": {"series": "T-0001"}}, "breaks the field's own rules"),
    "inside a field": ({"type": "object", "properties": {"y": TEXT | works_out("today")}}, "belongs to a field"),
}  # fmt: skip


@pytest.mark.parametrize("name", DEFAULTS)
def test_a_mistake_in_a_default_is_told_at_its_place(name: str) -> None:
    item, said = DEFAULTS[name]
    with pytest.raises(DefinitionMistakes) as caught:
        definitions_from({"jobs": {"key": "code", "fields": {"code": CODE, **FIELDS, "x": item}}})
    assert any(said in f"{one.what} {one.hint}" for one in caught.value.mistakes), caught.value.mistakes


def test_of_an_object_a_mapping_is_a_value() -> None:
    item = {"type": "object", "default": {"expression": "today"}}
    jobs = definitions_from({"jobs": {"key": "code", "fields": {"code": CODE, "x": item}}}).collections[
        "jobs"
    ]
    assert json.dumps(jobs.fields["x"].default) == '{"expression": "today"}'


# --- any project, any requests -----------------------------------------------------------------------

#: What formulas may be, of whichever record.
PIECES = [
    "R.a", "R.b + 1", "R.a * 9223372036854775807", "R.t + 'x'", "size(R.t)", "1 / R.b", "R.l.exists(i, i > R.a)", "R.a > 1",
    "R.l", "string(R.a)", "R.t", "{'a': R.a}", "R.code",
]  # fmt: skip
CONDITIONS = [
    "after.a > 1",
    "before.a != after.a",
    "after.r.a == 2",
    "after.x == after.y",
    "1 / after.b == 1",
]
VALUES: dict[str, list[Any]] = {
    "a": [0, 1, 2, 3, None, 2**62], "b": [0, 1, None], "t": ["", "x", "y" * 18, None], "l": [[], [1, 5], None],
}  # fmt: skip


def any_project(dice: random.Random) -> dict[str, Any]:
    """A project whose formulas fit their fields; most that are drawn do not."""
    while True:
        fields: dict[str, Any] = {
            "code": CODE | {"default": {"series": "T-1"}}, "a": WHOLE, "b": WHOLE, "t": TEXT | {"maxLength": 20},
            "l": {"type": "array", "items": WHOLE}, "r": {"references": "jobs", "on_delete": "clear"},
        }  # fmt: skip
        for name in ("x", "y"):
            item: dict[str, Any] = {"type": dice.choice(["string", "integer", "number", "boolean", "array"])}
            if item["type"] == "number" and dice.random() < 0.5:
                item["multipleOf"] = Decimal("0.01")
            if dice.random() < 0.3:
                item["required"] = True
            if dice.random() < 0.6:
                item["derived"] = dice.choice(PIECES).replace("R.", "record.")
            else:
                item |= works_out(
                    dice.choice([*PIECES, "next.r.a", "today", "actor.name"]).replace("R.", "next.")
                )
            fields[name] = item
        effects = [
            {
                "on": dice.sample(["create", "update", "restore"], 2),
                "if": dice.choice(CONDITIONS),
                "set": {
                    dice.choice("abtxlr"): dice.choice(PIECES).replace(
                        "R.", dice.choice(["after.", "before."])
                    )
                },
            }
            for _ in range(dice.randrange(1, 4))
        ]
        described = {"jobs": {"key": "code", "access": ACCESS, "fields": fields, "effects": effects}}
        with suppress(DefinitionMistakes):
            definitions_from(described)
            return described


@pytest.mark.parametrize("seed", range(300 if NIGHTLY else 6))
def test_whatever_follows_nothing_fails_and_the_history_tells_all_of_it(tmp_path: Path, seed: int) -> None:
    dice, codes, path = random.Random(seed), list[str](), tmp_path / "jobs.db"
    with workshop_of(any_project(dice), path) as (_, http):
        for _ in range(25):
            sent = {name: dice.choice(known) for name, known in VALUES.items() if dice.random() < 0.6}
            if codes and dice.random() < 0.5:
                sent["r"] = dice.choice(codes)
            one = f"/v1/records/jobs/{dice.choice(codes)}" if codes else ""
            ways: list[tuple[str, str, Any]] = [("POST", "/v1/records/jobs", sent)]
            if one:
                ways += [
                    ("PATCH", one, sent),
                    ("PUT", one, sent),
                    ("DELETE", one, None),
                    ("POST", f"{one}/preview", sent),
                ]
                ways += [
                    ("POST", f"{one}/restore?version=1", None),
                    ("POST", f"/v1/history/{dice.randrange(1, 30)}/undo", None),
                ]
            method, place, body = dice.choice([ways[0], *ways])
            answer = http.request(method, place, json=body)
            assert answer.status_code < 500, (place, body, answer.text)
            if answer.status_code == 201:
                codes.append(answer.json()["code"])
    assert verify_database(path).faults == []
