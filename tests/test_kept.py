"""What is stored stays right: numbers of any size, forms, shapes of tables, bases, and repeated answers."""

from __future__ import annotations

import json
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import httpx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fenland.core.changes.edits import edits_from
from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.reading import definitions_from
from fenland.core.limits import DEFAULTS
from fenland.core.problems import Refusal
from fenland.core.values.plain import frozen, read_json, same, write_json
from fenland.service.service import Service
from fenland.storage.door import DatabaseRefused, open_database
from support import bearer, workshop_of

EVERYONE = {action: ["everyone"] for action in ("read", "create", "update", "delete")}
PAPERS = {
    "papers": {
        "key": "code",
        "access": EVERYONE,
        "fields": {
            "code": {"type": "string", "required": True, "unique": True, "fixed": True},
            "doc": {"type": "object"},
            "rows": {"type": "array"},
            "plan": {"type": "object", "properties": {"n": {"type": "number"}, "i": {"type": "integer"}}},
            "double": {"type": "number"},
            "whole": {"type": "number", "multipleOf": Decimal(1)},
            "exact": {"type": "number", "multipleOf": Decimal("0.01")},
            "count": {"type": "integer"},
            "moment": {"type": "string", "format": "date-time", "enum": ["2031-04-09T14:30:00+02:00"]},
            "note": {"type": "string", "blank": "keep"},
            "maker": {
                "type": "object",
                "properties": {"name": {"type": "string"}, "town": {"type": "string"}},
            },
        },
    }
}
MERGE = {"Content-Type": "application/merge-patch+json"}
AT = "/v1/records/papers/P1"


@pytest.fixture
def papers(tmp_path: Path) -> Iterator[tuple[Service, httpx.Client]]:
    with workshop_of(PAPERS, tmp_path / "papers.db") as opened:
        opened[1].post("/v1/records/papers", json={"code": "P1", "note": "n"}).raise_for_status()
        yield opened


@pytest.fixture
def http(papers: tuple[Service, httpx.Client]) -> httpx.Client:
    return papers[1]


def exact(answer: httpx.Response) -> Any:
    return json.loads(answer.content, parse_float=Decimal, parse_int=Decimal)


NUMBERS = [
    "1e20", "18446744073709551616", "-9223372036854775809", "1e400", "1e-400", "-1.5e300", "1.7976931348623157e308", "0.1",
    "5e-324", "123456789012345678901234567890.12345678901234567890", "9" * 400, "-0.0", "9007199254740993", "1E+31", "1e30",
]  # fmt: skip


@pytest.mark.parametrize("number", NUMBERS)
def test_a_number_in_free_json_is_kept_exactly(http: httpx.Client, number: str) -> None:
    body = f'{{"doc": {{"n": {number}, "in": [{number}]}}, "rows": [{number}]}}'
    saved = http.patch(AT, content=body, headers=MERGE)
    assert saved.status_code == 200, saved.text
    for path in ("", "/history", "/form", "?fields", "/../../papers"):
        answer = http.get(f"{AT}{path}" if path != "?fields" else "/v1/records/papers?q=")
        assert answer.status_code in (200, 400)
    found = exact(http.get(AT))
    assert found["doc"] == {"n": Decimal(number), "in": [Decimal(number)]}
    assert found["rows"] == [Decimal(number)]
    assert exact(saved) == found
    assert http.patch(AT, json={"note": "other"}).status_code == 200
    again = http.patch(AT, content=http.get(AT).content, headers=MERGE)
    assert (again.status_code, again.json()["version"]) == (200, 3)
    assert http.delete(AT).status_code == 200


@given(st.recursive(
    st.integers() | st.integers(-(10**300), 10**300) | st.floats(allow_nan=False, allow_infinity=False)
    | st.decimals(allow_nan=False, allow_infinity=False).filter(lambda d: abs(d.adjusted()) < 390),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=2), inner, max_size=3),
))  # fmt: skip
def test_writing_never_fails_and_reading_gives_the_value(value: Any) -> None:
    assert same(read_json(write_json(value)), value)
    assert frozen(read_json(write_json(value))) == frozen(value)


def test_a_database_with_such_a_number_opens_and_can_be_repaired(
    papers: tuple[Service, httpx.Client],
) -> None:
    service, http = papers
    service.database.write(
        lambda connection: connection.execute("UPDATE papers SET doc = ?", ('{"n": 100000000000000000000}',))
    )
    assert exact(http.get(AT))["doc"] == {"n": 10**20}
    assert http.patch(AT, json={"doc": {"n": 1}}).json()["doc"] == {"n": 1}


