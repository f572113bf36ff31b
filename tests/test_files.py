"""Files: rows brought in from every kind of file, lists written into them, and what is put by a unique field."""

from __future__ import annotations

import csv
import io
import json
import os
import socket
import subprocess
import threading
import time
from collections.abc import Mapping
from decimal import Decimal
from pathlib import Path
from typing import Any

import httpx
import openpyxl
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from commands import fenland
from fenland.core.changes.tabular import cell_text, csv_cell, csv_lines, read_csv
from fenland.core.limits import Limits
from fenland.service.files.spreadsheets import read_sheet, write_sheet
from fenland.service.service import Service
from support import FENLAND, Running, bearer, start, workshop_of

CSV, JSONL = "text/csv", "application/jsonl"
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
ACCESS = {right: ["everyone"] for right in ("read", "create", "update", "delete")}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}

PARTS = {
    "parts": {
        "key": "code",
        "access": {**ACCESS, "update": "record.locked != true"},
        "fields": {
            "code": {**CODE, "pattern": "^P[0-9]+$"},
            "title": {"type": "string", "title": "What it is", "maxLength": 20},
            "serial": {"type": "integer", "unique": True, "minimum": 0},
            "price": {"type": "number", "multipleOf": Decimal("0.01")},
            "on": {"type": "string", "format": "date"},
            "locked": {"type": "boolean"},
            "tags": {"type": "array", "items": {"type": "string"}},
            "within": {"references": "parts"},
            "secret": {"type": "string", "access": {"read": ["office"]}},
        },
    }
}


@pytest.fixture
def parts(tmp_path: Path):
    limits = Limits(rows=3_000, file=2_000_000)
    with workshop_of(PARTS, tmp_path / "parts.db", limits) as found:
        yield found


def brought(
    http: httpx.Client, text: str | bytes, kind: str = CSV, code: int = 200, **query: Any
) -> dict[str, Any]:
    content = text.encode() if isinstance(text, str) else text
    found = http.post(
        "/v1/records/parts/import", params=query, content=content, headers={"Content-Type": kind}
    )
    assert found.status_code == code, found.text
    return found.json(parse_float=Decimal)


def counts(found: Mapping[str, Any]) -> tuple[int, int, int, int]:
    return found["created"], found["updated"], found["unchanged"], found["refused"]


def listed(http: httpx.Client, **query: Any) -> dict[str, dict[str, Any]]:
    items = http.get("/v1/records/parts", params={"limit": 200, **query}).json(parse_float=Decimal)["items"]
    return {one["code"]: one for one in items}


# --- importing ---------------------------------------------------------------------------------------

FIRST = 'Code,What it is,SERIAL,price,on,locked,tags\r\nP1,One,1,1.5,2031-04-09,true,"[""a""]"\r\nP2,"Two, and\nmore",,,,,\r\n'

#: What is sent after FIRST, how, and what becomes of the rows: created, updated, unchanged, refused; of P1 then.
ROWS: dict[str, tuple[str, str, dict[str, Any], tuple[int, int, int, int], dict[str, Any]]] = {
    "the same again": (FIRST, CSV, {}, (0, 0, 1, 1), {}),
    "a blank keeps": ("code,title,serial\nP2,,7\nP3,New,\n", CSV, {}, (1, 1, 0, 0), {}),
    "a blank clears": ("code,title\nP2,\n", CSV, {"blank": "clear"}, (0, 1, 0, 0), {}),
    "a blank is refused": ("code,title\nP2,\n", CSV, {"blank": "reject"}, (0, 0, 0, 1), {}),
    "only new ones": ("code,title\nP2,x\nP3,y\n", CSV, {"mode": "create"}, (1, 0, 0, 1), {}),
    "only those there": ("code,title\nP2,x\nP3,y\n", CSV, {"mode": "update"}, (0, 1, 0, 1), {}),
    "by another field": ("serial,title\n9,none\n", CSV, {"by": "serial", "mode": "update"}, (0, 0, 0, 1), {}),
    "one twice": ("code,title\nP3,a\nP3,b\nP3,b\n", CSV, {}, (1, 1, 1, 0), {}),
    "one twice, new": ("code,title\nP3,a\nP3,b\n", CSV, {"mode": "create"}, (1, 0, 0, 1), {}),
    "a value twice": ("code,serial\nP3,5\nP4,5\n", CSV, {}, (1, 0, 0, 1), {}),
    "within one before": ("code,within\nP3,P2\nP4,P3\nP5,P9\n", CSV, {}, (2, 0, 0, 1), {}),
    "JSON Lines": ('{"code": "P3", "price": 1.25, "tags": ["x"]}\n\n{"code": "P2", "title": null}\n', JSONL, {}, (1, 1, 0, 0), {}),
    "lines of other members": ('{"code": "P3"}\n{"code": "P4", "title": "x"}\n{"code": "P5", "nope": 1}\n[]\nno\n', JSONL, {}, (2, 0, 0, 3), {}),
    "a first line that cannot be read": ('no\n{"code": "P3"}\n', JSONL, {}, (1, 0, 0, 1), {}),
    "what may not be changed": ("code,title\nP1,x\n", CSV, {}, (0, 0, 0, 1), {}),
}  # fmt: skip


