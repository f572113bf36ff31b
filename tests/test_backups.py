"""Backups: whole under many writers, refused when they are not, put in place unasked over nothing, made when due."""

from __future__ import annotations

import json
import sqlite3
import subprocess
import threading
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import pytest

from commands import fenland
from fenland.core.definitions.reading import definitions_from
from fenland.service.settings import Settings
from fenland.service.upkeep.backups import is_due, make_due
from fenland.service.upkeep.copies import backups_of
from fenland.storage.door import DatabaseRefused, back_up, put_back
from support import make_workshop, new_project, start, workshop_of

NOTES = {
    "notes": {
        "key": "code",
        "access": {right: ["everyone"] for right in ("read", "create", "update", "delete")},
        "fields": {
            "code": {"type": "string", "required": True, "unique": True, "fixed": True},
            "text": {"type": "string"},
            "within": {"references": "notes"},
        },
    }
}


@pytest.fixture
def database(tmp_path: Path) -> Path:
    path = tmp_path / "notes.db"
    with workshop_of(NOTES, path) as (_, http):
        for number in range(300):
            http.post("/v1/records/notes", json={"code": f"N{number}", "text": "x" * 200}).raise_for_status()
    return path


def test_a_copy_under_many_writers_holds_all_that_was_answered(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "notes")
    running = start("start", folder, folder / "log", "--workers", "2")
    token = (folder / "token").read_text()
    stop, answered, guard = threading.Event(), dict[str, int](), threading.Lock()

    def write(number: int) -> None:
        with running.client(token) as http:
            http.post("/v1/records/notes", json={"slug": f"n{number}", "title": "0"}).raise_for_status()
            count = 0
            while not stop.is_set():
                count += 1
                # Two records in one commit: half of it would show.
                items = [
                    {"action": "update", "collection": "notes", "key": f"n{number}", "fields": {"title": str(count)}},
                    {"action": "create", "collection": "notes", "fields": {"slug": f"n{number}-{count}", "title": str(count)}},
                ]  # fmt: skip
                http.post("/v1/batch", json={"items": items}).raise_for_status()
                with guard:
                    answered[f"n{number}"] = count

    threads = [threading.Thread(target=write, args=[number]) for number in range(16)]
    for one in threads:
        one.start()
    try:
        while len(answered) < 16:
            time.sleep(0.05)
        for turn in range(2):
            with guard:
                before = dict(answered)
            copy = tmp_path / f"copy-{turn}.db"
            fenland("backup", str(copy), "--project", str(folder))
            elsewhere = tmp_path / f"elsewhere-{turn}"
            elsewhere.mkdir()
            for name in ("collections", "fenland.toml"):
                subprocess.run(["cp", "-r", str(folder / name), str(elsewhere)], check=True)
            fenland("restore-backup", str(copy), "--project", str(elsewhere))
            _compare(elsewhere / "records.db", before)
    finally:
        stop.set()
        for one in threads:
            one.join()
        running.stop()


def _compare(path: Path, answered: dict[str, int]) -> None:
    raw = sqlite3.connect(path)
    titles = dict(raw.execute("SELECT slug, title FROM notes"))
    for slug, count in answered.items():
        # Everything that was answered before, and perhaps more; each batch whole or not there.
        now = int(titles[slug])
        assert now >= count
        assert f"{slug}-{now}" in titles if now else True
        assert f"{slug}-{now + 1}" not in titles
    raw.close()