INCREASES = [
    ("doc/n", "1e20", "1", "100000000000000000001"), ("doc/n", "1", "1e-20", "1.00000000000000000001"),
    ("doc/n", "1e300", "1e-300", None), ("doc/n", "9" * 400, "2", None),
    ("count", "9223372036854775807", "1", None), ("exact", "0.01", "0.001", None), ("exact", "0.01", "0.1", "0.11"),
    ("double", "1e300", "1", None), ("double", "0.1", "0.2", "0.3"), ("whole", "1e300", "1e299", "1.1e300"),
]  # fmt: skip


@pytest.mark.parametrize(("at", "stored", "by", "then"), INCREASES)
def test_an_increase_keeps_every_digit_or_is_refused(
    http: httpx.Client, at: str, stored: str, by: str, then: str | None
) -> None:
    name, _, inner = at.partition("/")
    value = f'{{"{inner}": {stored}}}' if inner else stored
    http.patch(AT, content=f'{{"{name}": {value}}}', headers=MERGE).raise_for_status()
    body = f'{{"edits": [{{"at": "/{at}", "increase_by": {by}}}]}}'
    answer = http.patch(AT, content=body, headers={"Content-Type": "application/vnd.fenland.edits+json"})
    if then is None:
        assert (answer.status_code, answer.json()["errors"][0]["pointer"]) == (422, f"/{at}")
    else:
        found = exact(http.get(AT))[name]
        assert (found[inner] if inner else found) == Decimal(then)


CRLF = "\r\n"
PART = f'--x{CRLF}Content-Disposition: form-data; name="note"{CRLF}{CRLF}seen{CRLF}'.encode()
MULTIPART = "multipart/form-data; boundary=x"
URLENCODED = "application/x-www-form-urlencoded"
FORMS = [
    (MULTIPART, PART + b"--x--\r\n", 200), (MULTIPART, PART, 400), (MULTIPART, PART[:40], 400), (MULTIPART, b"", 400),
    ("multipart/form-data", PART + b"--x--\r\n", 400), ("multipart/form-data; boundary=y", PART + b"--x--\r\n", 400),
    (MULTIPART, PART.replace(b"seen", b"\xff") + b"--x--\r\n", 400), (MULTIPART, PART.replace(b'name="note"', b"n=1") + b"--x--\r\n", 400),
    (MULTIPART, PART * 1001 + b"--x--\r\n", 413), (URLENCODED, b"note=%FF", 400), (URLENCODED, b"note=\xff", 400),
    (URLENCODED, b"%ff=1", 400), (URLENCODED, b"&".join([b"note=1"] * 1001), 413), (URLENCODED, b"note=%C3%89", 200),
    (URLENCODED + "; charset=latin-1", b"note=1", 415), (URLENCODED, b"a" + b"/a" * 400 + b"=1", 413),
]  # fmt: skip


@pytest.mark.parametrize("method", ["PATCH", "PUT", "POST"])
@pytest.mark.parametrize(("kind", "body", "status"), FORMS)
def test_a_form_that_cannot_be_read_changes_nothing(
    http: httpx.Client, method: str, kind: str, body: bytes, status: int
) -> None:
    before = http.get(AT).json()
    path = "/v1/records/papers" if method == "POST" else AT
    answer = http.request(method, path, content=body, headers={"Content-Type": kind})
    assert answer.status_code == (422 if status == 200 and method == "POST" else status), answer.text
    if status != 200 or method == "POST":
        assert http.get(AT).json() == before
        assert len(http.get("/v1/records/papers").json()["items"]) == 1


def _without(*names: str) -> dict[str, Any]:
    return {name: one for name, one in PAPERS["papers"]["fields"].items() if name not in names}


SHAPES = [
    ({"exact": {"type": "number", "multipleOf": Decimal("0.001")}}, "holds decimals with 2 digits after the point, and will hold decimals with 3"),
    ({"exact": {"type": "integer"}}, "will hold whole numbers"), ({"count": {"type": "number"}}, "holds whole numbers, and will hold doubles"),
    ({"count": {"type": "number", "multipleOf": Decimal("0.1")}}, "will hold decimals with 1"), ({"doc": {"type": "array"}}, "holds objects, and will hold lists"),
    ({"moment": {"type": "string", "format": "date"}}, "holds moments, and will hold dates"), ({"note": {"type": "string", "unique": True}}, "may not share values any more in papers.note"),
    ({"note": {"type": "string", "required": True}}, "must be given from now on"), ({"extra": {"type": "string", "required": True}}, "extra is new, and must be given"),
]  # fmt: skip


