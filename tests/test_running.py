"""The running service: killed in the middle, stopped in the middle, fed with nonsense, refused a start."""

from __future__ import annotations

import json
import random
import socket
import sqlite3
import threading
import time
from pathlib import Path

import httpx
import pytest

from commands import fenland
from support import NIGHTLY, Running, free_port, start

KILLS = 20 if NIGHTLY else 3
UPDATES, THREADS, RECORDS = 1000, 16, 20


def token_of(project: Path) -> str:
    return (project / "token").read_text()


def _update_until_killed(running: Running, token: str, dice: random.Random) -> list[tuple[str, int, str]]:
    """Sends concurrent updates, kills the service in the middle, returns those that were answered."""
    answered: list[tuple[str, int, str]] = []
    numbers = iter(range(UPDATES))
    after = dice.randrange(20, 400)
    lock = threading.Lock()

    def work() -> None:
        with running.client(token) as client:
            while True:
                with lock:
                    number = next(numbers, None)
                if number is None:
                    return
                slug, body = f"note-{number % RECORDS}", f"{after}-{number}"
                try:
                    answer = client.patch(f"/v1/records/notes/{slug}", json={"body": body})
                except httpx.TransportError:
                    return
                assert answer.status_code == 200, answer.text
                with lock:
                    answered.append((slug, answer.json()["version"], body))

    threads = [threading.Thread(target=work) for _ in range(THREADS)]
    for thread in threads:
        thread.start()
    while len(answered) < after and any(thread.is_alive() for thread in threads):
        time.sleep(0.001)
    running.kill()
    for thread in threads:
        thread.join(30)
    assert len(answered) >= after
    return answered


def _check(database: Path, answered: list[tuple[str, int, str]]) -> None:
    """Every answered update is in the record and the history; no entry lacks its update."""
    raw = sqlite3.connect(database)
    assert raw.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    records = {row[0]: row[1:] for row in raw.execute("SELECT id, slug, version, body FROM notes")}
    entries: dict[str, list[tuple[int, dict]]] = {}
    for record_id, version, changes in raw.execute(
        "SELECT record_id, version, changes FROM fenland_history ORDER BY sequence"
    ):
        entries.setdefault(record_id, []).append((version, json.loads(changes)))
    raw.close()
    told = {(slug, version): body for slug, version, body in answered}
    assert len(told) == len(answered), "two updates were answered with the same version"
    for record_id, (slug, version, body) in records.items():
        versions = [one for one, _ in entries[record_id]]
        assert versions == list(range(1, version + 1))
        assert entries[record_id][-1][1].get("body", [None, body])[1] == body
        before = None
        for number, changes in entries[record_id]:
            assert changes.get("body", [before, before])[0] == before
            before = changes.get("body", [before, before])[1]
            assert told.pop((slug, number), before) == before
    assert not told


@pytest.mark.parametrize("workers", ["1", "2"])
def test_no_answered_update_is_lost_when_the_service_is_killed(project: Path, workers: str) -> None:
    dice, token, answered = random.Random(workers), token_of(project), []
    for number in range(KILLS):
        running = start("start", project, project / "log", "--workers", workers)
        if number == 0:
            with running.client(token) as client:
                for slug in range(RECORDS):
                    fields = {"slug": f"note-{slug}", "title": "A note"}
                    client.post("/v1/records/notes", json=fields).raise_for_status()
        answered += _update_until_killed(running, token, dice)
        _check(project / "records.db", answered)


def test_a_stop_finishes_what_is_running(project: Path) -> None:
    running = start("start", project, project / "log")
    token, body = token_of(project), b'{"slug": "late", "title": "Finished after the stop"}'
    host, port = running.address.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), timeout=20) as slow:
        head = (
            f"POST /v1/records/notes HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer {token}\r\n"
            f"Content-Type: application/json\r\nContent-Length: {len(body)}\r\n\r\n"
        )
        slow.sendall(head.encode() + body[:10])
        time.sleep(0.3)
        running.process.terminate()
        time.sleep(0.3)
        slow.sendall(body[10:])
        assert slow.recv(100).startswith(b"HTTP/1.1 201")
    assert running.process.wait(20) == 0
    raw = sqlite3.connect(project / "records.db")
    assert raw.execute("SELECT count(*) FROM notes WHERE slug = 'late'").fetchone() == (1,)
    raw.close()


