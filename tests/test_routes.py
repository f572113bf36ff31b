"""What a route takes is what the document says: each parameter that it names, and no other."""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any, NamedTuple

import httpx
import pytest

from fenland.core.definitions.model import RIGHTS
from fenland.core.definitions.reading import definitions_from
from fenland.core.limits import DEFAULTS
from fenland.core.reserved import RESERVED
from fenland.service.service import Service
from fenland.storage.door import WouldHoldUp
from fenland.web.document import document
from fenland.web.http.parameters import EQUALS
from fenland.web.routes import ROUTES
from fenland.web.serving.short import Short, ShortRequests
from support import workshop_of

ANYONE = {right: ["everyone"] for right in RIGHTS}
DEFINED = {
    "things": {
        "key": "code",
        "access": ANYONE,
        "fields": {
            "code": {"type": "string", "required": True, "unique": True, "fixed": True},
            "size": {"type": "integer", "unique": True},
            "phone": {"type": "string", "sensitive": True, "search": True},
            "part_of": {"references": "things"},
        },
        "passes": {"own": {"shows": ["code", "size"], "changes": ["size"], "confirms": True}},
    }
}
DOCUMENT = document(definitions_from(DEFINED, ["office"]), "", DEFAULTS)
#: What stands in the open places of paths, and what texts of a parameter mean something.
PLACES = {
    "key": "A",
    "sequence": "1",
    "name": "carl",
    "id": "none",
    "subscription": "board",
    "number": "1",
    "collection": "things",
    "field": "part_of",
}
GOOD = {
    "where": "size > 1", "sort": "-size", "fields": "code", "include": "part_of", "cursor": "x", "reason": "r", "base": "1", "clear": "phone",
    "account": "carl", "map": "{}", "at": "2031-04-09", "from": "1", "to": "2", "batch": "01a1c1d1-0000-7000-8000-000000000001", "by": "code",
}  # fmt: skip
#: Texts that say anything at all, or that only their own use can find wrong.
FREE = {
    "q",
    "where",
    "sort",
    "cursor",
    "reason",
    "account",
    "field",
    "by",
    "batch",
    "template",
    "key",
    "run",
    *(one.name for one in EQUALS),
}
BODIES: Mapping[str, Any] = {
    "/v1/batch": {"items": []},
    "erase": {"fields": ["phone"]},
    "presence": {"window": "w", "doing": "gone"},
    "/v1/requests": {"minutes": 1},
    "/v1/session": {"name": "carl", "password": "x"},
    "/v1/session/password": {"current": "x", "new": "y"},
    "/v1/passes": {"collection": "things", "template": "own", "key": "A"},
    "/v1/passes/letters": {"collection": "things", "template": "own"},
    "/v1/proposals/apply": {"proposals": [1]},
    "/v1/proposals/refuse": {"proposals": [1], "reason": "r"},
    "/v1/proposals/withdraw": {"proposals": [1]},
    "refuse": {"reason": "r"},
}


#: What lists are filtered by, as well.
FIELDS = {*RESERVED, "code", "size", "phone", "part_of"}
#: What a list can lie between: numbers and moments.
FIELDS |= {
    f"{name}.{end}" for name in ("size", "version", "created_at", "updated_at") for end in ("from", "to")
}


class Operation(NamedTuple):
    method: str
    path: str
    said: Mapping[str, Any]

    @property
    def address(self) -> str:
        places = {**PLACES, "value": "A" if "/by/code/" in self.path else "7"}
        return re.sub(r"\{(\w+)\}", lambda place: places[place[1]], self.path)

    @property
    def parameters(self) -> dict[tuple[str, str], Mapping[str, Any]]:
        found = {}
        for one in self.said.get("parameters", ()):
            if "$ref" in one:
                one = DOCUMENT["components"]["parameters"][one["$ref"].rpartition("/")[2]]
            found[one["in"], one["name"]] = one
        return found

    @property
    def required(self) -> dict[str, str]:
        return {name: "1" for (_, name), one in self.parameters.items() if one.get("required")}


OPERATIONS = [
    Operation(method.upper(), path, said)
    for path, item in DOCUMENT["paths"].items()
    for method, said in item.items()
    if method != "parameters"
]
QUERIES = {
    one["name"] for one in DOCUMENT["components"]["parameters"].values() if one["in"] == "query"
} | {"none_such"}  # fmt: skip
each = pytest.mark.parametrize("operation", OPERATIONS, ids=lambda one: one.said["operationId"])


