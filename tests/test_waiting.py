"""Waiting for the history to grow: thousands at once, without a thread each; and every way in which it ends."""

from __future__ import annotations

import asyncio
import json
import resource
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from commands import fenland
from fenland.client import Client
from fenland.service.accounts.accounts import NewAccount, add_account
from fenland.service.accounts.tokens import NewToken, issue_token
from fenland.service.opening import open_project_service
from fenland.service.project import load_project
from fenland.storage.door import Growth
from fenland.web.http.waiting import Wait
from fenland.web.serving import waiting as requests
from support import Running, bearer, new_project, start

#: How many may wait, and of how many accounts.
MANY, ACCOUNTS = 2_000, 10


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    found = new_project(tmp_path_factory.mktemp("waiting") / "notes")
    service = open_project_service(load_project(found))
    for number in range(ACCOUNTS):
        add_account(service, NewAccount(f"w{number}", f"W{number}", ["editor"]))
        issue_token(service, f"w{number}", NewToken(secret=f"waiting-{number}"))
    service.close()
    return found


@pytest.fixture(scope="module")
def running(folder: Path) -> Iterator[Running]:
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("FENLAND_WORKERS", "2")
        found = start("start", folder, folder / "log")
    yield found
    found.stop()


@pytest.fixture
def http(running: Running) -> Iterator[httpx.Client]:
    with running.client("waiting-0") as found:
        yield found


def head(http: httpx.Client, **query: int) -> int:
    answer = http.get("/v1/history/head", params=query)
    assert answer.status_code == 200, answer.text
    return int(answer.json()["size"])


def add(http: httpx.Client, slug: str) -> None:
    http.post("/v1/records/notes", json={"slug": slug, "title": "T"}).raise_for_status()


def threads(running: Running) -> int:
    """Of all processes of the service."""
    found = 0
    for status in Path("/proc").glob("[0-9]*/status"):
        try:
            lines = dict(line.split(":\t", 1) for line in status.read_text().splitlines() if ":\t" in line)
            command = (status.parent / "cmdline").read_bytes()
        except OSError:
            continue
        if str(running.folder).encode() in command or int(lines["PPid"]) == running.process.pid:
            found += int(lines["Threads"])
    return found


class Waiting:
    """Requests that wait, each on a connection of its own."""

    def __init__(self, running: Running) -> None:
        self._host, self._port = running.address.removeprefix("http://").split(":")
        self._writers: list[asyncio.StreamWriter] = []

    async def __aenter__(self) -> Waiting:
        return self

    async def __aexit__(self, *_: object) -> None:
        await self.go()

    async def add(self, above: int, account: int | str) -> asyncio.StreamReader:
        token = account if isinstance(account, str) else f"waiting-{account}"
        reader, writer = await asyncio.open_connection(self._host, int(self._port))
        self._writers.append(writer)
        writer.write(
            f"GET /v1/history/head?above={above}&wait=60 HTTP/1.1\r\nHost: x\r\nConnection: close\r\n"
            f"Authorization: Bearer {token}\r\n\r\n".encode()
        )
        await writer.drain()
        return reader

    async def go(self) -> None:
        """Ends all connections."""
        for one in self._writers:
            one.close()
        await asyncio.gather(*(one.wait_closed() for one in self._writers), return_exceptions=True)
        self._writers.clear()


async def sizes(readers: list[asyncio.StreamReader]) -> list[int]:
    """What the answers say, once they are there."""
    answers = await asyncio.gather(*(one.read() for one in readers))
    return [json.loads(one.partition(b"\r\n\r\n")[2])["size"] for one in answers]


