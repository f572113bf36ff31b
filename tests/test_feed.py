"""The feed: whoever follows it has what a list shows, with every change once and in order, whatever their rights."""

from __future__ import annotations

import asyncio
import json
import random
import re
import signal
import threading
import time
from collections.abc import Iterator
from contextlib import aclosing
from pathlib import Path
from typing import Any

import httpx
import pytest

from commands import Beside, fenland
from fenland.client import AsyncClient, Client
from fenland.core.access.policy import Actor, Caller
from fenland.core.limits import Limits
from fenland.service.feed.changes import Following, Place, changes_after, end_of
from fenland.service.proof.archiving import archive
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.web.serving.app import create_app
from support import NIGHTLY, STARTED, Running, bearer, new_project, start, workshop_of

OFFICE = ["office"]
WRITE = dict.fromkeys(("create", "update", "delete", "transfer"), OFFICE)
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
TEXT, FLAG = {"type": "string"}, {"type": "boolean"}
#: Rules that follow no reference, one and two; and of a single field, likewise.
WORKS: dict[str, Any] = {
    "boards": {"key": "code", "access": WRITE | {"read": ["everyone"]}, "fields": {"code": CODE, "area": TEXT}},
    "sites": {
        "key": "code",
        "access": WRITE | {"read": "'office' in actor.roles || record.open == true || record.board.area == 'north'"},
        "fields": {"code": CODE, "open": FLAG, "board": {"references": "boards", "on_delete": "clear"}, "jobs": {"type": "integer", "derived": {"count": "jobs.site"}}},
    },
    "jobs": {
        "key": "code",
        "access": WRITE | {"read": "'office' in actor.roles || record.site.open == true || record.site.board.area == 'north' || record.by == actor.name"},
        "fields": {
            "code": CODE, "by": TEXT, "title": TEXT, "site": {"references": "sites", "on_delete": "clear"},
            "note": TEXT | {"access": {"read": "'office' in actor.roles || record.site.board.area == 'south'"}},
            "secret": TEXT | {"access": {"read": OFFICE}},
        },
    },
}  # fmt: skip
NAMES = tuple(WORKS)
#: What followers follow: everything, a collection, or a list with a condition.
FOLLOWED: list[dict[str, str]] = [
    {}, {"collection": "jobs"}, {"collection": "jobs", "where": 'title == "a"'},
    {"collection": "jobs", "where": "site.open == true"}, {"collection": "sites", "where": 'board.area == "north" || jobs > 1'},
]  # fmt: skip
Copy = dict[tuple[str, str], dict[str, Any]]


def listed(http: httpx.Client, who: str, followed: dict[str, str]) -> Copy:
    """What the lists of a caller, or of whose client it is, show, by collection and id."""
    found: Copy = {}
    for name in [followed["collection"]] if followed else NAMES:
        asked = {"limit": "200"} | ({"where": followed["where"]} if "where" in followed else {})
        answer = http.get(f"/v1/records/{name}", params=asked, headers=bearer(who) if who else {})
        # Who may read no record of a collection has none.
        items = answer.json()["items"] if answer.status_code == 200 else []
        found |= {(name, one["id"]): one for one in items}
    return found


