"""Values from outside, at every place they can reach: what a browser or a spreadsheet would run, what is too much."""

from __future__ import annotations

import csv
import io
import zipfile
from typing import Any

import httpx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fenland.core.changes.tabular import csv_cell, csv_lines, read_csv
from fenland.core.limits import Limits
from fenland.service.service import Service
from support import bearer, workshop_of

KEY = {"type": "string", "required": True, "unique": True, "fixed": True}
URI = {"type": "string", "format": "uri"}
RIGHTS = {action: ["office"] for action in ("read", "create", "update", "delete")}
DESCRIBED = {
    "pages": {
        "key": "code", "access": RIGHTS,
        "fields": {
            "code": KEY, "link": URI, "links": {"type": "array", "items": URI}, "text": {"type": "string"}, "number": {"type": "integer"},
            "about": {"type": "object", "properties": {"home": URI, "others": {"type": "array", "items": URI}}},
        },
    }
}  # fmt: skip


@pytest.fixture(scope="module")
def house(tmp_path_factory: pytest.TempPathFactory) -> Any:
    with workshop_of(DESCRIBED, tmp_path_factory.mktemp("values") / "x.db", Limits(unpacked=2_000_000)) as (
        service,
        http,
    ):
        http.post("/v1/records/pages", json={"code": "P1", "link": "https://a.example"}).raise_for_status()
        yield service, http


BAD = [
    "javascript:alert(1)",
    "JaVaScRiPt:alert(1)",
    "data:text/html,x",
    "vbscript:x",
    "file:///etc/x",
    "blob:https://a/b",
]
GOOD = ["https://a.example/b?c#d", "HTTP://a.example", "mailto:a@b.example", "tel:+4412"]
PLACES: dict[str, Any] = {
    "field": lambda value: {"link": value},
    "list": lambda value: {"links": ["https://a.example", value]},
    "object": lambda value: {"about": {"home": value}},
    "list in object": lambda value: {"about": {"others": [value]}},
}


@pytest.mark.parametrize("place", PLACES)
def test_a_uri_that_a_browser_would_run_is_kept_nowhere(
    house: tuple[Service, httpx.Client], place: str
) -> None:
    http, path = house[1], "/v1/records/pages"
    for value in BAD:
        fields = PLACES[place](value)
        answers = [
            http.patch(f"{path}/P1", json=fields), http.put(f"{path}/P1", json={"code": "P1", **fields}), http.post(path, json={"code": "P9", **fields}),
            http.put(f"{path}/by/code/P9", json=fields), http.patch(f"{path}?code=P1", json=fields),
        ]  # fmt: skip
        assert [one.status_code for one in answers] == [422] * 5, (value, [one.text for one in answers])
        assert {error["code"] for one in answers[:4] for error in one.json()["errors"]} == {"scheme"}
    for value in GOOD:
        assert http.patch(f"{path}/P1", json=PLACES[place](value)).status_code == 200, value


STARTS = st.sampled_from(
    ["", "=", "+", "-", "@", "\t", "\r", "'", "'=", "''", "=1+1", "-5", "@SUM(A1)", "\n="]
)


@settings(max_examples=200, deadline=None)
@given(
    rows=st.lists(
        st.tuples(
            st.builds(str.__add__, STARTS, st.text(max_size=8)),
            st.builds(str.__add__, STARTS, st.text(max_size=3)),
        ),
        min_size=1,
        max_size=5,
    )
)
def test_no_cell_is_run_and_each_reads_back_the_same(rows: list[tuple[str, str]]) -> None:
    clean = [tuple(cell.replace("\0", "").encode("utf-8", "ignore").decode() for cell in row) for row in rows]
    text = csv_lines([["a", "b"], *([csv_cell(cell) for cell in row] for row in clean)])
    for row in csv.reader(io.StringIO(text, newline="")):
        assert not any(cell.startswith(("=", "+", "-", "@", "\t", "\r")) for cell in row)
    found = [(one.cells.get("a", ""), one.cells.get("b", "")) for one in read_csv(text.encode())]
    assert found == [row for row in clean if any(row)]