def test_a_revoked_token_is_refused_by_every_worker_at_once(project: Path) -> None:
    running = start("start", project, project / "log", "--workers", "2")
    clients = [running.client(token_of(project)) for _ in range(8)]
    for client in clients:
        assert client.get("/v1/session").status_code == 200
    fenland("account", "revoke", "ada", "--project", str(project))
    assert {client.get("/v1/session").status_code for client in clients} == {401}
    for client in clients:
        client.close()
    assert running.stop() == 0


def test_what_stands_in_the_way_of_a_start_is_told(project: Path, sample: Running) -> None:
    def refused(*words: str) -> str:
        done = fenland(*words, code=1)
        assert "Traceback" not in done.stderr
        return done.stderr

    taken = sample.address.rpartition(":")[2]
    assert "Address already in use" in refused("start", str(project), "--port", taken)
    raw = sqlite3.connect(project / "records.db")
    raw.execute("UPDATE fenland_meta SET value = '99' WHERE name = 'layout'")
    raw.commit()
    raw.close()
    assert "newer version" in refused("start", str(project), "--port", str(free_port()))
    (project / "records.db").write_bytes(b"no database" * 500)
    assert "cannot be opened" in refused("start", str(project), "--port", str(free_port()))
    blocked = project / "file"
    blocked.touch()
    assert "cannot be" in refused("demo", str(blocked / "inside"))
    readonly = Path("/proc/nothing-here")
    assert "cannot be" in refused("demo", str(readonly))


STATION = "/v1/records/stations/PS-020"
JSON = {"Content-Type": "application/json"}

#: method, path, headers, body; whatever it is, the answer is a problem below 500, or harmless.
NONSENSE: list[tuple[str, str, dict[str, str], bytes]] = [
    *[("PATCH", STATION, JSON, body) for body in (
        b"", b"{", b"[]", b"null", b'"x"', b"1", b"{}x", b'{"a":}', b'{"name":"\xff"}', b'{"name":"\\ud800"}', b"NaN",
        b'{"pumps":1e999999999}', b'{"pumps":' + b"9" * 5000 + b"}", b'{"capacity":1e-999999}', b'{"pumps":NaN}',
        b'{"name":"a\\u0000b"}', b'{"name":{"a":1}}', b'{"tags":{"a":1}}', b'{"tags":[[[[]]]]}', b'{"contact":[1]}',
        b'{"name":1,"name":2}', b'{"":1}', b'{"a/b~c":1}', b"[" * 100_000, b'{"a":' * 5000 + b"1" + b"}" * 5000,
        b'{"watercourse":1}', b'{"watercourse":""}', b'{"keeper":null}', b'{"automatic":"true"}',
        b'{"commissioned_on":"2031-13-45"}', b'{"id":{}}', b'{"version":[]}', b'{"__proto__":{"x":1}}',
        b'{"name":"' + b"x" * 2_000_000 + b'"}',
    )],
    ("PATCH", STATION, {"Content-Type": "text/html"}, b"{}"),
    ("PATCH", STATION, {}, b"{}"),
    ("PATCH", STATION, JSON | {"If-Match": 'W/"'}, b"{}"),
    ("PATCH", STATION, JSON | {"If-Match": ""}, b"{}"),
    ("PATCH", STATION + "?blank=no", JSON, b"{}"),
    ("PATCH", STATION + "?blank=keep&blank=clear", JSON, b"{}"),
    ("PATCH", STATION + "?reason=" + "x" * 900, JSON, b"{}"),
    ("GET", "/v1/records/stations?limit=0", {}, b""),
    ("GET", "/v1/records/stations?limit=-1", {}, b""),
    ("GET", "/v1/records/stations?limit=" + "9" * 400, {}, b""),
    ("GET", "/v1/records/stations?sort=nothing", {}, b""),
    ("GET", "/v1/records/stations?sort=contact", {}, b""),
    ("GET", "/v1/records/stations?sort=" + "name," * 50, {}, b""),
    ("GET", "/v1/records/stations?cursor=%00", {}, b""),
    ("GET", "/v1/records/stations?cursor=bnVsbA", {}, b""),
    ("GET", "/v1/records/stations?cursor=WyIiLFtbMV1dXQ", {}, b""),
    ("GET", "/v1/records/stations?cursor=WyIiLFsxZTk5OTldXQ", {}, b""),
    ("GET", "/v1/records/stations?q=%00", {}, b""),
    ("GET", "/v1/records/stations?q=" + "a+" * 60, {}, b""),
    ("GET", "/v1/records/stations?q=%ff%fe", {}, b""),
    ("GET", "/v1/records/stations?count=perhaps", {}, b""),
    ("GET", "/v1/records/stations?colour=red", {}, b""),
    ("GET", "/v1/records/stations/%00", {}, b""),
    ("GET", "/v1/records/stations/%ff", {}, b""),
    ("GET", "/v1/records/stations/" + "x" * 3000, {}, b""),
    ("GET", "/v1/records/inspections/99999999999999999999", {}, b""),
    ("GET", "/v1/records/inspections/-", {}, b""),
    ("GET", "/v1/records/inspections/²", {}, b""),
    ("GET", "/v1/records/inspections/²/history", {}, b""),
    ("GET", "/v1/records/inspections/" + "9" * 30 + "/history", {}, b""),
    ("GET", "/v1/records/stations/by/contact/x", {}, b""),
    ("GET", "/v1/records/stations/PS-020/history?below=x", {}, b""),
    ("GET", "/v1/records/sqlite_master", {}, b""),
    ("GET", "/v1/schemas/stations?for=fun", {}, b""),
    ("GET", "/assets/../../../etc/passwd", {}, b""),
    ("GET", "/assets/%2e%2e/%2e%2e/app.py", {}, b""),
    ("POST", "/v1/records/stations", JSON, b"[1]"),
    ("POST", "/v1/records/stations", JSON, b'{"code":"../x","name":"x"}'),
    ("DELETE", STATION + "?reason=x&reason=y", {}, b""),
    ("PUT", STATION, JSON, b"{}"),
    ("TRACE", "/v1/session", {}, b""),
    ("GET", "/v1/session", {"Authorization": "Bearer a b"}, b""),
    ("GET", "/v1/session", {"Authorization": "Basic eDp5"}, b""),
    ("GET", "/v1/session", {"Authorization": "Bearer '; DROP TABLE"}, b""),
    ("GET", "/healthz", {"X-Request-ID": "x" * 5000}, b""),
]  # fmt: skip