class Follower:
    """Keeps a copy by the feed alone, and goes on from where it was."""

    def __init__(self, http: httpx.Client, who: str, followed: dict[str, str], dice: random.Random) -> None:
        self.http, self.who, self.followed, self.dice = http, who, followed, dice
        self.copy: Copy = {}
        self.after, self.told = self.begin(), list[dict[str, Any]]()

    def begin(self) -> str:
        """Where the feed stands is asked before the list is read: what comes between is told once more."""
        answer = self.http.get("/v1/changes", params=self.followed, headers=bearer(self.who))
        assert (answer.status_code, answer.json()) == (200, []), answer.text
        self.copy = listed(self.http, self.who, self.followed)
        return answer.links["next"]["url"].partition("after=")[2]

    def page(self) -> bool:
        """Takes in one page; whether it led on."""
        asked = {
            **self.followed,
            "after": self.after,
            "limit": str(self.dice.choice([1, 2, 3, 50])),
            "data": "record",
        }
        answer = self.http.get("/v1/changes", params=asked, headers=bearer(self.who))
        assert answer.status_code == 200, answer.text
        assert answer.headers["Content-Type"] == "application/cloudevents-batch+json"
        events = answer.json()
        for event in events:
            self.take(event)
        before = self.after
        self.after = httpx.QueryParams(answer.links["next"]["url"].partition("?")[2])["after"]
        assert not events or order({"id": self.after}) >= order(events[-1])
        return self.after != before

    def take(self, event: dict[str, Any]) -> None:
        self.told.append(event)
        if event["type"] == "fenland.reset":
            self.copy = listed(self.http, self.who, self.followed)
            return
        place = (event["source"].rpartition("/")[2], event["recordid"])
        if event["type"] in ("fenland.record.left", "fenland.record.deleted"):
            self.copy.pop(place, None)
        elif "data" in event:
            self.copy[place] = event["data"]["record"]

    def catch_up(self) -> None:
        while self.page():
            pass


def order(event: dict[str, Any]) -> tuple[int, str]:
    sequence, _, record_id = event["id"].partition(".")
    return int(sequence), record_id


class Doing:
    """Random changes by the office, one commit each."""

    def __init__(self, http: httpx.Client, dice: random.Random) -> None:
        self.http, self.dice, self.made = http, dice, 0

    def some(self, name: str) -> str | None:
        items = self.http.get(f"/v1/records/{name}?fields=code&limit=200").json()["items"]
        return self.dice.choice([*(one["code"] for one in items), None])

    def fields(self, name: str) -> dict[str, Any]:
        dice = self.dice
        of: dict[str, dict[str, Any]] = {
            "boards": {"area": dice.choice(["north", "south", None])},
            "sites": {"open": dice.choice([True, False, None]), "board": self.some("boards")},
            "jobs": {
                "by": dice.choice(["carl", None]), "title": dice.choice(["a", "b"]), "site": self.some("sites"),
                "note": dice.choice(["x", "y"]), "secret": dice.choice(["s", "t"]),
            },
        }  # fmt: skip
        return {field: value for field, value in of[name].items() if dice.random() < 0.6}

    def item(self) -> dict[str, Any]:
        name = self.dice.choice(NAMES)
        key = self.some(name)
        if key is None:
            self.made += 1
            fields = {"code": f"{name[0]}{self.made}", **self.fields(name)}
            return {"action": "create", "collection": name, "fields": fields}
        return {"action": "update", "collection": name, "key": key, "fields": self.fields(name)}

    def once(self) -> None:
        dice, http = self.dice, self.http
        name = dice.choice(["boards", "sites", "sites", "jobs", "jobs", "jobs"])
        at = f"/v1/records/{name}"
        key = self.some(name)
        if key is None or dice.random() < 0.2:
            self.made += 1
            http.post(at, json={"code": f"{name[0]}{self.made}", **self.fields(name)}).raise_for_status()
        elif dice.random() < 0.12:
            http.delete(f"{at}/{key}")
            if dice.random() < 0.4:
                http.post(f"{at}/{key}/restore")
        elif dice.random() < 0.15:
            http.patch(at, params={"where": "true"}, json=self.fields(name))
        elif dice.random() < 0.12:
            entry = dice.choice(http.get("/v1/history?limit=40").json()["items"])
            http.post(f"/v1/history/{entry['sequence']}/undo")
        elif dice.random() < 0.12:
            items = [self.item() for _ in range(3)]
            http.post("/v1/batch", json={"items": items, "atomic": dice.random() < 0.5})
        else:
            http.patch(f"{at}/{key}", json=self.fields(name))


@pytest.fixture
def works(tmp_path: Path) -> Iterator[tuple[Service, httpx.Client]]:
    with workshop_of(WORKS, tmp_path / "works.db", account_managers=OFFICE) as found:
        yield found