@pytest.mark.parametrize("name", ROWS)
def test_rows_are_created_or_brought_up_to_date(parts: tuple[Service, httpx.Client], name: str) -> None:
    _, http = parts
    text, kind, query, expected, _ = ROWS[name]
    assert counts(brought(http, FIRST)) == (2, 0, 0, 0)
    before = listed(http)
    assert (before["P1"]["price"], before["P1"]["tags"], before["P1"]["locked"]) == (
        Decimal("1.50"),
        ["a"],
        True,
    )
    assert before["P2"]["title"] == "Two, and\nmore"
    # A preview finds what then becomes of them, and leaves everything as it was.
    seen = brought(http, text, kind, preview="true", **query)
    assert (counts(seen), seen["done"]) == (expected, False)
    assert listed(http) == before
    assert len(seen["changes"]) == expected[0] + expected[1]
    found = brought(http, text, kind, reason="why", **query)
    assert counts(found) == expected
    assert found["problems"] == seen["problems"]
    after = listed(http)
    assert len(after) == 2 + expected[0]
    entries = [
        entry
        for code in after
        for entry in http.get(f"/v1/records/parts/{code}/history").json()["items"]
        if entry["reason"] == "why"
    ]
    assert len(entries) == expected[0] + expected[1]
    # All or nothing, of what is refused for a row, keeps nothing.
    if expected[3]:
        atomic = brought(http, text, kind, 422, atomic="true", **query)
        assert (atomic["created"], atomic["updated"], atomic["done"]) == (0, 0, False)
    assert listed(http) == after


def test_all_that_is_wrong_with_a_row_is_told_by_cell(parts: tuple[Service, httpx.Client]) -> None:
    _, http = parts
    text = "Code,What it is,serial,price,on\nQ1,far too long for a title,-1,1.234,tomorrow\nP1,a,x,y,2031-04-09,more\n"
    found = brought(http, text)
    first, second = found["problems"]
    told = {(one["column"], one["code"]) for one in first["errors"]}
    assert told == {
        ("Code", "pattern"),
        ("What it is", "max_length"),
        ("serial", "minimum"),
        ("price", "multiple_of"),
        ("on", "format"),
    }
    assert (first["row"], second["row"]) == (2, 3)
    assert "6 cells" in second["detail"]


MATCHES = [
    ("code,Was es ist\nP1,x\n", {}, 400, "Was es ist"),
    ("code,Was es ist\nP1,x\n", {"map": '{"Was es ist": "title"}'}, 200, ""),
    ("code,Was es ist\nP1,x\n", {"map": '{"Was es ist": null}'}, 200, ""),
    ("code,x\nP1,x\n", {"map": '{"y": "title"}'}, 400, "column 'y'"),
    ("code,x\nP1,x\n", {"map": '{"x": "titel"}'}, 400, "Did you mean 'title'"),
    ("code,x\nP1,x\n", {"map": "no"}, 400, "JSON object"),
    ("code,title,what-it-is\nP1,x,y\n", {}, 400, "all stand for 'title'"),
    ("code;title\nP1;x\n", {}, 400, "semicolons"),
    ("code,code\nP1,P1\n", {}, 400, "stands twice"),
    ("code,\nP1,x\n", {}, 400, "has no name"),
    ('code,title\nP1,"x\n', {}, 400, "not CSV"),
    (b"code,title\nP1,\xff\n", {}, 400, "not UTF-8"),
    ("", {}, 400, "is empty"),
    ("title\nx\n", {}, 400, "No column stands for code"),
    ("code\nP1\n", {"by": "title"}, 400, "no unique field"),
    ("code\nP1\n", {"mode": "replace"}, 400, "create, update, both"),
    ("code\nP1\n", {"blank": "maybe"}, 400, "blank"),
    ("code\nP1\n", {"what": "x"}, 400, "no query parameter"),
    ("id,version,created_by,code,_row,_reason\nx,9,y,P1,2,z\n", {}, 200, ""),
    ("\ufeffcode,title\nP1,x\n", {}, 200, ""),
]  # fmt: skip


