"""Every answer is the right one: any value in any field by any way in, the order of refusals, headers, leaks."""

from __future__ import annotations

import base64
import itertools
import json
import re
from collections import Counter
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import httpx
import jsonschema
import pytest

from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.reading import definitions_from
from fenland.demo.sample import lay_sample
from fenland.service.opening import open_service
from fenland.service.project import load_project
from fenland.service.service import Service
from fenland.web.serving.app import create_app
from support import NIGHTLY, SMALL, bearer, workshop_of

VALUES = [
    "null", "true", "0", "-1", "1.5", "1e20", "1e400", "18446744073709551616", "9223372036854775808", '""', '"x"', '"2031-04-09"',
    '"\\u0000"', '"' + "x" * 300 + '"', "[]", "{}", "[null]", '[1,"a",{}]', '{"a":1}', '{"name":[1]}', "[[[]]]", '{"created":"x"}', "-0.0",
]  # fmt: skip
MERGE, PATCH, EDITS = (
    {"Content-Type": f"application/{kind}"} for kind in ("json", "json-patch+json", "vnd.fenland.edits+json")
)


@pytest.fixture(scope="module")
def filled(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Service, httpx.Client]]:
    folder = tmp_path_factory.mktemp("filled")
    lay_sample(folder, lambda done, total: None, SMALL)
    project = load_project(folder)
    service = open_service(project.definitions, project.settings.database, project.settings.limits())
    transport = httpx.WSGITransport(create_app(service, project.settings))
    with httpx.Client(
        transport=transport, base_url="http://x", headers={"Authorization": "Bearer sample-office"}
    ) as http:
        yield service, http
    service.close()


def _ways(name: str, at: str, field: str, value: str) -> Iterator[tuple[str, str, dict[str, str], str]]:
    look = f"{at}?preview=true"
    body = f'{{"{field}":{value}}}'
    yield "POST", f"/v1/records/{name}", MERGE, body
    yield "PATCH", f"{look}&base=1", MERGE, body
    yield "PUT", look, MERGE, body
    yield "POST", f"{at}/preview", MERGE, body
    for op in ("add", "test"):
        yield "PATCH", look, PATCH, f'[{{"op":"{op}","path":"/{field}","value":{value}}}]'
    for verb, only in (("set", ""), ("increase_by", "one_of"), ("include", ""), ("set", "at_least")):
        condition = f',"only_if":{{"{only}":{f"[{value}]" if only == "one_of" else value}}}' if only else ""
        yield "PATCH", look, EDITS, f'{{"edits":[{{"at":"/{field}","{verb}":{value}{condition}}}]}}'
    create = f'{{"action":"create","collection":"{name}","fields":{body}}}'
    update = f'{{"action":"update","collection":"{name}","key":{value},"fields":{body}}}'
    yield "POST", "/v1/batch", MERGE, f'{{"items":[{create},{update}]}}'
    cursor = base64.urlsafe_b64encode(f'["{field}",[{value},"x"]]'.encode()).decode().rstrip("=")
    yield "GET", f"/v1/records/{name}?sort={field}&cursor={cursor}", {}, ""
    form = {"Content-Type": "application/x-www-form-urlencoded"}
    yield "PATCH", look, form, str(httpx.QueryParams({field: value, f"{field}/x": value}))


def _exact(answer: httpx.Response) -> Any:
    return json.loads(answer.content, parse_float=Decimal)


class Described:
    """The OpenAPI document, which every answer must agree with: its status, its type and its body."""

    def __init__(self, http: httpx.Client) -> None:
        self.document = _exact(http.get("/v1/openapi.json"))
        self.templates = [
            (re.compile(re.sub(r"{(key|collection)}", "[^/]+", re.sub(r"{value}", ".+", path))), path)
            for path in self.document["paths"]
        ]
        self.seen: Counter[tuple[str, ...]] = Counter()

    def check(self, method: str, path: str, answer: httpx.Response) -> None:
        place, _, query = path.partition("?")
        if "preview=true" in query:
            # The other way to ask for a preview; the document knows it under its own path.
            method, place = "POST", f"{place}/preview"
        template = next(t for pattern, t in self.templates if pattern.fullmatch(place))
        kind = answer.headers.get("Content-Type", "")
        place = (template, method, str(answer.status_code), kind)
        self.seen[place] += 1
        if self.seen[place] > 3:
            return
        described = self.document["paths"][template][method.lower()]["responses"].get(str(answer.status_code))
        assert described is not None, place
        if "$ref" in described:
            described = self.document["components"]["responses"][described["$ref"].rpartition("/")[2]]
        assert kind in described.get("content", {"": None}), place
        if kind:
            schema = {**described["content"][kind]["schema"], "components": self.document["components"]}
            errors = list(jsonschema.Draft202012Validator(schema).iter_errors(_exact(answer)))
            assert not errors, (place, errors[0].message, answer.text[:300])