@pytest.mark.parametrize("seed", [20, *range(150 if NIGHTLY else 5)])
def test_a_copy_that_is_kept_by_the_feed_is_what_the_list_shows(
    works: tuple[Service, httpx.Client], seed: int
) -> None:
    _, http = works
    dice = random.Random(seed)
    doing = Doing(http, dice)
    for _ in range(15):
        doing.once()
    followers = [Follower(http, who, one, dice) for who in ("olga", "carl", "vic") for one in FOLLOWED]
    for step in range(40):
        doing.once()
        if step in (13, 27):
            roles = [] if step == 13 else ["crew"]
            tag = http.get("/v1/accounts/carl").headers["ETag"]
            http.patch("/v1/accounts/carl", json={"attributes": {"level": step}, "roles": roles}, headers={"If-Match": tag}).raise_for_status()  # fmt: skip
        for one in followers:
            if dice.random() < 0.2:
                one.page()
            if dice.random() < 0.1:
                one.catch_up()
                assert one.copy == listed(http, one.who, one.followed), (one.who, one.followed, step)
    for one in followers:
        one.catch_up()
        assert one.copy == listed(http, one.who, one.followed), (one.who, one.followed)
        assert [order(event) for event in one.told] == sorted({order(event) for event in one.told})
    resets = [
        sum(event["type"] == "fenland.reset" for event in one.told) for one in followers if one.who == "carl"
    ]
    assert all(1 <= count <= 2 for count in resets) and len(resets) == len(FOLLOWED)


@pytest.mark.parametrize("seed", range(60 if NIGHTLY else 4))
def test_each_change_is_told_for_what_it_is_to_each_follower(
    works: tuple[Service, httpx.Client], seed: int
) -> None:
    """Who keeps up is told of each step just what a list before and behind it differs in."""
    _, http = works
    dice = random.Random(seed)
    doing = Doing(http, dice)
    for _ in range(10):
        doing.once()
    followers = [Follower(http, who, one, dice) for who in ("olga", "carl") for one in FOLLOWED]
    for _ in range(25):
        before = [listed(http, one.who, one.followed) for one in followers]
        doing.once()
        for one, old in zip(followers, before, strict=True):
            new, one.told = listed(http, one.who, one.followed), []
            one.catch_up()
            did: dict[tuple[str, str], list[str]] = {}
            for event in one.told:
                place = (event["source"].rpartition("/")[2], event["recordid"])
                did.setdefault(place, []).append(event["type"].rpartition(".")[2])
            gone = {place for place, kinds in did.items() if kinds[-1] in ("left", "deleted")}
            assert gone >= old.keys() - new.keys() and not gone & new.keys(), (one.who, one.followed, did)
            came = {place for place, kinds in did.items() if {"created", "arrived"} & set(kinds)}
            assert came >= new.keys() - old.keys(), (one.who, one.followed, did)
            moved = {place for place in new.keys() & old.keys() if new[place] != old[place]}
            assert moved <= did.keys() and did.keys() <= old.keys() | new.keys() | gone | came


@pytest.mark.parametrize("seed", range(60 if NIGHTLY else 3))
def test_whoever_is_told_up_to_an_entry_misses_nothing_of_what_was_changed_behind_it(
    works: tuple[Service, httpx.Client], seed: int
) -> None:
    """As streams and subscriptions are told, which stop at an entry while others go on writing."""
    service, http = works
    dice = random.Random(seed)
    doing = Doing(http, dice)
    for _ in range(60):
        doing.once()
    last = end_of(service).sequence
    for name, roles in (("olga", {"office"}), ("carl", {"crew"}), ("vic", set())):
        caller = Caller(Actor(name, name, frozenset(roles)))
        for asked in FOLLOWED:
            copy, after = dict[tuple[str, str], Any](), Place(0)
            chosen = tuple(filter(None, [asked.get("collection")]))
            while after.sequence < last:
                following = Following(
                    after, chosen, asked.get("where", ""), dice.choice([1, 3, 50]), "record"
                )
                upto = min(last, after.sequence + dice.choice([1, 2, 9]))
                found = changes_after(service, caller, following, upto)
                for event in found.events:
                    place = (event.collection, event.record_id)
                    assert event.did != "reset", (name, asked, str(event.place))
                    if event.did in ("left", "deleted"):
                        copy.pop(place, None)
                    elif event.record is not None:
                        copy[place] = event.record
                after = found.after
            there = listed(http, name, asked)
            assert {place: one["version"] for place, one in copy.items()} == {
                place: one["version"] for place, one in there.items()
            }, (name, asked)