@pytest.mark.parametrize(("text", "query", "status", "told"), MATCHES)
def test_columns_are_matched_or_the_file_is_refused(
    parts: tuple[Service, httpx.Client], text: str | bytes, query: dict[str, Any], status: int, told: str
) -> None:
    _, http = parts
    found = brought(http, text, code=status, **query)
    if status == 200:
        assert counts(found) == (1, 0, 0, 0)
    else:
        assert told in found["detail"]
        assert listed(http) == {}


def test_a_spreadsheet_is_read_by_the_types_of_its_fields(parts: tuple[Service, httpx.Client]) -> None:
    import datetime

    _, http = parts
    book = openpyxl.Workbook()
    book.active.append(["code", "title", "serial", "price", "on", "locked", "tags"])
    book.active.append(["P1", 12, 7.0, 1.5, datetime.date(2031, 4, 9), False, None])
    book.active.append(["P2", "=1+1", None, None, None, None, '["a"]'])
    book.active.append([None, None])
    file = io.BytesIO()
    book.save(file)
    assert counts(brought(http, file.getvalue(), XLSX)) == (2, 0, 0, 0)
    one = listed(http)["P1"]
    assert (one["title"], one["serial"], one["price"], one["on"], one["locked"]) == (
        "12",
        7,
        Decimal("1.50"),
        "2031-04-09",
        False,
    )
    for broken in (b"no", file.getvalue()[:-100], b"PK\x03\x04" + b"\0" * 50):
        assert "not a spreadsheet" in brought(http, broken, XLSX, 400)["detail"]


def test_what_may_not_be_seen_is_neither_told_nor_written(parts: tuple[Service, httpx.Client]) -> None:
    _, http = parts
    brought(http, "code,secret\nP1,quiet\n")
    carl = {**bearer("carl"), "Accept": CSV}
    assert "secret" not in http.get("/v1/records/parts", headers=carl).text.splitlines()[0]
    found = http.post(
        "/v1/records/parts/import",
        params={"preview": "true"},
        content="code,secret\nP1,loud\n",
        headers={**bearer("carl"), "Content-Type": CSV},
    ).json()
    assert "quiet" not in json.dumps(found)


def test_limits_name_their_settings(parts: tuple[Service, httpx.Client]) -> None:
    _, http = parts
    rows = "code\n" + "".join(f"P{number}\n" for number in range(3_001))
    assert brought(http, rows, code=413, atomic="true")["limit"] == "import_limit"
    broken = brought(http, rows, code=413)
    # Each row is on its own, so what came before the limit is kept; it is told, with what takes it back.
    batch = http.get("/v1/history", params={"limit": 1}).json()["items"][0]["batch"]
    assert broken["limit"] == "import_limit"
    assert f"Of the first 3000 rows what could be was saved, as the batch {batch}. Then" in broken["detail"]
    assert counts(brought(http, rows[:-6], mode="create"))[0] == 0
    assert brought(http, "x" * 2_000_001, code=413)["limit"] == "import_body_limit"
    many = http.post(
        "/v1/records/parts/import", content=rows, headers={"Content-Type": CSV, "Idempotency-Key": "k"}
    )
    assert "at most 1000 rows" in many.json()["detail"]
    assert (
        http.post("/v1/records/parts/import", content="x", headers={"Content-Type": "text/plain"}).status_code
        == 415
    )


