"""Streams of changes: what pages tell, at once, to whom it is to be told, for as long as they may be told."""

from __future__ import annotations

import json
import random
import socket
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest

from commands import fenland
from fenland.client import Client
from fenland.core.access.policy import Actor, Caller
from fenland.core.values.identity import timestamp
from fenland.service.feed.changes import Following, Place, followed
from fenland.web.http.caller import caller_again
from support import NIGHTLY, TOKENS, Running, bearer, start, workshop_of
from test_feed import FOLLOWED, WORKS, Copy, Doing, listed, order

STREAM = {"Accept": "text/event-stream"}


def project(folder: Path, **settings: Any) -> dict[str, str]:
    """A project over the works, with an account of the office, one of the crew and one of no role; their tokens."""
    fenland("new", str(folder))
    (folder / "collections" / "views.yaml").unlink()
    (folder / "collections" / "notes.yaml").unlink()
    for name, described in WORKS.items():
        (folder / "collections" / f"{name}.yaml").write_text(json.dumps(described))
    chosen = {"roles": ["office", "crew"], "account_managers": ["office"], **settings}
    (folder / "fenland.toml").write_text(
        "".join(f"{name} = {json.dumps(one)}\n" for name, one in chosen.items())
    )
    tokens = {}
    for name, roles in (("olga", ["--role", "office"]), ("carl", ["--role", "crew"]), ("vic", [])):
        added = fenland("account", "add", name, *roles, "--project", str(folder), "--json")
        tokens[name] = json.loads(added.stdout)["token"]
    return tokens


class Streaming(threading.Thread):
    """Follows by streams alone, in a thread; where it breaks off it goes on from the last event it has."""

    def __init__(
        self, running: Running, token: str, asked: dict[str, str], breaks: random.Random | None
    ) -> None:
        super().__init__(daemon=True)
        self.http, self.asked, self.breaks = running.client(token), asked, breaks
        self.told, self.copy, self.ended = list[dict[str, Any]](), Copy(), threading.Event()
        self.after = self.http.get("/v1/changes", params=asked).links["next"]["url"].partition("after=")[2]
        self.reset()
        self.statuses = list[int]()

    def reset(self) -> None:
        self.copy = listed(self.http, "", self.asked)

    def run(self) -> None:
        with closing(self.http):
            self.follow()

    def follow(self) -> None:
        while not self.ended.is_set():
            left = 10**9 if self.breaks is None else self.breaks.randrange(1, 12)
            headers = {**STREAM, "Last-Event-ID": self.after}
            try:
                with self.http.stream(
                    "GET", "/v1/changes", params=self.asked | {"data": "record"}, headers=headers
                ) as answer:
                    self.statuses.append(answer.status_code)
                    if answer.status_code != 200:
                        return
                    for line in answer.iter_lines():
                        if line.startswith("data: "):
                            self.take(json.loads(line[6:]))
                            left -= 1
                        if not left or self.ended.is_set():
                            break
            except httpx.TransportError:
                # Whoever failed stopped the service, and did not end this.
                time.sleep(0.05)

    def take(self, event: dict[str, Any]) -> None:
        self.told.append(event)
        self.after = event["id"]
        place = (event["source"].rpartition("/")[2], event.get("recordid", ""))
        if event["type"] == "fenland.reset":
            self.reset()
        elif event["type"] in ("fenland.record.left", "fenland.record.deleted"):
            self.copy.pop(place, None)
        elif "data" in event:
            self.copy[place] = event["data"]["record"]

    def holds(self, found: Callable[[], bool]) -> bool:
        until = time.monotonic() + 120
        while not found() and time.monotonic() < until:
            time.sleep(0.05)
        return found()


