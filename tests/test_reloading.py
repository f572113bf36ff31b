"""`start --reload`: what is saved is served, what is wrong is told, and the service goes on with what it had."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, expect

from browser import opened_page, signed_in, without_fault
from fenland.client import Client, UnreachableError
from support import Running, new_project, start


@pytest.fixture
def running(tmp_path: Path) -> Iterator[Running]:
    folder = new_project(tmp_path / "notes")
    running = start("start", folder, tmp_path / "log", "--reload")
    yield running
    running.process.terminate()
    assert running.process.wait(30) == 0


def until(holds: Callable[[], bool], what: str) -> None:
    for _ in range(300):
        try:
            if holds():
                return
        except (httpx.TransportError, UnreachableError):
            # It begins anew just now.
            pass
        time.sleep(0.1)
    raise AssertionError(what)


def test_what_is_saved_is_served_and_what_is_wrong_is_told(running: Running) -> None:
    file = running.folder / "collections" / "notes.yaml"
    first = file.read_text()
    token = (running.folder / "token").read_text()

    def notes() -> dict[str, Any]:
        headers = {"Authorization": f"Bearer {token}"}
        found: dict[str, Any] = httpx.get(f"{running.address}/v1/schemas", headers=headers).json()["items"][0]
        return found

    def mistakes() -> str:
        with Client(running.address, token=token) as client:
            return client.mistakes()

    def log() -> str:
        return running.log.read_text()

    file.write_text(first.replace("title: Notes", "title: Memos"))
    until(lambda: notes()["title"] == "Memos", "the new title is served")
    # A mistake is told where it stands, and the service goes on.
    file.write_text(first.replace("key: slug", "key: slag"))
    until(lambda: "'slag'" in log() and "goes on with what it had" in log(), "the mistake is told")
    assert notes()["title"] == "Memos"
    until(lambda: "'slag'" in mistakes(), "and to clients")
    # What takes a migration that loses something is not done by itself.
    file.write_text(
        first.replace("  pinned: {type: boolean, title: Pinned, required: true, default: false}\n", "")
    )
    until(lambda: log().count("goes on with what it had") == 2, "the migration is told of")
    assert "fenland migrate" in log()
    until(lambda: notes()["title"] == "Memos", "it goes on as it was")
    until(lambda: "fenland migrate" in mistakes() and "slag" not in mistakes(), "which clients are told")
    # Corrected, it begins anew: what can be taken in at the start is.
    file.write_text(first + "  colour: {type: string, title: Colour}\n")
    until(lambda: notes()["title"] == "Notes", "the correction is served")
    assert mistakes() == ""
    headers = {"Authorization": f"Bearer {token}"}
    made = httpx.post(
        f"{running.address}/v1/records/notes",
        headers=headers,
        json={"slug": "a", "title": "A", "colour": "red"},
    )
    assert made.status_code == 201, made.text


def test_the_console_tells_it_to_who_has_it_open(running: Running, browser: Browser) -> None:
    file = running.folder / "collections" / "notes.yaml"
    first = file.read_text()
    with opened_page(browser, running.address) as page:
        signed_in(page, (running.folder / "token").read_text())
        page.goto("/c/notes")
        told = page.get_by_role("status").filter(has_text="cannot be used as they are saved")
        expect(page.get_by_role("heading", name="Notes")).to_be_visible()
        expect(told).to_have_count(0)
        file.write_text(first.replace("key: slug", "key: slag"))
        expect(told).to_contain_text("collections/notes.yaml:5")
        without_fault(page)
        # Corrected, the page goes on by itself, with what was written.
        file.write_text(first.replace("title: Notes", "title: Memos"))
        expect(told).to_have_count(0)
        expect(page.get_by_role("heading", name="Memos")).to_be_visible()


def test_a_project_that_cannot_be_started_with_ends_the_command(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "notes")
    file = folder / "collections" / "notes.yaml"
    file.write_text(file.read_text().replace("key: slug", "key: slag"))
    with pytest.raises(AssertionError, match="slag"):
        start("start", folder, tmp_path / "log", "--reload")