STATION, TICKET = "/v1/records/stations/PS-002", "/v1/records/tickets/T-0002"
#: Requests whose answers the generated ones do not meet.
PLAIN: list[tuple[str, str, dict[str, str], Any]] = [
    *(("GET", path, {}, None) for path in (STATION, f"{STATION}/history", f"{STATION}/form", "/v1/schemas", "/v1/schemas/tickets", "/v1/schemas/tickets?for=create")),
    *(("GET", path, {}, None) for path in ("/v1/session", "/healthz", "/v1/edits.schema.json", "/v1/definitions.schema.json", "/v1/openapi.json", "/v1/records/tickets?q=weed&count=true")),
    *(("GET", f"/v1/records/stations/none{rest}", {}, None) for rest in ("", "/history", "/form")), ("GET", STATION, {"If-None-Match": "*"}, None),
    ("GET", STATION, {"Authorization": ""}, None), ("PATCH", TICKET, {"Prefer": "return=minimal"}, {"hours": 1}), ("PUT", TICKET, {}, {"hours": 1}),
    ("DELETE", STATION, {}, None), ("DELETE", STATION, {"If-Match": '"x"'}, None), ("PATCH", TICKET, {"If-Match": '"x"'}, {}),
    ("DELETE", TICKET, {"Prefer": "return=minimal"}, None), ("POST", "/v1/records/tickets", {"Content-Type": "text/plain"}, {}), ("POST", "/v1/batch", {}, {"items": []}),
    ("POST", "/v1/batch", {}, {"items": [{"action": "delete", "collection": "stations", "key": "PS-002"}], "atomic": False}), ("POST", "/v1/batch", {}, {"items": 1}),
]  # fmt: skip


def test_no_value_in_any_field_by_any_way_ends_in_a_500(filled: tuple[Service, httpx.Client]) -> None:
    service, http = filled
    failed, asked, described = [], 0, Described(http)
    for name, resource in service.resources.items():
        first = http.get(f"/v1/records/{name}?limit=1").json()["items"][0]
        at = f"/v1/records/{name}/{first[resource.collection.key]}"
        fields = [*resource.collection.fields, "version", "created_at", "nothing"]
        for turn, (field, value) in enumerate(itertools.product(fields, VALUES)):
            # Each value in each field; of the ways a fifth at a time, in turn, and all of them nightly.
            ways = list(_ways(name, at, field, value))
            for method, path, headers, body in ways if NIGHTLY else ways[turn % 5 :: 5]:
                answer = http.request(method, path, headers=headers, content=body)
                asked += 1
                described.check(method, path, answer)
                if answer.status_code >= 500:
                    failed.append((method, path, headers, body))
        assert http.get(at).json() == first
    assert not failed, failed[:5]
    assert asked > (10_000 if NIGHTLY else 1_800)
    for method, path, headers, body in PLAIN:
        described.check(method, path, http.request(method, path, headers=headers, json=body))
    assert {place[2] for place in described.seen} >= {
        "200",
        "204",
        "304",
        "400",
        "401",
        "404",
        "409",
        "412",
        "415",
        "422",
    }


# --- the order of refusals ---------------------------------------------------------------------------