@pytest.mark.parametrize("seed", range(20 if NIGHTLY else 1))
def test_copies_kept_by_streams_that_break_off_are_what_lists_show_with_two_processes(
    tmp_path: Path, seed: int
) -> None:
    tokens, dice = project(tmp_path / "works"), random.Random(seed)
    running = start("start", tmp_path / "works", tmp_path / "log", "--workers", "2")
    with running.client(tokens["olga"]) as http:
        doing = Doing(http, dice)
        for _ in range(10):
            doing.once()
        followers = [
            Streaming(running, tokens[who], asked, random.Random(dice.random()) if number else None)
            for who in tokens for asked in FOLLOWED for number in range(2)
        ]  # fmt: skip
        for one in followers:
            one.start()
        for step in range(60):
            doing.once()
            if step == 30:
                tag = http.get("/v1/accounts/carl").headers["ETag"]
                http.patch(
                    "/v1/accounts/carl", json={"roles": []}, headers={"If-Match": tag}
                ).raise_for_status()
        for one in followers:
            assert one.holds(lambda one=one: one.copy == listed(one.http, "", one.asked)), (
                one.asked,
                one.told[-3:],
            )  # type: ignore[misc]
            one.ended.set()
        doing.once()
        for one in followers:
            assert [order(event) for event in one.told] == sorted({order(event) for event in one.told})
            assert set(one.statuses) == {200}
    assert running.stop() == 0


@pytest.fixture(scope="module")
def works(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Running, dict[str, str]]]:
    folder = tmp_path_factory.mktemp("streams") / "works"
    tokens = project(folder, account_streams=3)
    running = start("start", folder, folder / "log")
    yield running, tokens
    assert running.stop() == 0


def opened(running: Running, token: str, **asked: str) -> Streaming:
    one = Streaming(running, token, asked, None)
    one.start()
    assert one.holds(lambda: one.statuses == [200])
    return one


def test_a_stream_is_told_at_once_and_a_second_one_is_told_the_same(
    works: tuple[Running, dict[str, str]],
) -> None:
    running, tokens = works
    both = [opened(running, tokens["olga"], collection="boards") for _ in range(2)]
    with running.client(tokens["olga"]) as http:
        for code in "abc":
            http.post("/v1/records/boards", json={"code": code}).raise_for_status()
        http.post("/v1/records/sites", json={"code": "not followed"}).raise_for_status()
    for one in both:
        assert one.holds(lambda one=one: len(one.told) == 3)  # type: ignore[misc]
        one.ended.set()
    assert both[0].told == both[1].told


def _revoked(office: Client, own: Client, name: str) -> None:
    own.revoke_token(next(one["id"] for one in own.tokens() if one["label"] == "stream"))


#: What ends a stream: done by the office, or by who follows, to the account; and what they are told then.
ENDS: dict[str, tuple[Callable[[Client, Client, str], object], int]] = {
    "token revoked": (_revoked, 401),
    "token expired": (lambda office, own, name: None, 401),
    "account disabled": (lambda office, own, name: office.change_account(name, disabled=True), 401),
    "other roles": (lambda office, own, name: office.change_account(name, roles=["office"]), 200),
    "other attributes": (
        lambda office, own, name: office.change_account(name, attributes={"area": "north"}),
        200,
    ),
}


@pytest.mark.parametrize("how", ENDS)
def test_who_may_not_go_on_is_told_nothing_more(works: tuple[Running, dict[str, str]], how: str) -> None:
    running, tokens = works
    does, status = ENDS[how]
    name = f"n{list(ENDS).index(how)}"
    added = fenland("account", "add", name, "--role", "crew", "--project", str(running.folder), "--json")
    with (
        Client(running.address, json.loads(added.stdout)["token"]) as own,
        Client(running.address, tokens["olga"]) as office,
    ):
        token = own.issue_token("stream", days=1)
        if how == "token expired":
            soon = timestamp(datetime.now(UTC) + timedelta(seconds=3))
            with closing(sqlite3.connect(running.folder / "fenland.db")) as database, database:
                database.execute(
                    "UPDATE fenland_tokens SET expires_at = ? WHERE label = 'stream' AND expires_at IS NOT NULL",
                    [soon],
                )
        stream = opened(running, token, collection="boards")
        # Its thread ends with the stream, since it does not ask again.
        stream.ended.set()
        does(office, own, name)
        stream.join(20)
        assert not stream.is_alive()
        office.create("boards", {"code": f"board of {name}"})
        assert stream.told == []
        with (
            running.client(token) as http,
            http.stream("GET", "/v1/changes", headers={**STREAM, "Last-Event-ID": stream.after}) as again,
        ):
            assert again.status_code == status
            if status == 200:
                # What they see is another now.
                told = (line for line in again.iter_lines() if line.startswith("data: "))
                assert json.loads(next(told)[6:])["type"] == "fenland.reset"