@pytest.mark.parametrize(("changed", "told"), SHAPES)
def test_a_definition_that_would_reread_what_is_stored_is_refused(
    tmp_path: Path, changed: dict[str, Any], told: str
) -> None:
    path = tmp_path / "papers.db"
    open_database(path, definitions_from(PAPERS)).close()
    fields = {**PAPERS["papers"]["fields"], **changed}
    with pytest.raises(DatabaseRefused, match=told):
        open_database(path, definitions_from({"papers": PAPERS["papers"] | {"fields": fields}}))
    with pytest.raises(DatabaseRefused, match="Remove collection papers and all its records"):
        open_database(path, definitions_from({"leaves": PAPERS["papers"]}))
    open_database(path, definitions_from(PAPERS)).close()


def test_database_and_log_can_be_read_by_their_owner_alone(
    papers: tuple[Service, httpx.Client], tmp_path: Path
) -> None:
    modes = {path.name: oct(path.stat().st_mode & 0o777) for path in tmp_path.glob("papers.db*")}
    kept = ("", "-wal", "-shm", ".lock", ".counts", ".present", ".requests", ".requests-notes")
    assert modes == {f"papers.db{suffix}": "0o600" for suffix in kept}


WRONG = [
    ({"type": "string", "format": "uuid", "maxLength": 20}, "maxLength has no say"), ({"type": "string", "format": "date-time", "pattern": "Z$"}, "pattern has no say"),
    ({"type": "string", "enum": ["a", "a"]}, "holds 'a' twice"), ({"type": "string", "format": "date-time", "enum": ["2031-04-09T14:30:00Z", "2031-04-09T16:30:00+02:00"]}, "twice"),
]  # fmt: skip


@pytest.mark.parametrize(("field", "told"), WRONG)
def test_a_field_that_no_value_could_meet_is_refused(field: dict[str, Any], told: str) -> None:
    with pytest.raises(DefinitionMistakes, match=told):
        definitions_from({"x": {"fields": {"f": field}}})


def test_normal_forms_are_compared(http: httpx.Client) -> None:
    for text in ("2031-04-09T14:30:00+02:00", "2031-04-09T12:30:00Z", "2031-04-09T12:30:00.000000Z"):
        assert http.patch(AT, json={"moment": text}).status_code == 200
    assert http.patch(AT, json={"whole": 1e300}).json()["whole"] == 1e300
    assert http.patch(AT, json={"whole": 1.5}).json()["errors"][0]["code"] == "multiple_of"


# --- bases ------------------------------------------------------------------------------------------

PHONE = {"Fenland-Client": "phone-0001"}
#: What others did since version 1, what is sent with that base, and what the fields then are, or None for 409.
BASES: list[tuple[dict, dict, dict, dict | None]] = [
    ({"count": 5}, {"note": "mine"}, {}, {"count": 5, "note": "mine"}),
    ({"count": 5}, {"count": 6}, {}, None),
    ({"count": 5}, {"count": 1, "note": "mine"}, {}, {"count": 5, "note": "mine"}),
    ({"note": "theirs"}, {"note": "n", "count": 2}, {}, {"note": "theirs", "count": 2}),
    ({"maker": {"town": "Ely"}}, {"maker": {"name": "Ada", "town": "Wadlow"}, "count": 2}, {}, {"maker": {"name": "Ada", "town": "Ely"}, "count": 2}),
    ({"maker": {"town": "Ely"}}, {"maker": {"name": "Eve", "town": "Wadlow"}}, {}, None),
    ({"exact": 2.5}, {"exact": 1.250, "moment": None}, {}, {"exact": 2.5}),
    ({"count": 5}, {"count": 6}, PHONE, None),
]  # fmt: skip


@pytest.mark.parametrize(("theirs", "mine", "headers", "then"), BASES)
@pytest.mark.parametrize("by_tag", [True, False])
def test_a_field_sent_as_it_was_seen_is_nobodys_change(
    http: httpx.Client, theirs: dict, mine: dict, headers: dict, then: dict | None, by_tag: bool
) -> None:
    start = {"count": 1, "exact": 1.25, "maker": {"name": "Ada", "town": "Wadlow"}}
    seen = http.patch(AT, json=start)
    base = seen.headers["ETag"] if by_tag else seen.json()["version"]
    http.patch(AT, json=theirs, headers=bearer("carl")).raise_for_status()
    answer = http.patch(AT, params={"base": base}, json=mine, headers=headers)
    if then is None:
        assert answer.status_code == 409
        assert answer.json()["conflicts"][0].keys() == {"pointer", "base", "current", "yours"}
    else:
        assert answer.status_code == 200, answer.text
        assert {name: answer.json()[name] for name in then} == then