def test_a_portion_sent_again_is_taken_once(parts: tuple[Service, httpx.Client]) -> None:
    _, http = parts
    headers = {"Content-Type": CSV, "Idempotency-Key": "portion-1"}
    sent = [
        http.post("/v1/records/parts/import", content="code\nP1\nbad\n", headers=headers) for _ in range(2)
    ]
    first, again = (one.json() for one in sent)
    assert (again["created"], again["refused"], again["problems"][0]["row"]) == (1, 1, 3)
    assert counts(first) == counts(again)
    assert sent[1].headers["Fenland-Repeated"] == "true"
    assert len(http.get("/v1/records/parts/P1/history").json()["items"]) == 1


def test_a_row_whose_value_was_taken_meanwhile_is_refused_alone(
    parts: tuple[Service, httpx.Client], monkeypatch: pytest.MonkeyPatch
) -> None:
    # Rows are written together: what only the write itself finds is told of its own row.
    from fenland.service.files import importing

    _, http = parts
    brought(http, "code,serial\nP1,5\n")
    monkeypatch.setattr("fenland.service.changes.settling.check_others", lambda *given: iter(()))
    found = brought(http, "code,serial\nP2,6\nP3,5\nP4,7\n", mode="create")
    assert counts(found) == (3 - 1, 0, 0, 1)
    assert found["problems"][0]["row"] == 3
    assert set(listed(http)) == {"P1", "P2", "P4"}
    assert importing.TOGETHER >= 3


# --- exporting ---------------------------------------------------------------------------------------

VALUES = st.fixed_dictionaries(
    {
        "title": st.none() | st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=20),
        "serial": st.none() | st.integers(0, 2**62),
        "price": st.none() | st.decimals("-1e9", "1e9", places=2),
        "on": st.none() | st.dates().map(str),
        "locked": st.none() | st.just(value=False),
        "tags": st.none()
        | st.lists(st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=5), max_size=3),
    }
)


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    rows=st.lists(VALUES, max_size=6, unique_by=lambda one: one["serial"] or object()),
    kind=st.sampled_from([CSV, JSONL, XLSX]),
)
def test_what_is_exported_reads_back_as_it_was(
    tmp_path_factory: pytest.TempPathFactory, rows: list[dict[str, Any]], kind: str
) -> None:
    path = tmp_path_factory.mktemp("parts") / "parts.db"
    with workshop_of(PARTS, path) as (_, http):
        for number, row in enumerate(rows):
            text = json.dumps({"code": f"P{number}", **row}, default=float)
            headers = {"Content-Type": "application/json"}
            assert http.post("/v1/records/parts", content=text, headers=headers).status_code == 201
        before = listed(http)
        file = http.get("/v1/records/parts", headers={"Accept": kind})
        assert file.headers["Content-Type"].split(";")[0] == kind
        for code in before:
            http.delete(f"/v1/records/parts/{code}").raise_for_status()
        if rows:
            content = file.content
            if kind == JSONL:
                mine = [json.loads(line, parse_float=Decimal) for line in content.splitlines()]
                kept = PARTS["parts"]["fields"]
                content = b"\n".join(
                    json.dumps(
                        {
                            name: float(v) if isinstance(v, Decimal) else v
                            for name, v in one.items()
                            if name in kept
                        }
                    ).encode()
                    for one in mine
                )
            assert counts(brought(http, content, kind)) == (len(rows), 0, 0, 0)
        names = PARTS["parts"]["fields"]
        after = listed(http)
        assert {c: [one[n] for n in names] for c, one in after.items()} == {
            c: [one[n] for n in names] for c, one in before.items()
        }


def test_a_file_holds_the_list_that_was_asked_for(parts: tuple[Service, httpx.Client]) -> None:
    _, http = parts
    rows = "code,serial\n" + "".join(f"P{number},{number}\n" for number in range(450))
    assert brought(http, rows)["created"] == 450
    asked = {"where": "serial >= 10", "sort": "-serial", "fields": "code,serial"}
    found = http.get("/v1/records/parts", params=asked, headers={"Accept": CSV})
    lines = list(csv.reader(io.StringIO(found.text)))
    assert lines == [["code", "serial"], *([f"P{number}", str(number)] for number in range(449, 9, -1))]
    sheet = http.get("/v1/records/parts", params=asked, headers={"Accept": XLSX}).content
    assert list(read_sheet(sheet)) == lines
    assert http.head("/v1/records/parts", headers={"Accept": CSV}).text == ""
    for wrong in ({"cursor": "x"}, {"count": "true"}, {"where": "nope > 1"}, {"fields": "nope"}):
        assert http.get("/v1/records/parts", params=wrong, headers={"Accept": CSV}).status_code == 400
    assert (
        http.get("/v1/records/parts", headers={"Accept": f"text/html, {CSV};q=0.5"})
        .headers["Content-Type"]
        .startswith(CSV)
    )