def test_what_is_hidden_is_told_by_version_alone_and_who_did_it_to_who_sees_it(
    works: tuple[Service, httpx.Client],
) -> None:
    _, http = works
    http.post("/v1/records/boards", json={"code": "B", "area": "south"}).raise_for_status()
    http.post("/v1/records/sites", json={"code": "S", "board": "B", "open": True}).raise_for_status()
    http.post("/v1/records/jobs", json={"code": "J", "site": "S", "secret": "s"}).raise_for_status()
    carl = Follower(http, "carl", {"collection": "jobs"}, random.Random(1))
    http.patch("/v1/records/jobs/J", json={"secret": "t"}).raise_for_status()
    http.patch("/v1/records/sites/S", json={"open": False}).raise_for_status()
    asked = {"collection": "jobs", "after": carl.after, "data": "changes"}
    # By now it is not theirs, so that of what came before nothing is told any more.
    [left] = http.get("/v1/changes", params=asked, headers=bearer("carl")).json()
    assert left["type"] == "fenland.record.left" and left.keys() == {
        "specversion", "id", "source", "type", "time", "subject", "recordid",
    }  # fmt: skip
    http.patch("/v1/records/sites/S", json={"open": True}).raise_for_status()
    changed = http.get("/v1/changes", params=asked, headers=bearer("carl")).json()[0]
    assert (changed["recordversion"], changed["data"], changed["actor"]) == (2, {"changes": {}}, "olga")
    whole = http.get("/v1/changes", params=asked | {"data": "none"}, headers=bearer("carl")).json()
    assert [("data" in one, one["type"].rpartition(".")[2]) for one in whole] == [(False, "updated"), (False, "left"), (True, "arrived")]  # fmt: skip
    assert http.get("/v1/changes", headers={"Authorization": ""}).status_code == 401
    for wrong in ("after=x", "after=1.x", "limit=0", "wait=61", "data=all", "where=true", "colour=red"):
        assert http.get(f"/v1/changes?{wrong}").status_code == 400, wrong
    assert (
        http.get("/v1/changes?collection=jobs&where=secret != null", headers=bearer("carl")).status_code
        == 403
    )


def test_entries_of_an_archive_are_gone_with_where_to_begin(
    works: tuple[Service, httpx.Client], tmp_path: Path
) -> None:
    service, http = works
    for number in range(5):
        http.post("/v1/records/boards", json={"code": f"B{number}"}).raise_for_status()
    moment = http.get("/v1/history?limit=2").json()["items"][1]["time"]
    archive(service, tmp_path, moment)
    answer = http.get("/v1/changes?after=1")
    assert (answer.status_code, answer.json()["type"]) == (410, "/problems/archived")
    assert http.get("/v1/changes", params={"after": answer.json()["after"]}).json() == []


def test_a_place_that_lies_ahead_is_of_another_history(works: tuple[Service, httpx.Client]) -> None:
    _, http = works
    end = http.get("/v1/changes").links["next"]["url"].partition("after=")[2]
    for ahead in (int(end) + 1, 10**17):
        answer = http.get("/v1/changes", params={"after": ahead, "wait": 30})
        assert [one["type"] for one in answer.json()] == ["fenland.reset"]
        assert httpx.QueryParams(answer.links["next"]["url"].partition("?")[2])["after"] == end


