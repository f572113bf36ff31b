"""Lists that know whether they changed: who is told that nothing moved has what the list would show."""

from __future__ import annotations

import random
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.web.http.answers import Answer
from fenland.web.http.remembered import KEPT_SECONDS, Remembered
from support import NIGHTLY, bearer, workshop_of
from test_feed import NAMES, OFFICE, WORKS, Doing

#: What lists can be asked for.
ASKED = [
    "jobs", "jobs?limit=2", "jobs?where=title == \"a\"", "jobs?where=site.board.area == \"north\"", "jobs?include=site,site.board",
    "jobs?labels=true&fields=code,site", "jobs?count=true", "jobs?sort=-title", "jobs?title=a", "sites", "sites?where=jobs > 1",
    "sites?include=board", "jobs?writable=true", "boards", "boards?count=true",
]  # fmt: skip
Service = tuple[Any, httpx.Client]


@pytest.fixture
def works(tmp_path: Path) -> Iterator[Service]:
    with workshop_of(WORKS, tmp_path / "works.db", account_managers=OFFICE) as found:
        yield found


def asked(http: httpx.Client, who: str, path: str, tag: str | None = None) -> httpx.Response:
    return http.get(
        f"/v1/records/{path}", headers=bearer(who) | ({} if tag is None else {"If-None-Match": tag})
    )


def told(answer: httpx.Response) -> tuple[bytes, dict[str, str]]:
    """What an answer says, whichever request it answers."""
    return answer.content, {name: value for name, value in answer.headers.items() if name != "x-request-id"}


@pytest.mark.parametrize("seed", range(60 if NIGHTLY else 3))
def test_whoever_is_told_that_nothing_moved_has_what_the_list_shows(
    works: Service, tmp_path: Path, seed: int
) -> None:
    _, http = works
    dice = random.Random(seed)
    doing, held, same = Doing(http, dice), dict[tuple[str, str], tuple[str, str]](), 0
    # What lists show is read anew by one that remembers none; both others remember what they answered.
    own = tmp_path / "works.db"
    with (
        workshop_of(WORKS, own, account_managers=OFFICE) as (_, other),
        workshop_of(WORKS, own, account_managers=OFFICE, list_memory=0) as (_, forgetful),
    ):
        for step in range(45):
            doing.once()
            if step in (15, 30):
                tag = http.get("/v1/accounts/carl").headers["ETag"]
                roles = ["office"] if step == 15 else ["crew"]
                http.patch(
                    "/v1/accounts/carl", json={"roles": roles}, headers={"If-Match": tag}
                ).raise_for_status()
            for who in ("olga", "carl", "vic"):
                for path in dice.sample(ASKED, 5):
                    place, through = (who, path), dice.choice([http, other])
                    whole = asked(forgetful, who, path)
                    if whole.status_code != 200:
                        continue
                    # What one has may come from anybody, and any process.
                    for tag, text in [held[place]] if place in held else list(held.values())[:1]:
                        answer = asked(through, who, path, tag)
                        if answer.status_code == 304:
                            same += 1
                            assert text == whole.text and answer.headers["ETag"] == tag and not answer.content
                        else:
                            assert answer.text == whole.text
                    plain = asked(through, who, path)
                    assert told(plain) == told(whole)
                    held[place] = whole.headers["ETag"], whole.text
    assert same > 20


def test_a_list_that_did_not_change_is_not_sent_again_and_one_of_another_collection_moves_nothing(
    works: Service,
) -> None:
    _, http = works
    http.post("/v1/records/boards", json={"code": "b"}).raise_for_status()
    tags = {name: asked(http, "olga", name).headers["ETag"] for name in NAMES}
    assert all(tag.startswith('W/"') for tag in tags.values()) and len(set(tags.values())) == len(NAMES)
    http.post("/v1/records/jobs", json={"code": "c"}).raise_for_status()
    assert {name: asked(http, "olga", name, tags[name]).status_code for name in NAMES} == {
        "boards": 304,
        "sites": 304,
        "jobs": 200,
    }
    # With the boards of its sites it depends on them.
    tag = asked(http, "olga", "jobs?include=site,site.board").headers["ETag"]
    assert asked(http, "olga", "jobs?include=site,site.board", tag).status_code == 304
    http.patch("/v1/records/boards/b", json={"area": "north"}).raise_for_status()
    assert asked(http, "olga", "jobs?include=site,site.board", tag).status_code == 200