def test_nothing_in_a_record_becomes_a_formula() -> None:
    with write_sheet([["=1+1", "+1", "plain"]]) as file:
        content = file.read()
    book = openpyxl.load_workbook(io.BytesIO(content))
    assert [cell.data_type for cell in book.active[1]] == ["s", "s", "s"]


@given(
    st.lists(
        st.lists(st.text(st.characters(exclude_characters="\0", exclude_categories=["Cs"])), min_size=1),
        min_size=1,
    )
)
@example([["''"]])
@example([["'=1"]])
def test_csv_reads_back_what_was_written(rows: list[list[str]]) -> None:
    width = max(map(len, rows))
    header = [f"c{number}" for number in range(width)]
    cells = [list(map(csv_cell, row)) for row in rows]
    found = list(read_csv(csv_lines([header, *cells]).encode()))
    assert [list(one.cells.values()) for one in found] == [row for row in rows if any(row)]


def test_an_export_that_fails_midway_never_looks_whole(sample: Running) -> None:
    # The real front: what it has begun to send cannot be taken back, and must not end properly.
    with (
        sample.client() as http,
        http.stream("GET", "/v1/records/inspections", headers={"Accept": JSONL}) as answer,
    ):
        assert answer.headers["Transfer-Encoding"] == "chunked"
        assert sum(1 for _ in answer.iter_lines()) > 1_000


def test_a_file_of_a_short_list_is_sent_as_well(sample: Running) -> None:
    # A list that the front would answer on its loop.
    with sample.client() as http:
        for media in (CSV, JSONL, XLSX):
            found = http.get("/v1/records/watercourses", headers={"Accept": media})
            assert (found.status_code, found.headers["Content-Type"].split(";")[0]) == (200, media)
        lines = http.get("/v1/records/watercourses", headers={"Accept": CSV}).text.splitlines()
        assert len(lines) > 20


def test_who_may_not_read_a_field_finds_nothing_by_it(tmp_path: Path) -> None:
    fields = {
        "code": CODE,
        "badge": {"type": "integer", "unique": True, "access": {"read": ["office"]}},
        "title": {"type": "string"},
    }
    with workshop_of({"parts": {"key": "code", "access": ACCESS, "fields": fields}}, tmp_path / "p.db") as (
        _,
        http,
    ):
        http.post("/v1/records/parts", json={"code": "P1", "badge": 7}).raise_for_status()
        headers = {**bearer("carl"), "Content-Type": CSV}
        query = {"by": "badge", "mode": "update"}
        found = http.post(
            "/v1/records/parts/import", params=query, content="badge,title\n7,x\n", headers=headers
        )
        assert found.json()["refused"] == 1
        assert (
            http.put("/v1/records/parts/by/badge/7", json={"code": "P9"}, headers=bearer("carl")).status_code
            == 422
        )


def test_texts_of_cells() -> None:
    for value, text in (
        (None, ""),
        (True, "true"),
        (Decimal("1E+2"), "100"),
        (1.5, "1.5"),
        ({"a": [1]}, '{"a":[1]}'),
    ):
        assert cell_text(value) == text


# --- put by a unique field ---------------------------------------------------------------------------


def test_a_record_is_put_where_a_unique_field_says(parts: tuple[Service, httpx.Client]) -> None:
    _, http = parts
    at = "/v1/records/parts/by/serial/7"
    assert http.put(at, json={"code": "P1"}, headers={"If-Match": '"x"'}).status_code == 412
    made = http.put(at, json={"code": "P1", "title": "a"}, headers={"If-None-Match": "*"})
    assert (made.status_code, made.headers["Location"], made.json()["serial"]) == (
        201,
        "/v1/records/parts/P1",
        7,
    )
    assert http.put(at, json={"code": "P2"}, headers={"If-None-Match": "*"}).status_code == 412
    again = http.put(at, json={"code": "P1", "title": "a"})
    assert (again.status_code, again.json()["version"]) == (200, 1)
    stale = http.put(at, json={"code": "P1", "title": "b"}, headers={"If-Match": made.headers["ETag"]})
    assert (stale.status_code, stale.json()["version"], stale.json()["title"]) == (200, 2, "b")
    assert http.put(at, json={"code": "P1"}, headers={"If-Match": made.headers["ETag"]}).status_code == 412
    wrong = http.put(at, json={"code": "P1", "serial": 8})
    assert [(one["code"], one["pointer"]) for one in wrong.json()["errors"]] == [("address", "/serial")]
    assert http.put("/v1/records/parts/by/code/P9", json={"title": "x"}).status_code == 201
    assert http.put("/v1/records/parts/by/title/x", json={}).status_code == 404
    assert http.put("/v1/records/parts/by/serial/no", json={"code": "P5"}).status_code == 404


