"""Nobody can stop it: slow and silent clients, long searches, held locks, and processes that die."""

from __future__ import annotations

import itertools
import os
import signal
import socket
import sqlite3
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from pathlib import Path

import httpx
import pytest

from fenland.core.limits import Limits
from fenland.core.problems import Unavailable
from fenland.service.service import Service
from fenland.storage.sqlite import patience
from support import Running, bearer, free_port, start, workshop_of

NOTE = b'{"slug": "s", "title": "T"}'


@pytest.fixture
def running(project: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Running]:
    monkeypatch.setenv("FENLAND_BODY_TIMEOUT", "2")
    found = start("start", project, project / "log")
    yield found
    if found.process.poll() is None:
        found.stop()


def _post(token: str, length: int) -> bytes:
    return (
        f"POST /v1/records/notes HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer {token}\r\n"
        f"Content-Type: application/json\r\nContent-Length: {length}\r\n\r\n"
    ).encode()


def _script(running: Running) -> str:
    page = httpx.get(running.address, headers={"Accept": "text/html"}).text
    return page.split('src="')[1].split('"')[0]


def test_silent_slow_and_deaf_clients_hold_nobody_up(running: Running, project: Path) -> None:
    host, port = running.address.removeprefix("http://").split(":")
    token = (project / "token").read_text()
    deaf = f"GET {_script(running)} HTTP/1.1\r\nHost: x\r\n\r\n".encode()
    with ExitStack() as held, running.client(token) as client:
        for number in range(1900):
            one = held.enter_context(socket.create_connection((host, int(port)), timeout=20))
            if number < 200:
                one.sendall(_post(token, 1000) + b"{")
            elif number < 400:
                one.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
                one.sendall(deaf * 3)
        for _ in range(5):
            assert httpx.get(f"{running.address}/healthz", timeout=5).json()["status"] == "ok"
            assert client.get("/v1/records/notes").status_code == 200
        assert (
            client.post(
                "/v1/records/notes", content=NOTE, headers={"Content-Type": "application/json"}
            ).status_code
            == 201
        )


def test_a_body_that_does_not_come_is_given_up(running: Running, project: Path) -> None:
    host, port = running.address.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), timeout=30) as slow:
        slow.sendall(_post((project / "token").read_text(), 100) + b"{")
        assert slow.recv(1000).startswith(b"HTTP/1.1 408")


def _workers(parent: int) -> set[int]:
    found = subprocess.run(["pgrep", "-P", str(parent)], capture_output=True, text=True).stdout.split()
    return {int(one) for one in found}


def _until(holds: Callable[[], bool]) -> None:
    for _ in range(600):
        if holds():
            return
        time.sleep(0.05)
    raise AssertionError("It never came so far.")


def _answers(running: Running) -> bool:
    try:
        return httpx.get(f"{running.address}/healthz", timeout=2).status_code == 200
    except httpx.TransportError:
        return False


def test_who_hangs_up_in_the_middle_leaves_no_trace_of_a_fault(running: Running, project: Path) -> None:
    host, port = running.address.removeprefix("http://").split(":")
    token = (project / "token").read_text()
    with running.client(token) as http:
        http.post("/v1/records/notes", json={"slug": "a", "title": "T"}).raise_for_status()
    head = f"Host: x\r\nAuthorization: Bearer {token}\r\nContent-Type: application/json\r\n"
    bodies = ('Content-Length: 100\r\n\r\n{"title"', 'Transfer-Encoding: chunked\r\n\r\n5\r\n{"tit\r\n')
    requests = [f"PATCH /v1/records/notes/a HTTP/1.1\r\n{head}{body}" for body in bodies]
    requests.append(f"POST /v1/records/notes/import HTTP/1.1\r\n{head}{bodies[0]}")
    requests += [
        f"GET /v1/{path} HTTP/1.1\r\n{head}\r\n" for path in ("records/notes", "exports/notes?as=csv")
    ]
    reset = struct.pack("ii", 1, 0)
    for text, abruptly, pause in itertools.product(requests, (False, True), (0, 0.05)):
        with socket.create_connection((host, int(port)), timeout=20) as client:
            if abruptly:
                client.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, reset)
            client.sendall(text.encode())
            time.sleep(pause)
    with running.client(token) as http:
        assert http.get("/v1/records/notes/a").json()["version"] == 1
    told = running.log.read_text()
    assert "gone before the request was whole" in told
    assert "Traceback" not in told


def test_a_worker_that_dies_is_replaced_however_often(running: Running) -> None:
    for _ in range(3):
        _until(lambda: len(_workers(running.process.pid)) == 1)
        (worker,) = _workers(running.process.pid)
        os.kill(worker, signal.SIGKILL)
        _until(lambda dead=worker: dead not in _workers(running.process.pid) and _answers(running))
    assert running.log.read_text().count("worker ended") == 3
    assert running.log.read_text().count("worker started") == 4