@pytest.fixture(scope="module")
def http(tmp_path_factory: pytest.TempPathFactory) -> Iterator[httpx.Client]:
    path = tmp_path_factory.mktemp("routes") / "x.db"
    with workshop_of(DEFINED, path, account_managers=["office"]) as (_, found):
        found.post("/v1/records/things", json={"code": "A", "size": 7, "phone": "1"}).raise_for_status()
        board = {"name": "board", "url": "https://board.example/in"}
        found.post("/v1/subscriptions", json=board).raise_for_status()
        made = found.post("/v1/passes", json=BODIES["/v1/passes"])
        sizes = {"kind": "change", "base": "1", "once": "x", "tick": "size", "f/size": "8"}
        assert found.post(made.json()["link"], data=sizes).status_code == 200
        yield found


def asked(http: httpx.Client, operation: Operation, query: Mapping[str, str], **headers: str) -> str:
    """What is wrong with such a request, by the answer; nothing where there is no 400."""
    # Whatever it would do, the record is to be there for the next; what is previewed is read no less.
    held = {"Idempotency-Key": "", **headers} if operation.method != "GET" and not headers else headers
    if operation.path.endswith(("/session", "/password", "/tokens")) or "If-Match" in headers:
        held = headers
    end = operation.path.rpartition("/")[2]
    body = BODIES.get(operation.path, BODIES.get(end, {}))
    sent: dict[str, Any] = {} if operation.method in ("GET", "DELETE") else {"json": body}
    if end == "import":
        sent = {"content": b"code\nA\n"}
        held = {"Content-Type": "text/csv", **held}
    answer = http.request(operation.method, operation.address, params=query, headers=held, **sent)
    assert answer.status_code < 500, answer.text
    return str(answer.json()["detail"]) if answer.status_code == 400 else ""


@each
def test_what_the_document_names_is_taken_and_nothing_else(http: httpx.Client, operation: Operation) -> None:
    named = {name for where, name in operation.parameters if where == "query"}
    assert named <= QUERIES | FIELDS
    for name in sorted(QUERIES | named):
        given = {**operation.required, name: GOOD.get(name, "true")}
        told = asked(http, operation, given)
        assert (f"There is no query parameter {name!r}" in told) is (name not in named), (name, told)


@each
def test_a_wrong_value_is_told_by_its_name(http: httpx.Client, operation: Operation) -> None:
    for where, name in operation.parameters:
        if where == "query" and name not in FREE | FIELDS:
            told = asked(http, operation, {**operation.required, name: ",é"})
            assert told.startswith(f"{name} "), (name, told)
    for name in operation.required:
        assert f"{name} is missing" in asked(http, operation, {})


@each
def test_who_says_which_version_is_heard_or_refused(http: httpx.Client, operation: Operation) -> None:
    if operation.method != "GET":
        told = asked(http, operation, operation.required, **{"If-Match": '"x"'})
        assert ("If-Match is about one record" in told) is (
            ("header", "If-Match") not in operation.parameters
        )


NUMBERED = [one for one in OPERATIONS if re.search(r"\{(sequence|number)\}", one.path)]


@pytest.mark.parametrize("number", ["0", str(2**62), str(2**63), str(2**64), "9" * 40])
def test_a_number_that_nothing_can_have_is_not_there(http: httpx.Client, number: str) -> None:
    assert len(NUMBERED) > 4
    for one in NUMBERED:
        address = re.sub(r"\{(sequence|number)\}", number, one.path).replace("{subscription}", "board")
        answer = http.request(one.method, address, params=one.required)
        assert (answer.status_code, answer.json()["type"]) == (404, "/problems/not-found"), (
            address,
            answer.text,
        )


def test_each_parameter_is_one_row_and_each_operation_one_route() -> None:
    rows = {one.component: one for route in ROUTES for one in route.takes}
    assert all(one is rows[one.component] for route in ROUTES for one in route.takes)
    assert len({(route.method, route.path) for route in ROUTES}) == len(ROUTES)
    assert len({one.said["operationId"] for one in OPERATIONS}) == len(OPERATIONS)


