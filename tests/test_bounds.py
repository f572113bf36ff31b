"""All work that a request can cause has a bound, and lets others in meanwhile."""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.core.limits import Limits
from fenland.service.service import Service
from support import NIGHTLY, start, workshop_of

RIGHTS = {action: ["everyone"] for action in ("read", "create", "update", "delete")}
DESCRIBED = {
    "things": {
        "key": "code", "access": RIGHTS,
        "fields": {"code": {"type": "string", "required": True, "unique": True, "fixed": True}, "name": {"type": "string"}, "tags": {"type": "array", "items": {"type": "string"}}},
    }
}  # fmt: skip
NUMBERS = "[" + ",".join(map(str, range(250))) + "]"
#: Of a record, of an entry, and of nothing: each short to write and long to work out.
BOMBS = {
    "settled": f"{NUMBERS}.exists(a, {NUMBERS}.exists(b, a * b == -1))",
    "by row": f"{NUMBERS}.exists(a, {NUMBERS}.exists(b, size(name) == a * b + 99999))",
    "by list": f"tags.exists(t, {NUMBERS}.exists(a, {NUMBERS}.exists(b, t == string(a * b) + 'x')))",
}
OF_ENTRIES = f"{NUMBERS}.exists(a, {NUMBERS}.exists(b, size(key) == a * b + 99999))"

Send = Callable[[httpx.Client, str], httpx.Response]


def _edit(condition: str) -> dict[str, Any]:
    return {"edits": [{"at": "/name", "set": "new", "only_if": condition}]}


EDITS = {"Content-Type": "application/vnd.fenland.edits+json"}
#: Every place that takes an expression from a caller.
PLACES: dict[str, Send] = {
    "list": lambda http, text: http.get("/v1/records/things", params={"where": text}),
    "count": lambda http, text: http.get("/v1/records/things", params={"where": f"!({text})", "count": "true"}),
    "csv": lambda http, text: http.get("/v1/records/things", params={"where": text}, headers={"Accept": "text/csv"}),
    "xlsx": lambda http, text: http.get("/v1/records/things", params={"where": text}, headers={"Accept": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}),
    "change many": lambda http, text: http.patch("/v1/records/things", params={"where": text}, json={"name": "new"}),
    "change many, preview": lambda http, text: http.patch("/v1/records/things", params={"where": text, "preview": "true"}, json={"name": "new"}),
    "delete many": lambda http, text: http.delete("/v1/records/things", params={"where": text}),
    "only_if": lambda http, text: http.patch("/v1/records/things/T1", content=json.dumps(_edit(text)), headers=EDITS),
    "only_if, preview": lambda http, text: http.post("/v1/records/things/T1/preview", content=json.dumps(_edit(text)), headers=EDITS),
    "only_if, many": lambda http, text: http.patch("/v1/records/things?where=true", content=json.dumps(_edit(text)), headers=EDITS),
    "only_if, batch": lambda http, text: http.post("/v1/batch", json={"items": [{"action": "update", "collection": "things", "key": "T1", **_edit(text)}]}),
}  # fmt: skip
OVER_ENTRIES: dict[str, Send] = {
    "history": lambda http, text: http.get("/v1/history", params={"where": text}),
    "history, csv": lambda http, text: http.get(
        "/v1/history", params={"where": text}, headers={"Accept": "text/csv"}
    ),
}


def _fill(http: httpx.Client, count: int = 40) -> None:
    for number in range(count):
        http.post(
            "/v1/records/things", json={"code": f"T{number}", "name": "x" * number, "tags": ["a"] * 5}
        ).raise_for_status()


@pytest.fixture(scope="module")
def workshop(tmp_path_factory: pytest.TempPathFactory) -> Any:
    with workshop_of(DESCRIBED, tmp_path_factory.mktemp("bounds") / "x.db", Limits(evaluation=300_000)) as (
        service,
        http,
    ):
        _fill(http)
        yield service, http


CASES = [(place, bomb) for place in PLACES for bomb in BOMBS] + [(place, "entries") for place in OVER_ENTRIES]


@pytest.mark.parametrize(("place", "bomb"), CASES)
def test_expressions_have_a_budget_wherever_they_are_sent(
    workshop: tuple[Service, httpx.Client], place: str, bomb: str
) -> None:
    _, http = workshop
    before = http.get("/v1/history?limit=1").json()["items"][0]["sequence"]
    answer = {**PLACES, **OVER_ENTRIES}[place](http, OF_ENTRIES if bomb == "entries" else BOMBS[bomb])
    problem = answer.json()
    if "results" in problem:
        problem = problem["results"][0]
    if "records" in problem:
        problem = problem["records"][0]["problem"]
    assert problem["status"] == 422, answer.text
    assert (problem["type"].rpartition("/")[2], problem["limit"]) == ("too-costly", "evaluation_limit")
    assert http.get("/v1/history?limit=1").json()["items"][0]["sequence"] == before
    # The connection, the writer and the next request are as if nothing had been.
    assert http.get("/v1/records/things?where=size(name) > 38").json()["items"][0]["code"] == "T39"
    assert http.patch("/v1/records/things/T1", json={"name": "x"}).status_code == 200


def test_others_are_answered_while_expressions_are_worked_out(
    project: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("FENLAND_EVALUATION_LIMIT", "1000000" if NIGHTLY else "300000")
    # However slow the machine, it is the budget that ends them.
    monkeypatch.setenv("FENLAND_READ_TIMEOUT", "600")
    running = start("start", project, project / "log")
    token = (project / "token").read_text()
    with running.client(token) as http:
        for number in range(20):
            http.post("/v1/records/notes", json={"slug": f"s{number}", "title": "T"}).raise_for_status()
        bomb = f"{NUMBERS}.all(a, {NUMBERS}.all(b, {NUMBERS}.all(c, size(slug) < a * b + 99999)))"
        done: list[int] = []

        def attack() -> None:
            with running.client(token) as attacker:
                attacker.timeout = httpx.Timeout(600)
                done.append(attacker.get("/v1/records/notes", params={"where": bomb}).status_code)

        threads = [threading.Thread(target=attack) for _ in range(6)]
        for thread in threads:
            thread.start()
        answered = 0
        while any(thread.is_alive() for thread in threads):
            assert http.get("/v1/records/notes/s1").status_code == 200
            assert http.patch("/v1/records/notes/s1", json={"title": f"T{answered}"}).status_code == 200
            answered += 1
            time.sleep(0.005)
        # Who had as many long reads of the account before them as there may be, was refused at once.
        assert len(done) == 6
        assert set(done) == {422, 503}
        assert answered > 10
        # Who gives up waiting stops what they caused.
        with running.client(token) as hasty:
            hasty.timeout = httpx.Timeout(60, read=0.1)
            with pytest.raises(httpx.TimeoutException):
                hasty.get("/v1/records/notes", params={"where": bomb})
        begun = time.monotonic()
        while "Whoever asked has gone" not in running.log.read_text() and time.monotonic() < begun + 10:
            time.sleep(0.02)
    assert running.stop() == 0