#: Lists that time alone may change, and those of a moment: they have no tag.
UNTOLD = ["jobs?where=created_at < now", "jobs?at=2030-01-01T00:00:00Z"]


@pytest.mark.parametrize("path", UNTOLD)
def test_what_time_alone_changes_has_no_tag(works: Service, path: str) -> None:
    answer = asked(works[1], "olga", path)
    assert answer.status_code == 200 and "ETag" not in answer.headers


def test_a_rule_of_time_has_no_tag_for_itself_nor_for_what_follows_to_it(tmp_path: Path) -> None:
    described = {
        **WORKS,
        "boards": WORKS["boards"]
        | {"access": WORKS["boards"]["access"] | {"read": "record.created_at < now"}},
    }
    with workshop_of(described, tmp_path / "timed.db") as (_, http):
        found = {
            path: "ETag" in asked(http, "olga", path).headers
            for path in ("boards", "sites", "sites?include=board", "sites?labels=true")
        }
    assert found == {
        "boards": False,
        "sites": False,
        "sites?include=board": False,
        "sites?labels=true": False,
    }


def test_what_is_wrong_is_refused_whatever_the_client_has(works: Service) -> None:
    _, http = works
    tag = asked(http, "olga", "jobs").headers["ETag"]
    assert asked(http, "olga", "jobs?where=nothing ==", tag).status_code == 400
    for path, status in (("jobs", 400), ("nothing", 404), ("jobs/none/form", 404)):
        assert asked(http, "olga", path, "garbage").status_code == status
    assert (
        http.get("/v1/records/jobs", headers={"If-None-Match": tag, "Authorization": "Bearer no"}).status_code
        == 401
    )


def test_a_form_tells_whether_anything_in_it_moved_and_its_tag_is_still_the_records(works: Service) -> None:
    _, http = works
    http.post("/v1/records/boards", json={"code": "b"}).raise_for_status()
    http.post("/v1/records/sites", json={"code": "s", "board": "b"}).raise_for_status()
    path = "sites/s/form"
    tag = asked(http, "olga", path).headers["ETag"]
    assert asked(http, "olga", path, tag).status_code == 304
    assert asked(http, "carl", path, tag).status_code != 304
    # Another choice for its board.
    http.post("/v1/records/boards", json={"code": "c"}).raise_for_status()
    again = asked(http, "olga", path, tag)
    assert again.status_code == 200 and again.headers["ETag"] != tag
    for one in (tag, again.headers["ETag"]):
        http.patch("/v1/records/sites/s", json={"open": None}, headers={"If-Match": one}).raise_for_status()
    http.patch("/v1/records/sites/s", json={"open": True}).raise_for_status()
    assert (
        http.patch("/v1/records/sites/s", json={"open": False}, headers={"If-Match": tag}).status_code == 412
    )


def test_the_titles_of_accounts_are_labels_as_well(tmp_path: Path) -> None:
    owned = {
        "notes": {
            "key": "code",
            "owner": "by",
            "access": WORKS["boards"]["access"],
            "fields": {"code": WORKS["boards"]["fields"]["code"], "by": {"type": "string"}},
        }
    }
    with workshop_of(owned, tmp_path / "owned.db", account_managers=OFFICE) as (_, http):
        http.post("/v1/records/notes", json={"code": "a"}).raise_for_status()
        path = "notes?labels=true"
        before = asked(http, "carl", path)
        tag = http.get("/v1/accounts/olga").headers["ETag"]
        http.patch(
            "/v1/accounts/olga", json={"title": "Olga of Ferring"}, headers={"If-Match": tag}
        ).raise_for_status()
        after = asked(http, "carl", path, before.headers["ETag"])
        assert (
            after.json()["labels"]["by"]["olga"] == "Olga of Ferring" != before.json()["labels"]["by"]["olga"]
        )