BAD = "?colour=red"
JSON, HTML = {"Content-Type": "application/json"}, {"Content-Type": "text/html"}
#: Who asks, what, and the first refusal that applies, whatever else is wrong.
ORDER = [
    ("nobody", "PATCH", "/tools/none" + BAD, HTML, "{", 401), ("nobody", "GET", "/nothing" + BAD, {}, "", 401), ("nobody", "POST", "/nothing" + BAD, HTML, "{", 401),
    ("olga", "GET", "/nothing" + BAD, {}, "", 404), ("olga", "GET", "/tools/none" + BAD, {}, "", 404), ("olga", "PATCH", "/tools/none?base=x", HTML, "{", 404),
    ("olga", "DELETE", "/tools/none" + BAD, {"If-Match": "x"}, "", 404), ("olga", "GET", "/tools/none/form" + BAD, {}, "", 404), ("olga", "GET", "/tools/none/history?limit=x", {}, "", 404),
    ("vic", "PATCH", "/tools/A1" + BAD, HTML | {"If-Match": '"x"'}, "{", 403), ("vic", "POST", "/tools" + BAD, HTML, "{", 403), ("vic", "DELETE", "/tools/A1" + BAD, {"If-Match": '"x"'}, "", 403),
    ("olga", "PATCH", "/tools/A1" + BAD, HTML | {"If-Match": '"x"'}, "{", 412), ("olga", "PATCH", "/tools/A1" + BAD, HTML, "{", 415), ("olga", "PUT", "/tools/A1" + BAD, HTML, "{", 415),
    ("olga", "PATCH", "/tools/A1" + BAD, JSON, '{"name": ""}', 400), ("olga", "PATCH", "/tools/A1?base=1", JSON, '{"name": "", "note": "mine"}', 409),
    ("olga", "PATCH", "/tools/A1", JSON, '{"name": ""}', 422), ("olga", "PATCH", "/tools/A1", JSON | {"Content-Encoding": "gzip"}, "{}", 415),
    ("olga", "PATCH", "/tools/A1", {"Content-Type": "application/json; charset=latin-1"}, "{}", 415), ("olga", "PATCH", "/tools/A1", {"Content-Type": "application/json; charset=UTF-8"}, "{}", 200),
    ("olga", "GET", "//tools", {}, "", 404), ("olga", "GET", "/tools//A1", {}, "", 404), ("olga", "PATCH", "/tools/A1", JSON | {"If-None-Match": "W/CURRENT"}, "{}", 412),
    ("olga", "PATCH", "/tools/A1", JSON | {"If-Match": "W/CURRENT"}, "{}", 412), ("olga", "GET", "/tools/A1", {"If-None-Match": "W/CURRENT"}, "", 304),
]  # fmt: skip


@pytest.mark.parametrize(("who", "method", "path", "headers", "body", "status"), ORDER)
def test_the_first_refusal_that_applies_is_given(
    http: httpx.Client, who: str, method: str, path: str, headers: dict[str, str], body: str, status: int
) -> None:
    http.post(
        "/v1/records/tools", json={"code": "A1", "name": "Saw"}, headers=bearer("carl")
    ).raise_for_status()
    current = http.patch("/v1/records/tools/A1", json={"note": "theirs"}, headers=bearer("carl")).headers[
        "ETag"
    ]
    sent = {name: value.replace("CURRENT", current) for name, value in headers.items()}
    sent |= {"Authorization": ""} if who == "nobody" else bearer(who)
    answer = http.request(method, f"/v1/records{path}", headers=sent, content=body)
    assert answer.status_code == status, answer.text
    assert answer.headers["X-Content-Type-Options"] == "nosniff"


@pytest.mark.parametrize("method", ["GET", "POST", "PUT", "PATCH", "DELETE"])
def test_unknown_paths_are_not_found_and_known_ones_say_what_they_take(
    http: httpx.Client, method: str
) -> None:
    for path in ("/nothing", "/v1/nothing", "/v1/records", "//v1/session", "/v1/records/tools/A1/b/c"):
        answer = http.request(method, path, headers={"Accept": "application/json"})
        assert (answer.status_code, answer.json()["status"]) == (404, 404), path
    for path, allowed in (
        ("/v1/session", {"GET", "POST", "DELETE"}),
        ("/v1/batch", {"POST"}),
        ("/v1/records/tools", {"GET", "POST", "PATCH", "DELETE"}),
    ):
        if method not in allowed:
            answer = http.request(method, path)
            assert answer.status_code == 405
            assert set(answer.headers["Allow"].split(", ")) - {"HEAD", "OPTIONS"} == allowed


# --- nothing leaks -----------------------------------------------------------------------------------

LEAKY = [
    {"type": "string", "writeOnly": True, "search": True}, {"type": "string", "writeOnly": True, "unique": True}, {"type": "string", "writeOnly": True, "readOnly": True},
    {"type": "string", "required": True, "readOnly": True}, {"type": "string", "on_delete": "clear"},
]  # fmt: skip