def test_one_who_breaks_off_again_and_again_has_every_change_of_two_processes_once(tmp_path: Path) -> None:
    project, dice = new_project(tmp_path / "notes"), random.Random(5)
    many = 20_000 if NIGHTLY else 400
    token = (project / "token").read_text()
    running = start("start", project, project / "log", "--workers", "2")
    done, failed = [0], list[str]()

    def write(number: int) -> None:
        with running.client(token) as http:
            while done[0] < many:
                done[0] += 1
                slug = f"n{number}-{done[0]}"
                answer = http.post("/v1/records/notes", json={"slug": slug, "title": "t"})
                if answer.status_code != 201:
                    failed.append(answer.text)

    with running.client(token) as http:
        after = http.get("/v1/changes").links["next"]["url"].partition("after=")[2]
        writers = [threading.Thread(target=write, args=[number]) for number in range(4)]
        for one in writers:
            one.start()
        told, until = list[str](), time.monotonic() + 300
        while (len(told) < many or any(one.is_alive() for one in writers)) and time.monotonic() < until:
            # Some hang up before they are answered, and ask again.
            patience = httpx.Timeout(30.0, read=30.0 if dice.random() < 0.8 else 0.01)
            try:
                answer = http.get("/v1/changes", params={"after": after, "wait": 5, "limit": dice.choice([1, 7, 200])}, timeout=patience)  # fmt: skip
            except httpx.TimeoutException:
                continue
            told += [event["subject"] for event in answer.json()]
            after = httpx.QueryParams(answer.links["next"]["url"].partition("?")[2])["after"]
        for one in writers:
            one.join()
        assert failed == []
        lines = http.get(
            "/v1/history?collection=notes", headers={"Accept": "application/jsonl"}, timeout=300
        ).text
        entries = [json.loads(line)["leaf"] for line in lines.splitlines()]
        slugs = [one["key"] for one in entries if one["action"] == "create"]
    assert running.stop() == 0
    assert told == slugs and len(set(told)) == len(told) >= many


@pytest.fixture(scope="module")
def notes(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Running]:
    folder = new_project(tmp_path_factory.mktemp("feed") / "notes")
    running = start("start", folder, folder / "log")
    yield running
    assert running.stop() == 0


def waiting(running: Running, **asked: str) -> tuple[threading.Thread, list[httpx.Response]]:
    """A request that waits at the service by now, and its answer, once there is one."""
    answers: list[httpx.Response] = []

    def ask() -> None:
        with running.client((running.folder / "token").read_text()) as http:
            answers.append(http.get("/v1/changes", params={"wait": "30", **asked}, timeout=60))

    thread = threading.Thread(target=ask)
    thread.start()
    time.sleep(1)
    assert not answers
    return thread, answers


def test_one_who_waits_from_now_on_is_told_of_what_comes(notes: Running) -> None:
    thread, answers = waiting(notes)
    with notes.client((notes.folder / "token").read_text()) as http:
        http.post("/v1/records/notes", json={"slug": "now", "title": "1"}).raise_for_status()
    thread.join(20)
    assert [one["subject"] for one in answers[0].json()] == ["now"]


def test_one_who_is_woken_for_what_is_not_theirs_waits_on_and_misses_nothing(notes: Running) -> None:
    def lines() -> int:
        return notes.log.read_text().count("path=/v1/changes")

    before = lines()
    thread, answers = waiting(notes, collection="notes", where='title == "mine"')
    with notes.client((notes.folder / "token").read_text()) as http:
        for number in range(20):
            http.post("/v1/records/notes", json={"slug": f"o{number}", "title": "other"}).raise_for_status()
        assert not answers
        http.post("/v1/records/notes", json={"slug": "mine", "title": "mine"}).raise_for_status()
    thread.join(20)
    assert [one["subject"] for one in answers[0].json()] == ["mine"]
    # Twenty changes of others do not have it asked twenty times; each time has a line in the log at the end.
    assert lines() == before + 1


def test_a_token_that_is_taken_back_ends_the_waiting(notes: Running) -> None:
    token = (notes.folder / "token").read_text()
    with Client(notes.address, token) as client:
        fresh = client.issue_token("short")
    answers: list[httpx.Response] = []

    def ask() -> None:
        with notes.client(fresh) as http:
            answers.append(http.get("/v1/changes?wait=30", timeout=60))

    thread = threading.Thread(target=ask)
    thread.start()
    time.sleep(1)
    with Client(notes.address, token) as client:
        [found] = [one for one in client.tokens() if one["label"] == "short"]
        client.revoke_token(found["id"])
    thread.join(5)
    assert [one.status_code for one in answers] == [401]