async def _many(running: Running, http: httpx.Client, above: int) -> tuple[list[int], int, int]:
    """What all are told, and how many threads there were before them and while they waited."""
    before = threads(running)
    async with Waiting(running) as waiting:
        readers = [await waiting.add(above, number % ACCOUNTS) for number in range(MANY)]
        # Others are answered meanwhile.
        assert await asyncio.to_thread(head, http) == above
        await asyncio.sleep(1)
        during = threads(running)
        early, late = await asyncio.wait([asyncio.create_task(one.read(1)) for one in readers], timeout=1)
        assert (len(early), len(late)) == (0, MANY)
        await asyncio.to_thread(add, http, "many")
        # The first byte of each was read.
        await asyncio.gather(*late)
        answers = [b"H" + answer for answer in await asyncio.gather(*(one.read() for one in readers))]
    return [json.loads(one.partition(b"\r\n\r\n")[2])["size"] for one in answers], before, during


def test_two_thousand_wait_without_a_thread_each_and_one_change_answers_all(
    running: Running, http: httpx.Client
) -> None:
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(hard, 8_192), hard))
    try:
        above = head(http)
        told, before, during = asyncio.run(_many(running, http, above))
    finally:
        resource.setrlimit(resource.RLIMIT_NOFILE, (soft, hard))
    assert (len(told), set(told)) == (MANY, {above + 1})
    # The server begins some as requests come, and no more than a few.
    assert before > 10
    assert during < before + MANY // 10


def test_what_another_process_adds_is_heard_of(running: Running, http: httpx.Client, folder: Path) -> None:
    """By a command, beside a service of two processes: whichever waits learns of it."""
    above = head(http)

    async def both() -> list[int]:
        async with Waiting(running) as waiting:
            readers = [await waiting.add(above, 2) for _ in range(8)]
            await asyncio.to_thread(fenland, "account", "token", "ada", "--project", str(folder))
            return await sizes(readers)

    assert asyncio.run(both()) == [above + 1] * 8
    with Client(running.address, "waiting-1", timeout=70) as client:
        assert client.past.head(above=above, wait=60)["size"] == above + 1


def test_it_ends_when_its_time_is_over_and_at_once_where_there_is_more(http: httpx.Client) -> None:
    size = head(http)
    begun = time.monotonic()
    assert head(http, above=size, wait=1) == size
    assert time.monotonic() - begun >= 1
    assert head(http, above=size - 1, wait=60) == size
    assert head(http, above=size, wait=0) == size


@pytest.mark.parametrize(
    "query", ["above=1", "wait=1", "above=1&wait=61", "above=-1&wait=1", "above=x&wait=1", "above=1&wait=1.5"]
)
def test_what_cannot_be_waited_for_is_refused(http: httpx.Client, query: str) -> None:
    answer = http.get(f"/v1/history/head?{query}")
    assert (answer.status_code, answer.json()["type"]) == (400, "/problems/malformed"), answer.text


def test_one_account_cannot_fill_the_place_of_others_and_who_goes_makes_room(
    running: Running, http: httpx.Client
) -> None:
    above = head(http)

    async def crowd() -> list[int]:
        async with Waiting(running) as waiting:
            tasks = [asyncio.create_task((await waiting.add(above, 3)).read()) for _ in range(500)]
            # Over the bound of each process they are answered at once.
            early, late = await asyncio.wait(tasks, timeout=5)
            assert len(early) >= 100
            assert len(late) >= 200
            await waiting.go()
            await asyncio.gather(*late, return_exceptions=True)
            await asyncio.sleep(1)
            readers = [await waiting.add(above, 3) for _ in range(100)]
            await asyncio.sleep(1)
            await asyncio.to_thread(add, http, "crowd")
            return await sizes(readers)

    assert asyncio.run(crowd()) == [above + 1] * 100