@pytest.mark.parametrize("field", LEAKY)
def test_keywords_that_contradict_each_other_are_refused(field: dict[str, Any]) -> None:
    with pytest.raises(DefinitionMistakes):
        definitions_from({"x": {"fields": {"f": field}}})
    key = {"type": "string", "required": True, "unique": True, "fixed": True, "writeOnly": True}
    with pytest.raises(DefinitionMistakes, match="nobody may read it"):
        definitions_from({"x": {"key": "f", "fields": {"f": key}}})
    with pytest.raises(DefinitionMistakes, match="word of their own"):
        definitions_from({"x": {"fields": {"f": {"type": "string"}}}}, roles=["owner"])


def test_nobody_learns_a_hidden_value_by_guessing(http: httpx.Client) -> None:
    tool = {"code": "A1", "name": "Saw", "secret": "1234"}
    http.post("/v1/records/tools", json=tool, headers=bearer("carl")).raise_for_status()
    http.patch("/v1/records/tools/A1", json={"secret": "5678"}, headers=bearer("carl")).raise_for_status()
    for query in ("?preview=true&base=1", "?base=1", "?preview=true"):
        right, wrong = (
            http.patch(f"/v1/records/tools/A1{query}", json={"secret": guess}) for guess in ("5678", "0000")
        )
        assert (right.status_code, right.content) == (
            wrong.status_code,
            wrong.content.replace(*_ids(wrong, right)),
        )
    edits = [{"at": "/secret", "set": "x", "only_if": {"one_of": [guess]}} for guess in ("5678", "0000")]
    answers = [http.patch("/v1/records/tools/A1", json={"edits": [one]}, headers=EDITS) for one in edits]
    assert [one.status_code for one in answers] == [409, 409]
    assert "5678" not in answers[0].text.replace(json.dumps(edits[0]["only_if"])[11:], "")
    before = http.get("/v1/records/tools/A1").json()["version"]
    assert http.patch("/v1/records/tools/A1", json={"secret": "5678"}).json()["version"] == before + 1


def _ids(one: httpx.Response, other: httpx.Response) -> tuple[bytes, bytes]:
    return tuple(str(found.json().get("request_id", "")).encode() or b"\xff" for found in (one, other))  # type: ignore[return-value]


def test_a_refused_deletion_tells_nothing_of_what_one_may_not_see(http: httpx.Client) -> None:
    http.post(
        "/v1/records/tools", json={"code": "A1", "name": "Saw"}, headers=bearer("carl")
    ).raise_for_status()
    for number in (1, 2):
        http.post(
            "/v1/records/jobs", json={"number": number, "tool": "A1"}, headers=bearer("cora")
        ).raise_for_status()
    blind, seeing = (
        http.delete("/v1/records/tools/A1", headers=bearer(who)).json() for who in ("carl", "olga")
    )
    assert (blind["status"], blind["count"], blind["referring"]) == (409, 0, [])
    assert "2" not in blind["detail"]
    assert (seeing["count"], len(seeing["referring"])) == (2, 2)


def test_words_are_found_in_either_case_in_any_script(tmp_path: Path) -> None:
    everyone = {action: ["everyone"] for action in ("read", "create")}
    described = {"notes": {"access": everyone, "fields": {"text": {"type": "string", "search": True}}}}
    with workshop_of(described, tmp_path / "n.db") as (_, http):
        texts = ["ÉCOLE de Marais", "Straße [3] *x?", "ЖУК", "plain", "100% a_b"]
        for text in texts:
            http.post("/v1/records/notes", json={"text": text}).raise_for_status()
        for q, found in (
            ("école", 0),
            ("É marais", 0),
            ("cole", 0),
            ("[3]", 1),
            ("*X", 1),
            ("x?", 1),
            ("жук", 2),
            ("Жу", 2),
            ("PLAIN", 3),
            ("100%", 4),
            ("A_B", 4),
        ):
            items = http.get("/v1/records/notes", params={"q": q}).json()["items"]
            assert [one["text"] for one in items] == [texts[found]], q
        for q in ("%", "_", "[^a]", "e*r", "]"):
            found = [one["text"] for one in http.get("/v1/records/notes", params={"q": q}).json()["items"]]
            assert found == [text for text in texts if q in text], q