def test_a_client_of_little_patience_waits_no_longer_than_that(notes: Running) -> None:
    with Client(notes.address, (notes.folder / "token").read_text(), timeout=2) as client:
        after = client.feed_end()

        def later() -> None:
            time.sleep(4)
            with Client(notes.address, (notes.folder / "token").read_text()) as other:
                other.create("notes", {"slug": "late", "title": "1"})

        writer = threading.Thread(target=later)
        writer.start()
        assert next(client.changes(after))["subject"] == "late"
        writer.join()


def test_a_page_holds_no_more_than_an_answer_may(tmp_path: Path) -> None:
    with workshop_of(WORKS, tmp_path / "x.db", Limits(answer=20_000)) as (_, http):
        for number in range(30):
            http.post(
                "/v1/records/jobs", json={"code": f"J{number}", "title": "x" * 3_000}
            ).raise_for_status()
        olga = Follower(http, "olga", {"collection": "jobs"}, random.Random(1))
        olga.after = str(olga.http.get("/v1/history?limit=100").json()["items"][29]["sequence"] - 1)
        for data in ("changes", "record"):
            after, told = olga.after, []
            while events := http.get(
                "/v1/changes", params={"after": after, "limit": 200, "data": data}
            ).json():
                assert sum(map(len, map(json.dumps, events))) < 40_000
                told += [one["subject"] for one in events]
                after = events[-1]["id"]
            assert told == [f"J{number}" for number in range(30)]