DAMAGE = {
    "cut short": lambda path: path.write_bytes(path.read_bytes()[: path.stat().st_size // 2]),
    "a little cut": lambda path: path.write_bytes(path.read_bytes()[:-4096]),
    "a byte short": lambda path: path.write_bytes(path.read_bytes()[:-1]),
    "a page of noise": lambda path: path.write_bytes(path.read_bytes()[:20480] + bytes([7]) * 4096 + path.read_bytes()[24576:]),
    "no database": lambda path: path.write_text("nothing of the kind"),
    "empty": lambda path: path.write_bytes(b""),
    "another program's": lambda path: (path.unlink(), sqlite3.connect(path).executescript("CREATE TABLE t (a)").close()),
    "a record without an entry": lambda path: _run(path, "UPDATE notes SET version = 2 WHERE code = 'N7'"),
    "a record gone back": lambda path: _run(path, "DROP TRIGGER fenland_history_no_update", "UPDATE fenland_history SET version = 9 WHERE key = '\"N7\"'"),
    "an entry gone": lambda path: _run(path, "DROP TRIGGER fenland_history_no_delete", "DELETE FROM fenland_history WHERE sequence = 9"),
    "a reference to nothing": lambda path: _run(path, "UPDATE notes SET within = 'nowhere' WHERE code = 'N7'"),
    "a layout that is none": lambda path: _run(path, "UPDATE fenland_meta SET value = 'x' WHERE name = 'layout'"),
    "a newer version's": lambda path: _run(path, "UPDATE fenland_meta SET value = '99' WHERE name = 'layout'"),
}  # fmt: skip


def _run(path: Path, *statements: str) -> None:
    raw = sqlite3.connect(path)
    for statement in statements:
        raw.execute(statement)
    raw.commit()
    raw.close()


@pytest.mark.parametrize("name", DAMAGE)
def test_what_is_damaged_or_foreign_is_not_put_in_place(database: Path, tmp_path: Path, name: str) -> None:
    copy, target = tmp_path / "copy.db", tmp_path / "target.db"
    found = back_up(database, copy)
    assert (found.records, found.entries) == (300, 309)
    DAMAGE[name](copy)
    with pytest.raises(DatabaseRefused):
        put_back(copy, target)
    assert not target.exists()
    assert not list(tmp_path.glob("*.part"))


OTHERS = {
    "as it was": "",
    "a record changed": "is not as its history has it, in text",
    "a record less": "is gone, and no entry says so",
    "an account raised": "account",
    "definitions of another form": "Definitions 1 are kept in a form that cannot be read",
    "definitions that are no JSON": "cannot be read",
    "another project": "another project: it has places, and this one notes",
    "another database": "their histories begin otherwise",
}
CHANGED = {
    "a record changed": "UPDATE notes SET text = 'y' WHERE code = 'N7'",
    "a record less": "DELETE FROM notes WHERE code = 'N7'",
    "definitions of another form": "UPDATE fenland_definitions SET content = '[]'",
    "definitions that are no JSON": "UPDATE fenland_definitions SET content = 'x'",
    "an account raised": "UPDATE fenland_accounts SET roles = '[\"office\",\"lead\"]'",
}  # fmt: skip


@pytest.mark.parametrize("name", OTHERS)
def test_a_backup_is_of_this_database_and_as_its_history_has_it(tmp_path: Path, name: str) -> None:
    folder, copy = tmp_path / "project", tmp_path / "copy.db"
    (folder / "collections").mkdir(parents=True)
    (folder / "fenland.toml").write_text('database = "x.db"\n')
    (folder / "collections" / "notes.yaml").write_text(json.dumps(NOTES["notes"]))
    other = {"places": NOTES["notes"] | {"fields": {"code": NOTES["notes"]["fields"]["code"]}}}
    with workshop_of(NOTES, folder / "x.db") as (_, http):
        for number in range(9):
            http.post("/v1/records/notes", json={"code": f"N{number}"}).raise_for_status()
    source = folder / "x.db"
    if name.startswith("another"):
        source = tmp_path / "other.db"
        described = NOTES if name == "another database" else other
        make_workshop(definitions_from(described, ["office", "crew"]), source, copied=False)
        with workshop_of(described, source):
            pass
    back_up(source, copy)
    if name in CHANGED:
        _run(copy, CHANGED[name])
    words = ["restore-backup", str(copy), "--project", str(folder), "--replace"]
    before = (folder / "x.db").read_bytes()
    done = fenland(*words, code=None)
    assert (done.returncode, OTHERS[name] in done.stderr) == (1 if OTHERS[name] else 0, True), done.stderr
    if OTHERS[name]:
        assert (folder / "x.db").read_bytes() == before
        fenland(*words, "--as-it-is")


def test_nothing_is_overwritten_unasked(database: Path, tmp_path: Path) -> None:
    copy = tmp_path / "copy.db"
    back_up(database, copy)
    assert oct(copy.stat().st_mode & 0o777) == "0o600"
    with pytest.raises(DatabaseRefused, match="nothing is written over"):
        back_up(database, copy)
    with pytest.raises(DatabaseRefused, match="moved aside only where"):
        put_back(copy, database)
    with workshop_of(NOTES, database) as (_, http):
        http.patch("/v1/records/notes/N1", json={"text": "later"}).raise_for_status()
        _, aside = put_back(copy, database, replace=True)
        # A service that still has the one that was there saves nothing any more, and says why.
        refused = http.patch("/v1/records/notes/N1", json={"text": "lost?"})
        assert (refused.status_code, "moved away or replaced" in refused.json()["detail"]) == (503, True)
    assert aside is not None
    kept = sqlite3.connect(aside)
    assert kept.execute("SELECT text FROM notes WHERE code = 'N1'").fetchone() == ("later",)
    kept.close()
    with workshop_of(NOTES, database) as (_, http):
        assert http.get("/v1/records/notes/N1").json()["text"] == "x" * 200


def test_a_place_that_cannot_be_written_is_told(database: Path, tmp_path: Path) -> None:
    with pytest.raises(DatabaseRefused, match="cannot be written"):
        back_up(database, Path("/dev/full/copy.db"))
    with pytest.raises(DatabaseRefused, match="no database at"):
        back_up(tmp_path / "nowhere.db", tmp_path / "copy.db")


def test_the_schedule_makes_what_is_due_and_keeps_so_many(database: Path, tmp_path: Path) -> None:
    settings = Settings(backup_hours=6, backup_keep=3).model_copy(
        update={"database": database, "backup_folder": tmp_path / "copies"}
    )
    now = datetime(2031, 4, 9, 12, tzinfo=UTC)
    assert not is_due(settings.model_copy(update={"backup_hours": 0}), now)
    made = []
    for hours in range(0, 30, 2):
        made.append(make_due(settings, now + timedelta(hours=hours)))
    assert [one is not None for one in made] == [hours % 6 == 0 for hours in range(0, 30, 2)]
    names = ["notes-20310410T000000Z.db", "notes-20310410T060000Z.db", "notes-20310410T120000Z.db"]
    assert [one.name for one in backups_of(settings)] == names
    # What others keep there is theirs.
    (tmp_path / "copies" / "notes-mine.db").write_text("kept")
    together: list[Path | None] = []
    later = now + timedelta(days=9)
    threads = [threading.Thread(target=lambda: together.append(make_due(settings, later))) for _ in range(4)]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    assert sum(one is not None for one in together) == 1
    assert (tmp_path / "copies" / "notes-mine.db").exists()


def test_a_service_makes_its_own(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "notes")
    with (folder / "fenland.toml").open("a") as file:
        file.write("backup_hours = 1\n")
    running = start("start", folder, folder / "log", "--workers", "2")
    try:
        with httpx.Client(base_url=running.address) as http:
            for _ in range(200):
                if "backup made" in (folder / "log").read_text():
                    break
                http.get("/healthz")
                threading.Event().wait(0.05)
    finally:
        running.stop()
    assert len(list((folder / "backups").glob("records-*Z.db"))) == 1
    assert "backup made" in (folder / "log").read_text()
