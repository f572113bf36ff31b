"""Records over HTTP: conditions, access, lists, forms, deletion, history, and the order of refusals."""

from __future__ import annotations

from pathlib import Path

import httpx
import jsonschema
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from openapi_spec_validator import OpenAPIV31SpecValidator

from fenland.core.definitions.model import Definitions
from fenland.core.limits import DEFAULTS
from fenland.core.values.identity import read_etag
from fenland.web.document import document
from support import bearer, workshop_of

#: Each engine behind the door of storage must answer the same.
ENGINES = ["sqlite", "postgres"]


def make(http: httpx.Client, collection: str, who: str = "olga", **fields: object) -> dict:
    answer = http.post(f"/v1/records/{collection}", json=fields, headers=bearer(who))
    assert answer.status_code == 201, answer.text
    return answer.json()


def test_create_answers_with_the_record_and_where_it_is(http: httpx.Client) -> None:
    answer = http.post("/v1/records/tools", json={"code": "Ä/1 2", "name": "Saw"})
    assert [one["code"] for one in answer.json()["errors"]] == ["pattern", "key_characters"]
    answer = http.post("/v1/records/tools", json={"code": "A 2", "name": "Saw"})
    assert answer.status_code == 201
    assert answer.headers["Location"] == "/v1/records/tools/A%202"
    found = http.get(answer.headers["Location"])
    assert found.json() == answer.json()
    assert found.headers["ETag"] == answer.headers["ETag"]
    assert found.json()["sharp"] is False
    missing = http.post("/v1/records/tools", json={})
    assert [(one["pointer"], one["code"]) for one in missing.json()["errors"]] == [
        ("/code", "required"),
        ("/name", "required"),
    ]


def test_found_by_any_unique_field_and_by_no_other(http: httpx.Client) -> None:
    tool = make(http, "tools", code="A1", name="Saw", serial=5)
    for where in ("by/serial/5", f"by/id/{tool['id'].upper()}", "by/code/A1", "A1"):
        assert http.get(f"/v1/records/tools/{where}").json() == tool
    assert http.patch("/v1/records/tools/by/serial/5", json={"note": "x"}).json()["version"] == 2
    for where in ("by/serial/6", "by/serial/x", "by/serial/99999999999999999999", "by/name/Saw", "A2"):
        assert http.get(f"/v1/records/tools/{where}").status_code == 404
    assert "Did you mean 'tools'?" in http.get("/v1/records/tool").json()["detail"]


def test_conditional_requests(http: httpx.Client) -> None:
    make(http, "tools", code="A1", name="Saw")
    url = "/v1/records/tools/A1"
    tag = http.get(url).headers["ETag"]
    for held in (tag, f"W/{tag}", f'"x", {tag}', "*"):
        assert http.get(url, headers={"If-None-Match": held}).status_code == 304
    ok = http.patch(url, json={"note": "1"}, headers={"If-Match": tag})
    assert ok.status_code == 200
    stale = http.patch(url, json={"note": "2"}, headers={"If-Match": tag})
    assert (stale.status_code, stale.json()["version"]) == (412, 2)
    assert http.delete(url, headers={"If-Match": tag}).status_code == 412
    assert (
        http.patch(url, json={"note": "2"}, headers={"If-Match": f"W/{ok.headers['ETag']}"}).status_code
        == 412
    )
    assert http.patch(url, json={"note": "2"}, headers={"If-None-Match": "*"}).status_code == 412
    assert http.patch(url, json={"note": "2"}, headers={"If-Match": "unquoted"}).status_code == 400
    assert http.patch(url, json={"note": "2"}, headers={"If-Match": "*"}).json()["version"] == 3
    http.delete(url).raise_for_status()
    again = make(http, "tools", code="A1", name="Saw")
    assert again["version"] == 1
    assert http.patch(url, json={"note": "3"}, headers={"If-Match": tag}).status_code == 412


def test_patch_forms_are_named_where_they_are_asked_for(http: httpx.Client) -> None:
    make(http, "tools", code="A1", name="Saw")
    url = "/v1/records/tools/A1"
    named = [
        http.options(url),
        http.get(url),
        http.patch(url, content=b"x", headers={"Content-Type": "text/plain"}),
    ]
    assert [one.status_code for one in named] == [204, 200, 415]
    for one in named:
        assert (
            "application/merge-patch+json, application/json, application/json-patch+json"
            in one.headers["Accept-Patch"]
        )
    assert "PATCH" in named[0].headers["Allow"]