def test_puts_at_once_make_one_record(sample: Running) -> None:
    with sample.client() as http:
        fields = {
            "name": "Once",
            "kind": "sluice",
            "area": "north",
            "watercourse": "W01",
            "keeper": "marta.quill",
        }
        statuses: list[int] = []

        def send() -> None:
            with sample.client() as mine:
                found = mine.put(
                    "/v1/records/stations/by/code/PS-777", json=fields, headers={"If-None-Match": "*"}
                )
                statuses.append(found.status_code)

        threads = [threading.Thread(target=send) for _ in range(8)]
        for one in threads:
            one.start()
        for one in threads:
            one.join()
        assert sorted(statuses) == [201, *[412] * 7]
        assert http.delete("/v1/records/stations/PS-777").status_code == 200


def test_a_batch_puts(parts: tuple[Service, httpx.Client]) -> None:
    _, http = parts
    items = [
        {"action": "put", "collection": "parts", "by": "serial", "value": 1, "fields": {"code": "P1"}, "as": "a"},
        {"action": "put", "collection": "parts", "by": "serial", "value": 1, "fields": {"code": "P1", "title": "x"}},
        {"action": "put", "collection": "parts", "by": "code", "value": "P2", "fields": {"within": {"created": "a"}}, "if_none_match": "*"},
    ]  # fmt: skip
    found = http.post("/v1/batch", json={"items": items}).json()
    assert [one["status"] for one in found["results"]] == [201, 200, 201]
    assert found["results"][2]["record"]["within"] == "P1"
    items[2]["fields"] = {}
    again = http.post("/v1/batch", json={"items": items[2:], "atomic": False}).json()
    assert [one["status"] for one in again["results"]] == [412]


# --- by command --------------------------------------------------------------------------------------


def run(folder: Path, sample: Running, *words: str, code: int = 0) -> str:
    environment = {
        "FENLAND_ADDRESS": sample.address,
        "FENLAND_TOKEN": "sample-office",
        "PATH": "/usr/bin:/bin",
    }
    made = fenland(*words, cwd=folder, env=environment, code=code)
    return made.stdout + made.stderr


def test_refused_rows_are_corrected_and_fed_back(sample: Running, tmp_path: Path) -> None:
    head = "code,Name,Kind,Area,Watercourse,Keeper,Pump count\n"
    rows = [
        f"PS-6{number:02},Fed {number},sluice,north,W01,marta.quill,{number % 5}\n" for number in range(30)
    ]
    rows[7] = rows[7].replace("W01", "W99")
    rows[9] = rows[9].replace(",4\n", ",many\n")
    (tmp_path / "s.csv").write_text(head + "".join(rows))
    assert "map" in run(tmp_path, sample, "import", "stations", "s.csv", code=1)
    words = ("--map", "Pump count=pumps", "--json")
    seen = json.loads(
        run(tmp_path, sample, "import", "stations", "s.csv", *words, "--preview", code=7).partition("\n✗")[0]
    )
    assert (seen["created"], seen["refused"], seen["preview"]) == (28, 2, True)
    told = json.loads(run(tmp_path, sample, "import", "stations", "s.csv", *words, code=7))
    assert (told["created"], told["refused"]) == (28, 2)
    assert [one["row"] for one in told["problems"]] == [9, 11]
    refused = tmp_path / "s.refused.csv"
    text = refused.read_text()
    assert "There is no 'W99' in watercourses" in text
    refused.write_text(text.replace("W99", "W02").replace("many", "4"))
    fed = json.loads(run(tmp_path, sample, "import", "stations", "s.refused.csv", *words))
    assert (fed["created"], fed["refused"]) == (2, 0)
    assert json.loads(run(tmp_path, sample, "import", "stations", "s.csv", *words, code=7))["unchanged"] == 28
    out = run(
        tmp_path,
        sample,
        "export",
        "stations",
        "--where",
        "name.startsWith('Fed')",
        "--fields",
        "code,pumps",
        "--as",
        "jsonl",
    )
    assert len(out.splitlines()) == 30
    run(tmp_path, sample, "export", "stations", "--out", "all.xlsx")
    assert "nothing is written over" in run(
        tmp_path, sample, "export", "stations", "--out", "all.xlsx", code=2
    )
    done = json.loads(run(tmp_path, sample, "import", "stations", "all.xlsx", "--json"))
    assert (done["updated"], done["refused"]) == (0, 0)
    run(tmp_path, sample, "delete-many", "stations", "--where", "name.startsWith('Fed')", "--expect", "30")