def test_workers_do_not_outlive_their_parent(running: Running) -> None:
    _until(lambda: len(_workers(running.process.pid)) == 1)
    workers = _workers(running.process.pid)
    running.process.kill()
    running.process.wait()
    _until(lambda: not any(Path(f"/proc/{one}").exists() for one in workers))


def test_an_idle_service_stops_at_once_with_its_log_folded_in(running: Running, project: Path) -> None:
    host, port = running.address.removeprefix("http://").split(":")
    with (
        socket.create_connection((host, int(port))),
        running.client((project / "token").read_text()) as client,
    ):
        client.post("/v1/records/notes", json={"slug": "s", "title": "T"}).raise_for_status()
        running.process.send_signal(signal.SIGINT)
        assert running.process.wait(15) == 0
    assert not (project / "records.db-wal").exists()
    copied = sqlite3.connect(f"file:{project / 'records.db'}?immutable=1", uri=True)
    assert copied.execute("SELECT count(*) FROM notes").fetchone() == (1,)
    copied.close()


def test_a_database_that_was_moved_away_is_noticed(running: Running, project: Path) -> None:
    database = project / "records.db"
    with running.client((project / "token").read_text()) as client:
        database.rename(project / "elsewhere.db")
        assert client.get("/healthz").status_code == 503
        refused = client.post("/v1/records/notes", json={"slug": "s", "title": "T"})
        assert (refused.status_code, refused.headers["Retry-After"]) == (503, "1")
        assert "moved away" in refused.json()["detail"]
        (project / "elsewhere.db").rename(database)
        assert client.get("/healthz").status_code == 200
        assert client.post("/v1/records/notes", json={"slug": "s", "title": "T"}).status_code == 201


#: A start whose workers fail.
FAILING = """
import sys
from pathlib import Path
from fenland.service.project import load_project
from fenland.web.serving import serve

def fail(*_):
    raise SystemExit("broken on purpose")

serve.work = fail
try:
    serve.run(load_project(Path(sys.argv[1])), print)
except serve.StartRefused as refusal:
    print(refusal)
"""


def test_a_start_that_fails_in_the_worker_ends(project: Path) -> None:
    environment = {**os.environ, "FENLAND_PORT": str(free_port()), "FENLAND_WORKERS": "3"}
    done = subprocess.run(
        [sys.executable, "-c", FAILING, str(project)], capture_output=True, text=True, env=environment
    )
    assert "could not begin" in done.stdout
    assert "worker ended" in done.stdout + done.stderr


# --- long reads and held locks, in this process ------------------------------------------------------

LONG = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < ?) SELECT count(*) FROM n"