def test_much_that_is_not_theirs_does_not_look_like_the_end(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr("fenland.service.feed.changes._MOST_LOOKED", 5)
    monkeypatch.setattr("fenland.service.feed.changes._AT_A_TIME", 5)
    with workshop_of(WORKS, tmp_path / "x.db") as (service, http):
        http.post("/v1/records/boards", json={"code": "first"}).raise_for_status()
        for number in range(20):
            http.post("/v1/records/jobs", json={"code": f"J{number}"}).raise_for_status()
        http.post("/v1/records/boards", json={"code": "last"}).raise_for_status()
        transport = httpx.WSGITransport(create_app(service, Settings()))
        with Client(
            "http://workshop", bearer("carl")["Authorization"].split()[1], transport=transport
        ) as client:
            told = [one.get("subject") for one in client.changes("0", wait=0)]
    assert told == [None, "first", "last"]


def test_what_would_take_too_much_to_tell_is_a_reset_that_goes_on_at_the_end(tmp_path: Path) -> None:
    with workshop_of(WORKS, tmp_path / "x.db", Limits(consequences=12)) as (_, http):
        http.post("/v1/records/sites", json={"code": "S"}).raise_for_status()
        for number in range(20):
            http.post("/v1/records/jobs", json={"code": f"J{number}", "site": "S"}).raise_for_status()
        carl = Follower(http, "carl", {"collection": "jobs"}, random.Random(1))
        http.patch("/v1/records/sites/S", json={"open": True}).raise_for_status()
        http.patch("/v1/records/sites/S", json={"open": False}).raise_for_status()
        http.patch("/v1/records/sites/S", json={"open": True}).raise_for_status()
        carl.catch_up()
        assert [one["type"] for one in carl.told] == ["fenland.reset"]
        assert carl.copy == listed(http, "carl", carl.followed) and len(carl.copy) == 20


def test_one_far_behind_a_record_that_changed_very_often_is_not_told_each_time_by_going_back(
    works: tuple[Service, httpx.Client], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where every record is theirs nothing has to be worked out about how it was; elsewhere that is bounded."""
    _, http = works
    http.post("/v1/records/boards", json={"code": "B"}).raise_for_status()
    http.post("/v1/records/jobs", json={"code": "J", "by": "carl"}).raise_for_status()
    board, job = (
        Follower(http, "carl", {"collection": name}, random.Random(1)) for name in ("boards", "jobs")
    )
    for number in range(30):
        http.patch("/v1/records/boards/B", json={"area": f"a{number}"}).raise_for_status()
        http.patch("/v1/records/jobs/J", json={"title": f"t{number}"}).raise_for_status()
    monkeypatch.setattr("fenland.service.feed.states.MOST_BACK", 10)
    for one in (board, job):
        one.catch_up()
        assert one.copy == listed(http, "carl", one.followed)
    assert [one["type"].rpartition(".")[2] for one in board.told] == ["updated"] * 30
    assert [one["type"] for one in job.told] == ["fenland.reset"]


def test_the_examples_of_the_page_run(sample: Running) -> None:
    page = (Path(__file__).parents[1] / "docs" / "following.md").read_text()
    page = page.replace("http://127.0.0.1:8460", sample.address)
    known: dict[str, Any] = {}
    for block in re.findall(r"```python\n(.*?)```", page, re.DOTALL):
        exec(block, known)
    known["fenland"].close()
    with Client(sample.address, "sample-office") as fenland:
        assert {one["code"] for one in fenland.list("stations", where='status == "running"')} == known[
            "running"
        ].keys()


def test_the_command_follows_and_says_where_to_go_on(
    sample: Running, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("FENLAND_ADDRESS", sample.address)
    monkeypatch.setenv("FENLAND_TOKEN", "sample-office")
    with Client(sample.address, "sample-office") as client:
        after = client.feed_end()
        client.update("stations", "PS-033", {"pumps": 2, "access_notes": None})
        client.update("stations", "PS-033", {"pumps": 3})
    told = fenland("follow", "stations", "--after", after, "--once")
    first, second = told.stdout.splitlines()
    assert "stations PS-033 updated by ines.harrow" in first and second.endswith("pumps 2 → 3")
    events = [
        json.loads(line)
        for line in fenland("follow", "--after", after, "--once", "--json").stdout.splitlines()
    ]
    mine = [one for one in events if one["subject"] == "PS-033"]
    assert [one["data"]["changes"]["pumps"]["after"] for one in mine] == [2, 3]
    assert f"--after {mine[-1]['id']}" in told.stderr
    assert "no collection" in fenland("follow", "nope", "--once", code=4).stderr
    log = tmp_path / "follow.log"
    beside = Beside(["follow", "tickets", "--json"], log)
    with Client(sample.address, "sample-office") as client:
        until = time.monotonic() + 60
        while "T-0077" not in (log.read_text() if log.exists() else "") and time.monotonic() < until:
            client.update("tickets", "T-0077", {"hours": time.monotonic() // 1 % 90})
            time.sleep(0.2)
    beside.send_signal(signal.SIGINT)
    assert beside.wait() == 0
    assert '"subject":"T-0077"' in log.read_text()


def answers(http: httpx.Client) -> bool:
    try:
        return http.get("/healthz").status_code == 200
    except httpx.TransportError:
        return False


@pytest.mark.parametrize("kind", ["blocking", "asyncio"])
def test_a_client_goes_on_over_a_service_that_went_away(tmp_path: Path, kind: str) -> None:
    project = new_project(tmp_path / "notes")
    token, told = (project / "token").read_text(), list[str]()
    running = start("start", project, project / "log")

    def follow() -> None:
        with Client(running.address, token) as client:
            for event in client.changes("0", collection="notes", wait=5):
                told.append(event.get("subject", "reset"))
                if told[-1] == "last":
                    return

    async def follow_async() -> None:
        async with (
            AsyncClient(running.address, token) as client,
            aclosing(client.changes("0", collection="notes", wait=5)) as changes,
        ):
            async for event in changes:
                told.append(event.get("subject", "reset"))
                if told[-1] == "last":
                    return

    following = threading.Thread(target=follow if kind == "blocking" else lambda: asyncio.run(follow_async()))
    following.start()
    with running.client(token) as http:
        http.post("/v1/records/notes", json={"slug": "first", "title": "1"}).raise_for_status()
    running.kill()
    port = running.address.rpartition(":")[2]
    process = Beside(["start", str(project), "--port", port], project / "log")
    again = Running(process, running.address, project, project / "log")
    STARTED.append(again)
    with again.client(token) as http:
        while not answers(http):
            time.sleep(0.05)
        http.post("/v1/records/notes", json={"slug": "last", "title": "2"}).raise_for_status()
    following.join(60)
    assert again.stop() == 0
    assert told == ["reset", "first", "last"]