def test_a_broken_off_import_goes_on(sample: Running, tmp_path: Path) -> None:
    rows = [f'{{"number": "L8{number:03}", "name": "Gone on {number}"}}\n' for number in range(2_300)]
    (tmp_path / "l.jsonl").write_text("".join(rows))
    process = subprocess.Popen(
        [FENLAND, "import", "landholders", "l.jsonl"],
        cwd=tmp_path,
        env={"FENLAND_ADDRESS": sample.address, "FENLAND_TOKEN": "sample-office", "PATH": "/usr/bin:/bin"},
        stderr=subprocess.DEVNULL,
    )
    progress = tmp_path / "l.jsonl.progress"
    while process.poll() is None and not progress.exists():
        time.sleep(0.005)
    process.kill()
    process.wait()
    if progress.exists():
        assert "--resume" in run(tmp_path, sample, "import", "landholders", "l.jsonl", code=6)
        told = json.loads(
            run(tmp_path, sample, "import", "landholders", "l.jsonl", "--resume", "--json", code=7)
        )
        # What was taken before it was broken off is not sent again: it would be told as unchanged.
        assert (told["rows"], told["unchanged"]) == (2_300, 0)
    assert not progress.exists()


def test_an_export_that_breaks_off_ends_its_connection(
    project: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """On the wire: no last chunk, and the end of the connection; and no file under its final name."""
    monkeypatch.setenv("FENLAND_EVALUATION_LIMIT", "100000")
    running = start("start", project, project / "log")
    token = (project / "token").read_text()
    numbers = "[" + ",".join(map(str, range(200))) + "]"
    # Of the notes that come last it takes too much to tell.
    where = f"size(body) < 5 || {numbers}.exists(a, {numbers}.exists(b, size(body) == a * b + 99999))"
    rows = "".join(f"s{number:04},T,{'x' if number < 1500 else 'x' * 9}\n" for number in range(1600))
    with running.client(token) as http:
        content, kind = f"slug,title,body\n{rows}".encode(), {"Content-Type": "text/csv"}
        assert http.post("/v1/records/notes/import", content=content, headers=kind).json()["created"] == 1600
        with (
            pytest.raises(httpx.RemoteProtocolError),
            http.stream(
                "GET", "/v1/records/notes", params={"where": where}, headers={"Accept": "text/csv"}
            ) as answer,
        ):
            assert sum(map(len, answer.iter_bytes())) > 0
    host, port = running.address.removeprefix("http://").split(":")
    asked = httpx.Request("GET", f"{running.address}/v1/records/notes", params={"where": where}).url.raw_path
    with socket.create_connection((host, int(port)), timeout=30) as raw:
        raw.sendall(
            b"GET "
            + asked
            + f" HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer {token}\r\nAccept: application/jsonl\r\n\r\n".encode()
        )
        received = b""
        while piece := raw.recv(1 << 16):
            received += piece
    assert received.count(b'"slug"') >= 500
    assert not received.endswith(b"0\r\n\r\n")
    environment = {**os.environ, "FENLAND_TOKEN": token, "FENLAND_ADDRESS": running.address}
    words = ["export", "notes", "--where", where, "--out", str(project / "notes.csv")]
    broken = fenland(*words, env=environment, code=None)
    assert broken.returncode != 0
    assert "cut short" in broken.stderr
    assert not list(project.glob("notes.csv*"))
    assert running.stop() == 0