def test_a_token_taken_back_meanwhile_is_refused_and_the_log_has_one_line(
    running: Running, http: httpx.Client
) -> None:
    mine = http.post("/v1/tokens", json={"label": "short"}).raise_for_status().json()
    above = head(http)

    async def revoked() -> bytes:
        async with Waiting(running) as waiting:
            reader = await waiting.add(above, mine["token"])
            await asyncio.sleep(0.5)
            await asyncio.to_thread(http.delete, f"/v1/tokens/{mine['id']}")
            return await reader.read()

    before = running.log.read_text().count("/v1/history/head")
    assert asyncio.run(revoked()).startswith(b"HTTP/1.1 401 ")
    assert running.log.read_text().count("/v1/history/head") == before + 1


def test_one_that_waits_counts_once_against_the_rate_of_account_and_address(folder: Path) -> None:
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("FENLAND_RATE_LIMIT", "8")
        running = start("start", folder, folder / "log")
    with running.client("waiting-5") as http:
        size = head(http)
        for _ in range(4):
            assert head(http, above=size, wait=1) == size
        # These were five; counted twice they would be nine.
        assert http.get("/v1/session").status_code == 200
    running.stop()


def test_who_waits_for_what_is_far_ahead_makes_no_change_dearer() -> None:
    """However many wait for the hundredth entry, the first ones look at none of them."""
    looked, woken = list[int](), list[int]()

    class Asked(int):
        def __lt__(self, other: object) -> bool:
            looked.append(1)
            return int(self) < int(other)  # type: ignore[call-overload]

    async def run() -> None:
        growth = Growth()
        kept = requests.Waiting[int](
            asyncio.get_running_loop(), growth, lambda: False, lambda one, _: woken.append(one)
        )
        until = time.monotonic() + 60
        for number in range(1_000):
            assert kept.add(number, Wait(Asked(100 + number), until), f"a{number}")
        looked.clear()
        for end in range(1, 101):
            growth.note(end)
            await asyncio.sleep(0)
        assert (woken, len(looked) < 1_000) == ([], True)
        growth.note(101)
        await asyncio.sleep(0)
        assert woken == [0]
        growth.note(10_000)
        await asyncio.sleep(0)
        assert sorted(woken) == [*range(1_000)]

    asyncio.run(run())


def test_one_that_was_woken_for_nothing_rests_before_it_is_woken_again(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(requests, "REST", 0.2)
    woken: list[int] = []

    async def run() -> None:
        growth, until = Growth(), time.monotonic() + 60
        kept = requests.Waiting[int](
            asyncio.get_running_loop(), growth, lambda: False, lambda one, _: woken.append(one)
        )
        assert kept.add(1, Wait(0, until, again=True), "a") and kept.add(2, Wait(0, until), "a")
        assert kept.add(3, Wait(0, until, again=True), "a") and kept.drop(3)
        growth.note(5)
        await asyncio.sleep(0.05)
        assert woken == [2]
        await asyncio.sleep(0.4)
        assert woken == [2, 1]
        # Its time ends whether it rests or not.
        assert kept.add(4, Wait(9, time.monotonic() + 0.05, again=True), "a")
        await asyncio.sleep(0.15)
        assert woken == [2, 1, 4]
        await asyncio.sleep(0.3)

    asyncio.run(run())


def test_a_service_that_stops_answers_who_waits(folder: Path) -> None:
    running = start("start", folder, folder / "log")
    with running.client("waiting-4") as http:
        above = head(http)

        async def stopped() -> tuple[list[int], int]:
            async with Waiting(running) as waiting:
                readers = [await waiting.add(above, 4) for _ in range(4)]
                await asyncio.sleep(1)
                code = await asyncio.to_thread(running.stop)
                return await sizes(readers), code

        assert asyncio.run(stopped()) == ([above] * 4, 0)


def test_a_server_that_cannot_wait_answers_at_once(transport: httpx.WSGITransport) -> None:
    desk = httpx.Client(transport=transport, base_url="http://workshop", headers=bearer("olga"))
    size = desk.get("/v1/history/head").json()["size"]
    found = desk.get("/v1/history/head", params={"above": size, "wait": 60})
    assert found.json()["size"] == size