def test_a_whole_record_goes_back_with_its_base(http: httpx.Client) -> None:
    seen = http.get(AT)
    http.patch(AT, json={"count": 5}, headers=bearer("carl")).raise_for_status()
    whole = seen.json() | {"note": "mine"}
    assert http.patch(AT, json=whole).status_code == 422
    answer = http.patch(AT, params={"base": seen.headers["ETag"]}, json=whole)
    assert (answer.status_code, answer.json()["count"], answer.json()["note"]) == (200, 5, "mine")


def test_a_client_does_not_stand_in_its_own_way(http: httpx.Client) -> None:
    base = http.get(AT).headers["ETag"]
    for count in (1, 2, 3):
        answer = http.patch(AT, params={"base": base}, json={"count": count}, headers=PHONE)
        assert (answer.status_code, answer.json()["count"]) == (200, count)
    # The same name from another account, or another name, is somebody else.
    for headers in (PHONE | bearer("carl"), {"Fenland-Client": "phone-0002"}, {}):
        assert http.patch(AT, params={"base": base}, json={"count": 9}, headers=headers).status_code == 409
    http.patch(AT, json={"count": 7}, headers=bearer("carl")).raise_for_status()
    assert http.patch(AT, params={"base": base}, json={"count": 8}, headers=PHONE).status_code == 409


def test_a_record_made_again_is_not_the_one_that_was_seen(http: httpx.Client) -> None:
    base = http.get(AT).headers["ETag"]
    http.delete(AT).raise_for_status()
    http.post("/v1/records/papers", json={"code": "P1"}).raise_for_status()
    assert http.patch(AT, params={"base": base}, json={"count": 1}).status_code == 409
    for wrong in ("0", "x", '"x.1"', "-1", "", "9" * 30):
        assert http.patch(AT, params={"base": wrong}, json={"count": 1}).status_code == 400


def test_an_explicit_clear_is_a_clear(http: httpx.Client) -> None:
    http.patch(AT, json={"maker": {"name": "Ada", "town": "Ely"}}).raise_for_status()
    assert http.patch(AT, json={"note": None}).json()["note"] == "n"
    cleared = http.patch(f"{AT}?clear=note,maker/town,doc/x", json={"count": 3}).json()
    assert (cleared["note"], cleared["maker"], cleared["count"], cleared["doc"]) == (
        None,
        {"name": "Ada"},
        3,
        None,
    )
    assert http.patch(f"{AT}?clear=code", json={}).status_code == 422
    assert http.patch(f"{AT}?clear=nothing", json={}).json()["errors"][0]["code"] == "unknown_field"
    assert http.patch(f"{AT}?clear=count", json={"count": 4}).status_code == 400
    item = {"action": "update", "collection": "papers", "key": "P1", "clear": ["count"]}
    assert http.post("/v1/batch", json={"items": [item]}).json()["results"][0]["record"]["count"] is None


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.floats(allow_nan=False, allow_infinity=False), st.decimals(-(10**40), 10**40, allow_nan=False))
def test_a_repeated_answer_has_the_same_bytes(http: httpx.Client, double: float, free: Decimal) -> None:
    headers = MERGE | {"Idempotency-Key": f"{double!r} {free}"[:200]}
    body = b'{"double": %s, "doc": {"n": %s}}' % (repr(double).encode(), write_json(free))
    first, again = (http.patch(AT, content=body, headers=headers) for _ in range(2))
    assert first.status_code == 200
    assert again.content == first.content


def test_no_stream_of_edits_reads_numbers_otherwise_than_they_are() -> None:
    for number in NUMBERS:
        value = read_json(number.encode())
        body = {"edits": [{"at": "/doc/n", "increase_by": value}, {"at": "/rows", "include": [value, value]}]}
        try:
            touched = edits_from(body, DEFAULTS).against({"doc": {"n": 0}, "rows": []}, problems := [])
        except Refusal:
            continue
        assert problems or (same(touched["doc"]["n"], value) and len(touched["rows"]) == 1)