def _reads(service: Any, monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The collections that lists are read of from now on."""
    found: list[str] = []
    for name, resource in service.resources.items():
        page = resource.records.page

        def noted(*given: Any, name: str = name, page: Any = page, **named: Any) -> Any:
            found.append(name)
            return page(*given, **named)

        monkeypatch.setattr(resource.records, "page", noted)
    return found


def test_a_list_is_read_once_while_nothing_changes_and_for_each_who_sees_otherwise(
    works: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    service, http = works
    for code in "abcdef":
        http.post("/v1/records/jobs", json={"code": code}).raise_for_status()
    reads = _reads(service, monkeypatch)
    first = asked(http, "olga", "jobs?limit=2")
    assert reads == ["jobs"] and 'rel="next"' in first.headers["Link"]
    again = asked(http, "olga", "jobs?limit=2")
    assert told(again) == told(first) and reads == ["jobs"]
    head = http.head("/v1/records/jobs?limit=2", headers=bearer("olga"))
    assert told(head) == (b"", told(first)[1]) and reads == ["jobs"]
    for who, path in (
        ("carl", "jobs?limit=2"),
        ("olga", "jobs?limit=3"),
        ("olga", "jobs?limit=2&count=true"),
    ):
        reads.clear()
        asked(http, who, path)
        assert reads == ["jobs"], (who, path)
    http.patch("/v1/records/jobs/a", json={"title": "new"}).raise_for_status()
    reads.clear()
    assert asked(http, "olga", "jobs?limit=2").json()["items"][0]["title"] == "new" and reads == ["jobs"]
    # What is wrong with a request is told, whatever is remembered.
    assert asked(http, "olga", "jobs?limit=2", "garbage").status_code == 400
    assert http.get("/v1/records/jobs?limit=2", headers={"Authorization": "Bearer no"}).status_code == 401


def test_only_so_much_is_remembered_and_nothing_where_it_is_not_to_be(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for memory, read in ((0, 3), (30_000, 3), (1_000_000, 1)):
        with workshop_of(WORKS, tmp_path / f"{memory}.db", list_memory=memory) as (service, http):
            for number in range(20):
                fields = {"code": f"{number}", "title": "x" * 90}
                http.post("/v1/records/jobs", json=fields).raise_for_status()
            reads = _reads(service, monkeypatch)
            asked(http, "olga", "jobs?limit=5")
            # For the smaller memory it is too large.
            for _ in range(3):
                asked(http, "olga", "jobs?limit=20")
            assert len(reads) - 1 == read, memory
            asked(http, "olga", "jobs?limit=5")
            assert len(reads) - 1 == (read if memory else read + 1)
            monkeypatch.undo()


def test_what_is_remembered_is_forgotten_after_a_while() -> None:
    now = 0.0
    kept = Remembered(100_000, lambda: now)
    answer = Answer(b"what was erased since", 200, {})
    kept.keep("a", answer)
    held = sys.getrefcount(answer)
    now = KEPT_SECONDS - 1
    assert kept.find("a") is answer
    now = KEPT_SECONDS + 1
    # Whatever is asked for next.
    assert kept.find("b") is None and sys.getrefcount(answer) < held


@pytest.mark.parametrize("memory", [0, 1_000_000])
def test_what_was_committed_by_a_process_that_could_not_say_so_is_shown_all_the_same(
    works: Service, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, memory: int
) -> None:
    service, http = works
    http.post("/v1/records/jobs", json={"code": "a"}).raise_for_status()
    own = tmp_path / "works.db"
    with workshop_of(WORKS, own, account_managers=OFFICE, list_memory=memory) as (_, other):
        before = asked(other, "olga", "jobs")
        # Between its commit and what it tells others, a process may be killed.
        monkeypatch.setattr(type(service.database.growth), "note", lambda *_: None)
        http.patch("/v1/records/jobs/a", json={"title": "new"}).raise_for_status()
        for tag in (None, before.headers["ETag"]):
            answer = asked(other, "olga", "jobs", tag)
            assert answer.status_code == 200 and answer.json()["items"][0]["title"] == "new", tag
