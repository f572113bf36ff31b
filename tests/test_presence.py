"""Presence: who else has a record open, told to those who may read it and to nobody else, for a while."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest

from commands import fenland
from fenland.client import Client
from fenland.service.accounts.accounts import AccountChange, change_account
from fenland.service.records.presence import LASTS
from fenland.service.service import Service
from fenland.storage.shared.records.presence import Presence
from fenland.storage.shared.values import Present
from support import bearer, new_project, start, workshop_of

CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
WORKS: dict[str, Any] = {
    "sites": {
        "key": "code",
        "access": {"create": ["everyone"], "update": ["everyone"], "read": "'office' in actor.roles || record.open == true"},
        "fields": {"code": CODE, "open": {"type": "boolean"}},
    }
}  # fmt: skip
Works = tuple[Service, httpx.Client]


@pytest.fixture
def works(tmp_path: Path) -> Iterator[Works]:
    with workshop_of(WORKS, tmp_path / "x.db") as (service, http):
        for code, is_open in (("S1", True), ("S2", False)):
            http.post("/v1/records/sites", json={"code": code, "open": is_open}).raise_for_status()
        yield service, http


def met(http: httpx.Client, who: str, doing: str = "reading", at: str = "S1", window: str = "w") -> Any:
    sent = {"window": window, "doing": doing}
    answer = http.post(f"/v1/records/sites/{at}/presence", json=sent, headers=bearer(who))
    if answer.status_code != 200:
        return answer.status_code
    return [(one["account"], one["title"], one["editing"]) for one in answer.json()["items"]]


def test_others_are_told_of_and_not_oneself(works: Works) -> None:
    _, http = works
    assert met(http, "olga") == []
    assert met(http, "carl", "editing") == [("olga", "Olga", False)]
    # In several windows somebody is one, and edits where any of them does.
    assert met(http, "carl", "reading", window="other") == [("olga", "Olga", False)]
    assert met(http, "olga") == [("carl", "Carl", True)]
    assert met(http, "carl", "gone") == [("olga", "Olga", False)]
    assert met(http, "olga") == [("carl", "Carl", False)]
    assert met(http, "carl", "gone", window="other") == [("olga", "Olga", False)]
    assert met(http, "olga") == []
    assert met(http, "olga", at="S2") == []


def test_only_those_who_may_read_it_are_told_and_told_of(works: Works) -> None:
    service, http = works
    met(http, "olga", at="S2")
    assert met(http, "carl", at="S2") == 404
    assert met(http, "carl") == []
    met(http, "carl", "editing")
    assert met(http, "olga") == [("carl", "Carl", True)]
    # Who may read it no more is there no more to others.
    http.patch("/v1/records/sites/S1", json={"open": False}).raise_for_status()
    assert met(http, "olga") == []
    assert met(http, "carl") == 404
    http.patch("/v1/records/sites/S1", json={"open": True}).raise_for_status()
    assert met(http, "olga") == [("carl", "Carl", True)]
    change_account(service, "carl", AccountChange(disabled=True))
    assert met(http, "olga") == []


def test_who_says_nothing_any_more_is_forgotten(works: Works) -> None:
    service, http = works
    met(http, "carl")
    now = service.clock()
    service.clock = lambda: now + timedelta(seconds=LASTS - 1)
    assert met(http, "olga", "gone") == [("carl", "Carl", False)]
    service.clock = lambda: now + timedelta(seconds=LASTS + 1)
    assert met(http, "olga", "gone") == []


@pytest.mark.parametrize("sent", [{}, {"window": "w"}, {"window": "", "doing": "reading"}, {"window": "w w", "doing": "reading"}, {"window": "w", "doing": "sleeping"}, {"window": "w", "doing": "reading", "name": "x"}])  # fmt: skip
def test_what_is_said_wrongly_is_refused(works: Works, sent: dict[str, str]) -> None:
    answer = works[1].post("/v1/records/sites/S1/presence", json=sent)
    assert answer.status_code == 422, answer.text


def test_where_very_many_are_at_once_who_said_so_longest_ago_makes_room(tmp_path: Path) -> None:
    one, other = Presence(tmp_path / "p"), Presence(tmp_path / "p")
    for number in range(100):
        one.enter("sites 1", "w", Present(f"p{number:03}", False), 1000.0 + number)
    there = other.there("sites 1", 500.0)
    assert len(there) == 32 and there[-1].name == "p099"
    one.enter("sites 1", "w", Present("ä" * 80, False), 2000.0)
    assert len(other.there("sites 1", 1099.5)) == 0
    # A file of another size, or that is lost, is made anew.
    for each in (one, other):
        each.close()
    (tmp_path / "p").write_bytes(b"short")
    assert Presence(tmp_path / "p").there("sites 1", 0.0) == []


def test_across_processes_by_client_and_command(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "notes")
    fenland("account", "add", "ben", "--title", "Ben Ouse", "--role", "editor", "--project", str(folder))
    issued = fenland("account", "token", "ben", "--project", str(folder), "--json").stdout
    running = start("start", folder, folder / "log", "--workers", "2")
    token = (folder / "token").read_text()
    try:
        with Client(running.address, token) as ada:
            ada.create("notes", {"slug": "a", "title": "1"})
            ada.presence("notes", "a", doing="editing")
        ben = json.loads(issued)["token"]
        # Each connection may be answered by another process.
        for _ in range(8):
            with Client(running.address, ben) as client:
                assert [(one["account"], one["editing"]) for one in client.presence("notes", "a")] == [
                    ("ada", True)
                ]
        environment = {"FENLAND_ADDRESS": running.address, "FENLAND_TOKEN": ben, "PATH": "/usr/bin"}
        assert "ada (ada) is editing it." in fenland("present", "notes", "a", env=environment).stdout
        assert (
            json.loads(fenland("present", "notes", "a", "--json", env=environment).stdout)[0]["editing"]
            is True
        )
    finally:
        running.stop()