def test_more_streams_than_an_account_may_have_are_refused_until_one_is_closed(
    works: tuple[Running, dict[str, str]],
) -> None:
    running, tokens = works
    three = [opened(running, tokens["vic"], collection="boards") for _ in range(3)]
    with running.client(tokens["vic"]) as http:
        refused = http.get("/v1/changes", headers=STREAM)
        assert (refused.status_code, refused.headers["Retry-After"]) == (503, "1")
        # Pages are still theirs, and streams others'.
        assert http.get("/v1/changes").status_code == 200
        others = opened(running, tokens["carl"], collection="boards")
        others.ended.set()
        three[0].ended.set()
        with running.client(tokens["olga"]) as office:
            # They break off at the next event.
            office.post("/v1/records/boards", json={"code": "told"}).raise_for_status()
        three[0].join(20)

        def let_in() -> bool:
            with http.stream("GET", "/v1/changes", headers=STREAM) as answer:
                return answer.status_code == 200

        assert three[1].holds(let_in)
    for one in three:
        one.ended.set()


def test_one_who_does_not_read_is_cut_off_and_goes_on_from_where_they_were(tmp_path: Path) -> None:
    tokens = project(tmp_path / "works")
    running = start("start", tmp_path / "works", tmp_path / "log")
    reading = opened(running, tokens["olga"], collection="jobs")
    with (
        running.client(tokens["olga"]) as http,
        socket.create_connection(("127.0.0.1", int(running.address.rpartition(":")[2]))) as slow,
    ):
        slow.sendall(
            f"GET /v1/changes?collection=jobs&data=record HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer {tokens['olga']}\r\nAccept: text/event-stream\r\n\r\n".encode()
        )
        time.sleep(0.5)
        for number in range(14):
            http.post(
                "/v1/records/jobs", json={"code": f"j{number}", "title": "x" * 900_000}
            ).raise_for_status()
        assert reading.holds(lambda: len(reading.told) == 14)
        held = b""
        try:
            while piece := slow.recv(1 << 20):
                held += piece
        except ConnectionResetError:
            pass
        whole = [one for one in held.split(b"id: ")[1:] if one.endswith(b"\n\n\r\n") or one.endswith(b"\n\n")]
        assert len(whole) < 14
        last = whole[-1].split(b"\n")[0].decode() if whole else str(int(reading.told[0]["id"]) - 1)
        again = Streaming(running, tokens["olga"], {"collection": "jobs"}, None)
        again.after = last
        again.start()
        rest = [one["id"] for one in reading.told if int(one["id"]) > int(last)]
        assert again.holds(lambda: [one["id"] for one in again.told] == rest)
    reading.ended.set()
    again.ended.set()
    assert running.stop() == 0


def test_a_service_that_stops_ends_its_streams_properly_and_says_when_to_come_again(tmp_path: Path) -> None:
    tokens = project(tmp_path / "works")
    running = start("start", tmp_path / "works", tmp_path / "log")
    stopped: list[int] = []
    with running.client(tokens["olga"]) as http, http.stream("GET", "/v1/changes", headers=STREAM) as answer:
        lines = answer.iter_lines()
        assert next(lines).startswith("retry: ")
        assert (answer.headers["Content-Type"], answer.headers["X-Accel-Buffering"]) == (
            "text/event-stream; charset=utf-8",
            "no",
        )
        thread = threading.Thread(target=lambda: stopped.append(running.stop()))
        thread.start()
        # Were it cut short, reading on would raise.
        rest = [line for line in lines if line]
        assert rest[0].startswith("id: ") and rest[-1] == "retry: 1000"
        thread.join(20)
    assert stopped == [0]


def test_a_server_that_cannot_go_on_sends_how_a_stream_begins(tmp_path: Path) -> None:
    with workshop_of(WORKS, tmp_path / "works.db") as (_, http):
        after = http.get("/v1/changes").links["next"]["url"].partition("after=")[2]
        http.post("/v1/records/boards", json={"code": "b"}).raise_for_status()
        answer = http.get("/v1/changes?after=1", headers={**STREAM, "Last-Event-ID": after})
        assert answer.text.startswith(f"retry: 2000\nid: {after}\n\n") and '"subject":"b"' in answer.text