def test_what_is_possible_at_an_address_is_what_the_document_says(http: httpx.Client) -> None:
    for path in DOCUMENT["paths"]:
        here = {one.method for one in OPERATIONS if one.path == path}
        address = next(one.address for one in OPERATIONS if one.path == path)
        allowed = set(http.options(address).headers["Allow"].replace(" ", "").split(","))
        assert here <= allowed, path
        assert allowed - here <= {"HEAD", "OPTIONS"} or path.endswith(("/import", "/undo", "/save")), (
            path,
            allowed,
        )


@pytest.mark.parametrize("said", ["lenient=true", "lenient=%74rue", "%6Cenient=true", "_=1&lenient=true"])
def test_a_preference_is_heard_however_it_is_written(http: httpx.Client, said: str) -> None:
    sent = {"phone": "2", "none_such": 1}
    answer = http.patch(f"/v1/records/things/A?{said}", json=sent)
    assert (answer.status_code, answer.headers.get("Fenland-Ignored")) == (200, "none_such"), answer.text
    least = said.replace("%6Cenient", "%72eturn").replace("lenient", "return")
    least = least.replace("true", "minimal").replace("%74rue", "minima%6C")
    assert http.patch(f"/v1/records/things/A?{least}", json={"phone": "3"}).status_code == 204, least


@pytest.mark.parametrize(
    ("query", "short"),
    [("", True), ("fields=code", True), ("at=2031-04-09", False), ("version=1", False), ("%61t=2031-04-09", False), ("fields=code&versio%6E=1", False)],
)  # fmt: skip
def test_only_a_record_as_it_is_is_sure_to_be_short(tmp_path: Path, query: str, short: bool) -> None:
    with workshop_of(DEFINED, tmp_path / "x.db") as (service, _):
        told = ShortRequests(service).kind
        environ = {"REQUEST_METHOD": "GET", "PATH_INFO": "/v1/records/things/A", "QUERY_STRING": query}
        assert (told(environ) is Short.READ) is short


def _in_a_hurry(service: Service, ask: Callable[[], httpx.Response]) -> int | None:
    """How it is answered by who may wait for nobody, as the loop does; None where it would hold others up."""
    turn = service.database.turn
    assert turn.take_if_free()
    turn.hurried = True
    shared = service.database.together()
    try:
        return ask().status_code
    except WouldHoldUp:
        return None
    finally:
        shared.lost = True
        shared.commit()
        turn.hurried = False
        turn.give()


#: What reads a record that turns out to be large, a page of them, or what was kept of one; and the same with
#: a small one.
LARGE: dict[str, Callable[[httpx.Client, str], httpx.Response]] = {
    "read": lambda http, key: http.get(f"/v1/records/notes/{key}"),
    "list": lambda http, key: http.get(f"/v1/records/notes?limit=50&code={key}"),
    "change": lambda http, key: http.patch(f"/v1/records/notes/{key}", json={"title": "x"}),
    "take a key": lambda http, key: http.post("/v1/records/notes", json={"code": key}),
    "refer": lambda http, key: http.post("/v1/records/marks", json={"code": "M9", "note": key}),
    "by rule": lambda http, key: http.get(f"/v1/records/marks/M-{key}"),
    "include": lambda http, key: http.get(f"/v1/records/marks/M-{key}?include=note"),
    "what others changed": lambda http, key: http.patch(f"/v1/records/notes/H{key}?base=1", json={"title": "y"}),
    "once more": lambda http, key: http.post(
        "/v1/records/notes", json={"code": f"K{key}", "text": _text(key)}, headers={"Idempotency-Key": f'"{key}"'}
    ),
}  # fmt: skip


def _text(key: str) -> str:
    return "x" * (250_000 if key == "L" else 100)


@pytest.fixture
def notes(tmp_path: Path) -> Iterator[tuple[Service, httpx.Client]]:
    code = {"type": "string", "required": True, "unique": True, "fixed": True}
    text = {"type": "string"}
    rule = {right: ["everyone"] for right in ("read", "create", "update")}
    described = {
        "notes": {"key": "code", "access": rule, "fields": {"code": code, "title": text, "text": text}},
        "marks": {
            "key": "code", "access": rule | {"read": 'record.note.text != "none"'},
            "fields": {"code": code, "note": {"references": "notes"}},
        },
    }  # fmt: skip
    with workshop_of(described, tmp_path / "x.db") as (service, http):
        for key in "SL":
            http.post("/v1/records/notes", json={"code": key, "text": _text(key)}).raise_for_status()
            http.post("/v1/records/marks", json={"code": f"M-{key}", "note": key}).raise_for_status()
            # Its entries are large, and it is small by now.
            for path, fields in (
                ("", {"code": f"H{key}"}),
                (f"/H{key}", {"text": _text(key)}),
                (f"/H{key}", {"text": "x"}),
            ):
                method = "PATCH" if path else "POST"
                http.request(method, f"/v1/records/notes{path}", json=fields).raise_for_status()
            LARGE["once more"](http, key).raise_for_status()
        # When the collection was changed last is looked up once.
        LARGE["list"](http, "S").raise_for_status()
        yield service, http