@settings(max_examples=30, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    text=st.builds(str.__add__, STARTS, st.text(st.characters(blacklist_categories=["Cs", "Cc"]), max_size=6))
)
def test_a_list_that_is_exported_and_imported_is_the_same(
    house: tuple[Service, httpx.Client], text: str
) -> None:
    http = house[1]
    http.patch("/v1/records/pages/P1", json={"text": text, "number": -5}).raise_for_status()
    exported = http.get(
        "/v1/records/pages", params={"fields": "code,text,number"}, headers={"Accept": "text/csv"}
    ).text
    assert ",-5" in exported
    assert (
        "".join(one for one in csv.reader(io.StringIO(exported, newline="")).__next__()) == "codetextnumber"
    )
    if text:
        http.patch("/v1/records/pages/P1", json={"text": "other"}).raise_for_status()
    kind = {"Content-Type": "text/csv"}
    found = http.post("/v1/records/pages/import", content=exported.encode(), headers=kind).json()
    assert found["refused"] == 0, found
    assert http.get("/v1/records/pages/P1").json()["text"] == text
    entries = http.get("/v1/history", headers={"Accept": "text/csv"}).text
    assert not any(
        cell[:1] in "=+@" for row in csv.reader(io.StringIO(entries, newline="")) for cell in row if cell
    )


# --- spreadsheets ----------------------------------------------------------------------------------------

SHEET = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def _sheet(**parts: bytes) -> bytes:
    from openpyxl import Workbook

    book = Workbook()
    book.active.append(["code", "text"])
    book.active.append(["X1", "x"])
    made = io.BytesIO()
    book.save(made)
    packed = zipfile.ZipFile(made, "a", zipfile.ZIP_DEFLATED)
    for name, content in parts.items():
        packed.writestr(name.replace("__", "/").replace("_xml", ".xml"), content)
    packed.close()
    return made.getvalue()


@pytest.mark.parametrize(
    ("content", "status"),
    [
        (_sheet(xl__more_xml=b"0" * 3_000_000), 413),
        (_sheet(xl__more_xml=b'<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>'), 400),
        (_sheet(xl__more_xml='<!DOCTYPE a SYSTEM "file:///etc/passwd"><a/>'.encode("utf-16")), 400),
        (_sheet(xl__more_xml=b" " * (65_536 - 5) + b"<!DOCTYPE a><a/>"), 400),
        (b"PK\x03\x04 nothing", 400),
        (_sheet(), 200),
    ],
    ids=["unpacked", "entity", "outside, utf-16", "across pieces", "no zip", "sound"],
)
def test_spreadsheets_are_bounded_and_hold_no_entities(
    house: tuple[Service, httpx.Client], content: bytes, status: int
) -> None:
    answer = house[1].post("/v1/records/pages/import", content=content, headers={"Content-Type": SHEET})
    assert answer.status_code == status, answer.text


def test_who_may_bring_nothing_in_has_nothing_unpacked(house: tuple[Service, httpx.Client]) -> None:
    for mode in ("both", "create", "update"):
        answer = house[1].post(
            f"/v1/records/pages/import?mode={mode}",
            content=b"\0" * 100,
            headers={**bearer("vic"), "Content-Type": SHEET},
        )
        assert answer.status_code == 403


def test_numbers_and_times_beyond_all_bounds_are_refused_or_answered(
    house: tuple[Service, httpx.Client],
) -> None:
    http = house[1]
    for number in (0, 2**62, 2**63, 2**64, 10**40):
        for method, path in (
            ("GET", f"/v1/history/{number}"),
            ("GET", f"/v1/history/{number}/proof"),
            ("POST", f"/v1/history/{number}/undo"),
        ):
            assert http.request(method, path).status_code == 404, path
        for path in (
            f"/v1/history?below={number}",
            f"/v1/records/pages/P1?version={number}",
            f"/v1/history/1/proof?size={number}",
            f"/v1/history/consistency?from={number}",
        ):
            assert http.get(path).status_code < 500, path
    for query in (
        "to=9999-12-31",
        "from=0001-01-01&to=0001-01-02",
        "to=0001-01-01",
        "from=9999-12-31&to=9999-12-31",
        "from=0001-01-01",
    ):
        answer = http.get(f"/v1/history/activity?{query}")
        assert answer.status_code in (200, 400), (query, answer.text)