def test_a_long_read_gives_the_turn_away_and_each_account_has_only_so_many(
    service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    database, outcomes, begun = service.database, [], threading.Barrier(8)

    def read(account: str) -> None:
        begun.wait(20)
        database.turn.take()
        try:
            with database.reading(account) as connection:
                outcomes.append(connection.execute(LONG, (800_000,)).fetchone()[0])
            assert database.turn.held
        except Unavailable as refusal:
            outcomes.append(refusal.detail)
        finally:
            database.turn.give()

    threads = [threading.Thread(target=read, args=("olga",)) for _ in range(7)]
    for thread in threads:
        thread.start()
    begun.wait(20)
    between = 0
    while any(thread.is_alive() for thread in threads):
        database.turn.take()
        between += 1
        with database.reading("carl") as connection:
            assert connection.execute(LONG, (3,)).fetchone() == (3,)
        database.turn.give()
        time.sleep(0.001)
    assert sorted(map(str, outcomes))[:4] == ["800000"] * 4
    assert sum("long searches running already" in str(one) for one in outcomes) == 3
    assert between > 10
    with database.reading("olga") as connection:
        assert connection.execute(LONG, (500_000,)).fetchone() == (500_000,)


def test_a_read_that_takes_too_long_is_given_up(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(patience, "STEPS", 1000)
    with workshop_of(
        {"notes": {"fields": {"text": {"type": "string"}}}}, tmp_path / "n.db", Limits(read_seconds=0.05)
    ) as (service, _):
        with (
            pytest.raises(Unavailable, match="takes longer than"),
            service.database.reading("olga") as connection,
        ):
            connection.execute(LONG, (10**9,)).fetchone()
        with service.database.reading("olga") as connection:
            assert connection.execute(LONG, (9,)).fetchone() == (9,)


def test_another_programs_lock_holds_up_writers_alone(
    http: httpx.Client, service: Service, tmp_path: Path
) -> None:
    http.post("/v1/records/benches", json={"code": "B1"}).raise_for_status()
    other = sqlite3.connect(tmp_path / "workshop.db", isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    answers: list[int] = []

    def change(name: str) -> None:
        service.database.turn.take()
        answers.append(http.patch("/v1/records/benches/B1", json={"name": name}).status_code)
        service.database.turn.give()

    threads = [threading.Thread(target=change, args=(name,)) for name in "abc"]
    for thread in threads:
        thread.start()
    for _ in range(20):
        service.database.turn.take()
        assert http.get("/v1/records/benches/B1").status_code == 200
        service.database.turn.give()
    assert not answers
    other.execute("ROLLBACK")
    other.close()
    for thread in threads:
        thread.join(20)
    assert answers == [200, 200, 200]


# --- bounds on one request ---------------------------------------------------------------------------


def test_what_one_request_may_make_is_bounded(tmp_path: Path) -> None:
    everyone = {action: ["everyone"] for action in ("read", "create", "update", "delete")}
    described = {
        "roots": {"key": "code", "access": everyone, "fields": {"code": {"type": "string", "required": True, "unique": True, "fixed": True}, "text": {"type": "string"}}},
        "leaves": {"access": everyone, "fields": {"root": {"references": "roots", "on_delete": "cascade"}}},
    }  # fmt: skip
    limits = Limits(answer=20_000, cascade=10)
    with workshop_of(described, tmp_path / "r.db", limits) as (_, http):
        for number in range(6):
            http.post("/v1/records/roots", json={"code": f"R{number}", "text": "x" * 6000}).raise_for_status()
        update = {
            "action": "update",
            "collection": "roots",
            "key": "R1",
            "edits": [{"at": "/text", "append": "y"}],
        }
        assert http.post("/v1/batch", json={"items": [update] * 2}).status_code == 200
        refused = http.post("/v1/batch", json={"items": [update] * 9, "atomic": False})
        assert (refused.status_code, refused.json()["limit"]) == (413, "answer_limit")
        assert http.get("/v1/records/roots/R1").json()["version"] == 3
        page = http.get("/v1/records/roots?sort=code").json()
        assert 1 <= len(page["items"]) < 6
        seen = [one["code"] for one in page["items"]]
        while page["next"]:
            page = http.get("/v1/records/roots", params={"sort": "code", "cursor": page["next"]}).json()
            seen += [one["code"] for one in page["items"]]
        assert seen == [f"R{number}" for number in range(6)]
        for number in range(12):
            http.patch("/v1/records/roots/R2", json={"text": f"{number}" * 3000}).raise_for_status()
        history = http.get("/v1/records/roots/R2/history").json()
        assert 1 <= len(history["items"]) < 13
        assert history["next"] == history["items"][-1]["version"]
        http.post(
            "/v1/batch",
            json={"items": [{"action": "create", "collection": "leaves", "fields": {"root": "R3"}}] * 11},
        ).raise_for_status()
        refused = http.delete("/v1/records/roots/R3")
        assert (refused.status_code, refused.json()["limit"]) == (413, "cascade_limit")
        assert "11 records" in refused.json()["detail"]
        assert http.get("/v1/records/roots?q=" + "a" * 60_000).status_code == 400


def test_hostile_texts_are_read_in_time_that_grows_with_their_size(http: httpx.Client) -> None:
    names = ",".join(f'"n{number}": 1' for number in range(30_000))
    twice = http.post(
        "/v1/records/tools", content=f'{{{names}, "n29999": 1}}', headers={"Content-Type": "application/json"}
    )
    assert twice.status_code in (400, 413)
    step = 2**61 - 1
    members = [number * step for number in range(600)]
    edits = {"edits": [{"at": "/labels", "include": members}]}
    kind = {"Content-Type": "application/vnd.fenland.edits+json"}
    http.post(
        "/v1/records/tools", json={"code": "A1", "name": "Saw"}, headers=bearer("carl")
    ).raise_for_status()
    assert http.patch("/v1/records/tools/A1", json=edits, headers=kind).status_code == 422


def test_small_and_large_records_that_are_changed_together_are_all_saved(project: Path) -> None:
    described = project / "collections" / "notes.yaml"
    described.write_text(described.read_text().replace("maxLength: 5000, ", ""))
    running = start("start", project, project / "log")
    # What arrives together is made in one transaction on the loop, until one of it proves to be large.
    token, rounds = (project / "token").read_text(), 20
    with running.client(token) as http:
        for number in range(8):
            body = "x" * (200_000 if number % 4 == 0 else 10)
            http.post("/v1/records/notes", json={"slug": f"n{number}", "title": "0", "body": body}).raise_for_status()  # fmt: skip
    wrong: list[str] = []

    def change(number: int) -> None:
        with running.client(token) as http:
            for step in range(1, rounds + 1):
                path = f"/v1/records/notes/n{number}"
                answer = http.patch(path, json={"title": str(step)})
                read = http.get(path).json()
                if answer.status_code != 200 or (read["title"], read["version"]) != (str(step), step + 1):
                    wrong.append(f"{number}: {answer.status_code} {read.get('version')}")

    threads = [threading.Thread(target=change, args=[number]) for number in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == []
    with running.client(token) as http:
        told = http.get("/v1/records/notes?sort=slug&fields=slug,title&limit=8").json()["items"]
        assert [one["title"] for one in told] == [str(rounds)] * 8
    assert running.stop() == 0