def test_the_order_of_refusals(http: httpx.Client) -> None:
    make(http, "tools", "carl", code="A1", name="Saw")
    make(http, "jobs", "carl", number=1)

    def status(who: str | None, where: str, condition: str | None, kind: str, body: bytes) -> int:
        headers = {"Content-Type": kind, **({"If-Match": condition} if condition else {})}
        headers |= bearer(who) if who else {"Authorization": "Bearer none"}
        return http.patch(f"/v1/records/{where}", content=body, headers=headers).status_code

    tag = http.get("/v1/records/tools/A1").headers["ETag"]
    assert status(None, "tools/none", '"x"', "text/plain", b"{") == 401
    assert status("vic", "tools/none", '"x"', "text/plain", b"{") == 404
    assert status("cora", "jobs/1", '"x"', "text/plain", b"{") == 404
    assert status("vic", "tools/A1", '"x"', "text/plain", b"{") == 403
    assert status("carl", "tools/A1", '"x"', "text/plain", b"{") == 412
    assert status("carl", "jobs/1", None, "text/plain", b"{") == 428
    assert status("carl", "tools/A1", tag, "text/plain", b"{") == 415
    assert status("carl", "tools/A1", tag, "application/json", b"{") == 400
    assert status("carl", "tools/A1", tag, "application/json", b'{"name":1}') == 422


def test_who_may_read_what(http: httpx.Client) -> None:
    for number, who in enumerate(["carl", "cora", "carl"], 1):
        make(http, "jobs", who, number=number)

    def seen(who: str) -> list[int]:
        page = http.get("/v1/records/jobs", params={"count": "true"}, headers=bearer(who)).json()
        assert page["count"] == len(page["items"])
        return [one["number"] for one in page["items"]]

    assert (seen("olga"), seen("carl"), seen("cora"), seen("vic")) == ([1, 2, 3], [1, 3], [2], [])
    for path in ("", "/history", "/form"):
        assert http.get(f"/v1/records/jobs/2{path}", headers=bearer("cora")).status_code == 200
        assert http.get(f"/v1/records/jobs/2{path}", headers=bearer("carl")).status_code == 404
    assert http.post("/v1/records/jobs", json={"number": 9}, headers=bearer("vic")).status_code == 403
    assert http.delete("/v1/records/jobs/2", headers=bearer("olga")).status_code == 403
    # What one may not see, one cannot name either: the answer does not tell that it is there.
    hidden = http.post("/v1/records/jobs", json={"number": 9, "parent": 2}, headers=bearer("carl"))
    absent = http.post("/v1/records/jobs", json={"number": 9, "parent": 8}, headers=bearer("carl"))
    assert hidden.json()["errors"][0]["code"] == absent.json()["errors"][0]["code"] == "reference"


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(
    rows=st.lists(st.tuples(st.none() | st.integers(0, 3), st.sampled_from(["aa", "bb", "AB"])), max_size=9),
    sort=st.sampled_from(["", "spin", "-spin", "name,-spin", "-spin,name", "-updated_at", "id", "-id"]),
    limit=st.integers(1, 4),
)
def test_paging_meets_every_record_once_in_order(
    http: httpx.Client, rows: list, sort: str, limit: int
) -> None:
    for one in http.get("/v1/records/tools").json()["items"]:
        http.delete(f"/v1/records/tools/{one['code']}")
    for place, (spin, name) in enumerate(rows):
        make(http, "tools", code=f"C{place}", name=name, spin=spin)
    whole = http.get("/v1/records/tools", params={"sort": sort, "limit": 200}).json()["items"]
    url, walked = f"/v1/records/tools?sort={sort}&limit={limit}", []
    while url:
        answer = http.get(url)
        assert answer.status_code == 200, answer.text
        walked += answer.json()["items"]
        url = answer.links.get("next", {}).get("url", "")
    assert walked == whole
    assert len(whole) == len(rows)
    if sort in ("spin", "-spin"):
        values = [(one["spin"] is not None, one["spin"]) for one in whole]
        assert values == sorted(values, key=lambda v: (v[0], v[1] or 0), reverse=sort == "-spin")


def test_paging_stays_right_while_records_change(http: httpx.Client) -> None:
    for number in range(6):
        make(http, "tools", code=f"A{number}", name="Saw")
    first = http.get("/v1/records/tools", params={"sort": "code", "limit": 3}).json()
    make(http, "tools", code="A00", name="Early")
    http.delete("/v1/records/tools/A2")
    rest = http.get("/v1/records/tools", params={"sort": "code", "limit": 9, "cursor": first["next"]}).json()
    assert [one["code"] for one in first["items"] + rest["items"]] == ["A0", "A1", "A2", "A3", "A4", "A5"]