@pytest.mark.parametrize("way", LARGE)
def test_what_proves_to_be_large_holds_the_loop_up_by_no_way(
    notes: tuple[Service, httpx.Client], way: str
) -> None:
    service, http = notes
    ask = LARGE[way]
    found = _in_a_hurry(service, lambda: ask(http, "S"))
    assert found is not None
    assert _in_a_hurry(service, lambda: ask(http, "L")) is None
    # By who may wait it is answered as the small one is.
    assert ask(http, "L").status_code == found


def test_after_one_that_was_long_others_of_its_kind_are_not_taken_for_short(
    notes: tuple[Service, httpx.Client], monkeypatch: pytest.MonkeyPatch
) -> None:
    requests = ShortRequests(notes[0])

    def environ(method: str, path: str) -> dict[str, Any]:
        return {"REQUEST_METHOD": method, "PATH_INFO": f"/v1/records/{path}", "QUERY_STRING": "", "CONTENT_LENGTH": "9"}  # fmt: skip

    kinds = [environ(*one) for one in (("GET", "notes/S"), ("PATCH", "notes/S"), ("POST", "notes"), ("GET", "notes"), ("GET", "marks/M"))]  # fmt: skip
    before = [requests.kind(one) for one in kinds]
    assert None not in before
    for place, one in enumerate(kinds):
        requests = ShortRequests(notes[0])
        requests.was_long(one)
        assert [requests.kind(each) for each in kinds] == [*before[:place], None, *before[place + 1 :]]
        then = time.monotonic() + 31
        with monkeypatch.context() as patched:
            patched.setattr(time, "monotonic", lambda then=then: then)
            assert [requests.kind(each) for each in kinds] == before


def test_a_change_from_which_much_may_follow_is_not_sure_to_be_short(tmp_path: Path) -> None:
    code = {"type": "integer", "required": True, "unique": True, "fixed": True}
    number, text = {"type": "integer"}, {"type": "string", "maxLength": 9}
    areas: dict[str, Any] = {"key": "code", "fields": {"code": code, "name": text}}
    sites: dict[str, Any] = {"key": "code", "fields": {
        "code": code, "name": text, "area": {"references": "areas"}, "jobs": number | {"derived": {"count": "jobs.site"}},
    }}  # fmt: skip
    jobs: dict[str, Any] = {"key": "code", "fields": {"code": code, "site": {"references": "sites"}}}
    logs = {"fields": {"code": number}}

    def short(**more: Any) -> set[str]:
        described = {"areas": areas, "sites": sites, "jobs": jobs, "logs": logs, **more}
        with workshop_of(described, tmp_path / f"{len(list(tmp_path.iterdir()))}.db") as (service, _):
            told = ShortRequests(service).kind
            return {
                name
                for name in described
                if told({"REQUEST_METHOD": "POST", "PATH_INFO": f"/v1/records/{name}", "CONTENT_LENGTH": "9"})
            }

    everything = {"areas", "sites", "jobs", "logs"}
    # A count is one record more.
    assert short() == everything
    # What shows an area's name is every site of it.
    shown = sites | {"fields": sites["fields"] | {"place": text | {"derived": "record.area.name"}}}
    assert short(sites=shown) == everything - {"areas"}
    # And a job's site, which counts it, is shown by all of its jobs.
    far = jobs | {"fields": jobs["fields"] | {"others": number | {"derived": "record.site.jobs"}}}
    assert short(jobs=far) == everything - {"jobs", "sites"}
    effect = {"on": "create", "create": "logs", "set": {"code": "after.code"}}
    assert short(jobs=jobs | {"effects": [effect]}) == everything - {"jobs"}