def test_nonsense_is_answered_and_never_fails(sample: Running) -> None:
    with sample.client() as client:
        before = client.get(STATION).json()
        for method, path, headers, body in NONSENSE:
            answer = client.request(method, path, headers=headers, content=body)
            assert answer.status_code < 500, (method, path, body[:60], answer.text)
            if answer.status_code >= 400:
                assert answer.headers["Content-Type"] == "application/problem+json", (method, path)
                assert {"type", "title", "status", "detail", "request_id"} <= answer.json().keys()
                assert answer.json()["detail"].strip()
        assert client.get(STATION).json() == before
        # A body sent in pieces is read whole, and one over the limit is refused all the same.
        pieces = (piece for piece in (b'{"pumps"', b": ", b"1}"))
        told = client.patch(f"{STATION}?preview=true", content=pieces, headers=JSON)
        assert told.json()["record"]["pumps"] == 1
        large = (b"x" * 100_000 for _ in range(11))
        assert client.patch(STATION, content=large, headers=JSON).status_code == 413
    assert len(NONSENSE) >= 50
    assert "Traceback" not in sample.log.read_text(errors="replace")


def test_of_many_who_want_one_key_one_gets_it(project: Path) -> None:
    running = start("start", project, project / "log", "--workers", "2")
    answers: list[httpx.Response] = []
    gate = threading.Barrier(8)

    def take(slug: str) -> None:
        with running.client(token_of(project)) as client:
            client.get("/v1/session")
            gate.wait(20)
            answers.append(client.post("/v1/records/notes", json={"slug": slug, "title": "Mine"}))

    for slug in ("first", "second", "third"):
        answers.clear()
        threads = [threading.Thread(target=take, args=(slug,)) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert sorted(answer.status_code for answer in answers) == [201] + [422] * 7
        for answer in answers:
            if answer.status_code == 422:
                assert [(one["pointer"], one["code"]) for one in answer.json()["errors"]] == [
                    ("/slug", "unique")
                ]
    assert running.stop() == 0