def test_a_key_of_any_characters_can_be_paged_and_found(http: httpx.Client) -> None:
    make(http, "benches", code="a\r\nb c", name="Odd")
    http.patch("/v1/records/benches/a%0D%0Ab%20c", json={"name": "Odder"}).raise_for_status()
    first = http.get("/v1/records/benches/a%0D%0Ab%20c/history", params={"limit": 1})
    assert http.get(first.links["next"]["url"]).json()["items"][0]["version"] == 1


def test_search(http: httpx.Client) -> None:
    for code, name in (("A1", "Hand saw"), ("A2", "Band SAW 50%"), ("A3", "Chisel")):
        make(http, "tools", code=code, name=name)

    def found(q: str) -> list[str]:
        return [one["code"] for one in http.get("/v1/records/tools", params={"q": q}).json()["items"]]

    assert (found("saw"), found("saw band"), found("50%"), found("%"), found("_")) == (
        ["A1", "A2"],
        ["A2"],
        ["A2"],
        ["A2"],
        [],
    )


def test_deleting_follows_what_refers(http: httpx.Client) -> None:
    make(http, "benches", code="B1")
    make(http, "tools", "carl", code="A1", name="Saw", bench="B1")
    parent = make(http, "jobs", "carl", number=1, tool="A1")
    make(http, "jobs", "carl", number=2, parent=1)
    make(http, "jobs", "carl", number=3, parent=2)
    blocked = http.delete("/v1/records/tools/A1")
    assert (blocked.status_code, blocked.json()["referring"]) == (409, [{"collection": "jobs", "key": 1}])
    hidden = http.delete("/v1/records/tools/A1", headers=bearer("carl"))
    assert hidden.json()["count"] == 1
    http.delete("/v1/records/benches/B1").raise_for_status()
    tool = http.get("/v1/records/tools/A1").json()
    assert (tool["bench"], tool["version"]) == (None, 2)
    effect = http.get("/v1/records/tools/A1/history").json()["items"][0]
    assert effect["via"] == "effect"
    gone = http.get("/v1/records/benches/B1/history").json()["items"][0]
    assert (gone["action"], gone["sequence"]) == ("delete", effect["cause"])
    last = http.delete(
        "/v1/records/jobs/1", headers=bearer("carl") | {"If-Match": "*"}, params={"reason": "done"}
    )
    assert last.json() == parent
    for number in (1, 2, 3):
        assert http.get(f"/v1/records/jobs/{number}").status_code == 404
        entry = http.get(f"/v1/records/jobs/{number}/history").json()["items"][0]
        assert (entry["action"], entry["reason"]) == ("delete", "done")
        assert http.get(f"/v1/records/jobs/{number}/history", headers=bearer("cora")).status_code == 404
    assert http.delete("/v1/records/tools/A1").status_code == 200


def test_history_pages_and_reads_as_sentences(http: httpx.Client) -> None:
    make(http, "tools", code="A1", name="Saw")
    for number in range(5):
        http.patch(
            "/v1/records/tools/A1",
            json={"serial": number, "sharp": number == 4},
            params={"reason": f"r{number}"},
        )
    first = http.get("/v1/records/tools/A1/history", params={"limit": 2})
    entries = first.json()["items"] + http.get(first.links["next"]["url"]).json()["items"]
    assert [one["version"] for one in entries] == [6, 5, 4, 3]
    assert entries[0]["sentence"] == "Olga changed serial from 3 to 4; sharp from no to yes."
    assert entries[0]["reason"] == "r4"