@pytest.mark.parametrize(("path", "headers", "status"), [
    ("?wait=5", {}, 400), ("?collection=nothing", {}, 404), ("?where=true", {}, 400), ("", {"Last-Event-ID": "x"}, 400),
    ("", {"Last-Event-ID": "é".encode("latin-1").decode("latin-1")}, 400), ("", {"Authorization": "Bearer no"}, 401),
])  # fmt: skip
def test_what_is_wrong_is_said_before_a_stream_begins(
    works: tuple[Running, dict[str, str]], path: str, headers: dict[str, str], status: int
) -> None:
    running, tokens = works
    sent = {name: value.encode("latin-1") for name, value in (STREAM | headers).items()}
    with running.client(tokens["olga"]) as http:
        answer = http.get(f"/v1/changes{path}", headers=sent)
    assert (answer.status_code, answer.headers["Content-Type"]) == (status, "application/problem+json")


#: Who follows what, and the number of those who are told the same.
SHARED = [
    ([("olga", {}), ("omar", {})], 1), ([("carl", {}), ("cora", {})], 2), ([("carl", {}), ("carl", {})], 1),
    ([("olga", {"collection": "boards"}), ("carl", {"collection": "boards"}), ("vic", {"collection": "boards"})], 1),
    ([("olga", {"collection": "jobs"}), ("omar", {"collection": "jobs"}), ("carl", {"collection": "jobs"})], 2),
]  # fmt: skip


@pytest.mark.parametrize(("who", "groups"), SHARED)
def test_only_those_who_see_the_same_are_told_the_same(
    tmp_path: Path, who: list[tuple[str, dict[str, str]]], groups: int
) -> None:
    with workshop_of(WORKS, tmp_path / "works.db") as (service, _):
        keys = set()
        for name, asked in who:
            roles = frozenset({"office"} if name in ("olga", "omar") else {"crew"} if name != "vic" else ())
            caller = Caller(Actor(name, name, roles), "api", "", None)
            keys.add(
                followed(
                    service,
                    caller,
                    Following(
                        Place(0), tuple(asked[one] for one in asked if one == "collection"), "", 9, "none"
                    ),
                ).key
            )
        assert len(keys) == groups


def test_following_is_no_use_of_a_session_or_token_which_may_end_for_want_of_it(tmp_path: Path) -> None:
    with workshop_of(WORKS, tmp_path / "works.db") as (service, http):
        http.get("/v1/session").raise_for_status()
        service.database.note_uses()
        before = service.database.admitted(TOKENS["olga"][1], service.clock(), used=False)
        caller, until = caller_again(
            {"HTTP_AUTHORIZATION": bearer("olga")["Authorization"], "REQUEST_METHOD": "GET"}, service
        )
        service.database.note_uses()
        after = service.database.admitted(TOKENS["olga"][1], service.clock(), used=False)
        assert caller.actor.name == "olga" and until is None
        assert before is not None and after is not None and before.token.used_at == after.token.used_at


def test_a_condition_that_takes_too_much_ends_its_own_stream_and_no_other(
    works: tuple[Running, dict[str, str]],
) -> None:
    running, tokens = works
    numbers = "[" + ", ".join(map(str, range(100))) + "]"
    costly = f"{numbers}.exists(a, {numbers}.exists(b, {numbers}.exists(c, a + b + c < 0)))"
    dear = opened(running, tokens["olga"], collection="boards", where=costly)
    cheap = opened(running, tokens["carl"], collection="boards")
    dear.ended.set()
    with running.client(tokens["olga"]) as http:
        for code in ("dear1", "dear2"):
            http.post("/v1/records/boards", json={"code": code}).raise_for_status()
    assert cheap.holds(lambda: [one["subject"] for one in cheap.told][-2:] == ["dear1", "dear2"])
    dear.join(30)
    assert not dear.is_alive() and dear.told == []
    cheap.ended.set()