def test_a_form_holds_what_an_edit_needs(http: httpx.Client) -> None:
    make(http, "benches", code="B1", name="North")
    make(http, "benches", code="B2")
    make(http, "tools", "carl", code="A1", name="Saw", bench="B2")
    form = http.get("/v1/records/tools/A1/form", headers=bearer("carl"))
    body = form.json()
    assert body["etag"] == http.get("/v1/records/tools/A1").headers["ETag"]
    # That of the form is of its choices as well, and names the same version.
    assert read_etag(form.headers["ETag"]) == read_etag(body["etag"])
    assert body["choices"]["bench"]["options"] == [
        {"value": "B1", "label": "B1 · North"}, {"value": "B2", "label": "B2"},
    ]  # fmt: skip
    assert "name" in body["writable"]
    assert not {"code", "stamped", "holder"} & set(body["writable"])
    assert body["schema"]["properties"]["code"]["readOnly"] is True
    office = http.get("/v1/records/tools/A1/form").json()
    assert {"value": "cora", "label": "Cora"} in office["choices"]["holder"]["options"]
    reader = http.get("/v1/records/tools/A1/form", headers=bearer("vic")).json()
    assert (reader["writable"], reader["deletable"]) == ([], False)
    assert reader["choices"]["bench"]["options"] == [{"value": "B2", "label": "B2"}]
    new = http.get("/v1/schemas/tools?for=create", headers=bearer("carl")).json()
    assert "code" in new["writable"]
    assert new["values"]["holder"] == "carl"
    assert http.get("/v1/schemas/tools?for=create", headers=bearer("vic")).status_code == 403


def test_the_document_is_one_of_openapi(definitions: Definitions) -> None:
    OpenAPIV31SpecValidator(document(definitions, "Workshop", DEFAULTS)).validate()


def test_answers_agree_with_the_openapi_document_and_the_schema(http: httpx.Client) -> None:
    document = http.get("/v1/openapi.json").json()
    make(http, "benches", code="B1")
    tool = make(
        http, "tools", code="A1", name="Saw", labels=["x"], maker={"name": "Ada"}, weight=2, bench="B1"
    )

    def valid(schema: str, value: object) -> bool:
        whole = {"$ref": f"#/components/schemas/{schema}", "components": document["components"]}
        return jsonschema.Draft202012Validator(whole).is_valid(value)

    assert valid("Tools", tool)
    assert valid("ToolsPatch", {"name": "Saw", "note": None})
    assert not valid("ToolsNew", {"name": "Saw"})
    assert not valid("ToolsNew", {"code": "A", "name": "Saw", "stamped": "x"})
    assert valid("Problem", http.patch("/v1/records/tools/A1", json={"name": 1, "x": 2}).json())
    assert valid("Entry", http.get("/v1/records/tools/A1/history").json()["items"][0])
    assert valid("ToolsForm", http.get("/v1/records/tools/A1/form").json())
    schema = http.get("/v1/schemas/tools").json()
    assert jsonschema.Draft202012Validator(schema).is_valid(tool)
    rules = {rule for path in document["paths"] for rule in [path.split("{")[0]]}
    assert "/v1/records/tools/by/serial/" in rules


def test_records_of_a_batch_come_in_the_order_of_its_items(http: httpx.Client) -> None:
    codes = [f"B{number}" for number in range(80)]
    items = [{"action": "create", "collection": "benches", "fields": {"code": code}} for code in codes]
    http.post("/v1/batch", json={"items": items}).raise_for_status()
    listed = http.get("/v1/records/benches?limit=100").json()["items"]
    assert [one["code"] for one in listed] == codes
    assert {one["id"][14] for one in listed} == {"7"} and {one["id"][19] for one in listed} <= set("89ab")


def test_labels_tell_no_more_than_one_may_read(tmp_path: Path) -> None:
    key = {"type": "string", "required": True, "unique": True, "fixed": True}
    name = {"type": "string", "search": True}
    described = {
        "closed": {"key": "code", "access": {"read": ["office"], "create": ["office"]}, "fields": {"code": key, "name": name}},
        "open": {
            "key": "code", "owner": "holder", "access": {"read": ["everyone"], "create": ["office"]},
            "fields": {"code": key, "holder": {"type": "string"}, "at": {"references": "closed"}},
        },
    }  # fmt: skip
    with workshop_of(described, tmp_path / "labels.db") as (_, http):
        for code, called in (("C1", "Under lock"), ("C2", None)):
            http.post("/v1/records/closed", json={"code": code, "name": called}).raise_for_status()
            http.post("/v1/records/open", json={"code": f"O{code}", "at": code}).raise_for_status()
        office, other = (
            http.get("/v1/records/open?labels=true", headers=bearer(who)).json()["labels"]
            for who in ("olga", "vic")
        )
    assert office == {"holder": {"olga": "Olga"}, "at": {"C1": "C1 · Under lock", "C2": "C2"}}
    assert other == {"holder": {"olga": "Olga"}, "at": {}}


@pytest.mark.parametrize("path", ["/problems/invalid", "/healthz", "/v1/openapi.json"])
def test_what_anybody_may_ask(http: httpx.Client, path: str) -> None:
    assert http.get(path, headers={"Authorization": ""}).status_code == 200
