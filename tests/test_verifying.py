"""Tampering with a history is seen: each kind, and where; by the command, and by a script without our code."""

from __future__ import annotations

import contextlib
import json
import random
import runpy
import shutil
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any, ClassVar

import httpx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from commands import fenland
from fenland.core.history.merkle import leaf_hash
from fenland.demo.sample import lay_sample
from fenland.service.opening import open_project_service, open_service
from fenland.service.proof.archiving import archive, read_archive
from fenland.service.proof.publishing import publish
from fenland.service.proof.reports import Report, read_heads
from fenland.service.proof.signing_keys import SigningKey
from fenland.service.proof.verifying import verify_database
from fenland.service.proof.verifying_files import verify_evidence, verify_export
from fenland.storage.door import back_up, kept_definitions
from fenland.storage.sqlite.engine import guards
from fenland.web.serving.app import create_app
from support import NIGHTLY, SMALL, start

SCRIPT = Path(__file__).parents[1] / "docs" / "verify_history.py"
DATABASE = "sedgemarsh.db"


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A copy of a small sample's database with a head, and beside it what was kept elsewhere."""
    folder = tmp_path_factory.mktemp("whole")
    project, _ = lay_sample(tmp_path_factory.mktemp("sample"), lambda _done, _all: None, SMALL)
    service = open_project_service(project)
    transport = httpx.WSGITransport(create_app(service, project.settings))
    headers = {"Authorization": "Bearer sample-office"}
    with httpx.Client(transport=transport, base_url="http://sample", headers=headers) as http:
        http.patch("/v1/records/stations/PS-014", json={"pumps": 3}).raise_for_status()
        http.patch("/v1/records/landholders/L0003", json={"phone": "0555 7"}).raise_for_status()
        keys = http.get("/v1/history/keys").json()
        head = http.get("/v1/history/head").json()
        (folder / "head.jsonl").write_text(json.dumps({**head, **keys}) + "\n")
        text = http.get("/v1/history", headers={"Accept": "application/jsonl"}).text
        (folder / "export.jsonl").write_text(text)
        evidence = http.get("/v1/records/landholders/L0003/history/evidence")
        (folder / "evidence.json").write_text(evidence.text)
        # What comes after the head is in no head yet.
        http.patch("/v1/records/stations/PS-014", json={"pumps": 4}).raise_for_status()
    service.close()
    back_up(project.settings.database, folder / "whole.db")
    return folder


@pytest.fixture
def base(whole: Path, tmp_path: Path) -> Iterator[sqlite3.Connection]:
    """A connection to a copy of it, without triggers while the test is at it."""
    shutil.copyfile(whole / "whole.db", tmp_path / "copy.db")
    raw = sqlite3.connect(tmp_path / "copy.db")
    for name in guards("fenland_history"):
        raw.execute(f"DROP TRIGGER {name}")
    yield raw
    raw.close()


def audited(base: sqlite3.Connection, head: Path | None = None, **options: Any) -> Report:
    for text in guards("fenland_history").values():
        base.execute(text)
    base.commit()
    path = Path(base.execute("PRAGMA database_list").fetchone()[2])
    return verify_database(path, None if head is None else head.read_text(), **options)


def told(report: Report) -> set[tuple[str, int | None]]:
    return {(one.kind, one.sequence) for one in report.faults}


def last_of(base: sqlite3.Connection) -> int:
    return int(base.execute("SELECT max(sequence) FROM fenland_history").fetchone()[0])


def test_the_sample_is_whole(base: sqlite3.Connection, whole: Path) -> None:
    report = audited(base, whole / "head.jsonl")
    assert report.faults == []
    assert (report.entries, report.heads) == (last_of(base), 1)
    assert report.records > 350


COLUMNS = (
    "time, salt, collection, record_id, key, version, action, actor, behalf, via, request_id, reason, cause, client, "
    "batch, undoes, restores, rule, settled, changes, sealed"
)


def changed(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute("UPDATE fenland_history SET reason = 'Another one' WHERE sequence = 400")
    return {("changed", 400)}


def changed_values(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    sequence = base.execute(
        "SELECT sequence FROM fenland_history WHERE action = 'update' AND sealed IS NULL"
    ).fetchone()[0]
    base.execute(
        "UPDATE fenland_history SET changes = replace(changes, '[', ' [') WHERE sequence = ?", [sequence]
    )
    return {("changed", sequence)}


def removed(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute("DELETE FROM fenland_history WHERE sequence = 436")
    return {("missing", 436)}


def several_removed(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute("DELETE FROM fenland_history WHERE sequence BETWEEN 300 AND 316")
    return {("missing", 300)}


def _swap(base: sqlite3.Connection, one: int, other: int, columns: str) -> None:
    rows = {
        s: base.execute(f"SELECT {columns} FROM fenland_history WHERE sequence = ?", [s]).fetchone()
        for s in (one, other)
    }
    base.execute("UPDATE fenland_history SET record_id = 'aside' WHERE sequence = ?", [one])
    marks = ", ".join(f"{name} = ?" for name in columns.split(", "))
    for to, source in ((other, one), (one, other)):
        base.execute(f"UPDATE fenland_history SET {marks} WHERE sequence = ?", [*rows[source], to])


def swapped(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    _swap(base, 350, 600, COLUMNS)
    return {("swapped", 350), ("swapped", 600)}


def neighbours_swapped(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    _swap(base, 350, 351, COLUMNS)
    return {("swapped", 350), ("swapped", 351)}


def swapped_with_nodes(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    _swap(base, 351, 601, f"{COLUMNS}, nodes")
    return {("swapped", 351), ("swapped", 601)}


def inserted(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    last = last_of(base)
    at = last - 20
    base.execute("UPDATE fenland_history SET sequence = -sequence WHERE sequence > ?", [at])
    base.execute("UPDATE fenland_history SET sequence = 1 - sequence WHERE sequence < 0")
    base.execute(
        f"INSERT INTO fenland_history (sequence, {COLUMNS}, nodes) SELECT ?, "
        f"{COLUMNS.replace('record_id', repr('0190a1b2-0000-7000-8000-000000000000'))}, nodes "
        "FROM fenland_history WHERE sequence = ?",
        [at + 1, at],
    )
    return {("inserted", at + 1)}


def pulled_up(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    at = last_of(base) - 20
    base.execute("DELETE FROM fenland_history WHERE sequence = ?", [at])
    base.execute("UPDATE fenland_history SET sequence = -sequence WHERE sequence > ?", [at])
    base.execute("UPDATE fenland_history SET sequence = -sequence - 1 WHERE sequence < 0")
    return {("removed", at)}


def node_changed(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    nodes = bytearray(base.execute("SELECT nodes FROM fenland_history WHERE sequence = 512").fetchone()[0])
    nodes[32 * 5] ^= 1
    base.execute("UPDATE fenland_history SET nodes = ? WHERE sequence = 512", [bytes(nodes)])
    return {("node", 512)}


def node_missing(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute("UPDATE fenland_history SET nodes = substr(nodes, 1, 32) WHERE sequence = 256")
    return {("node", 256)}


def leaf_changed_with_its_entry(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    """Whoever changes an entry and its leaf has not changed what is above."""
    base.execute("UPDATE fenland_history SET actor = 'marta.quill' WHERE sequence = 401")
    return {("changed", 401)}


def record_changed(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute("UPDATE stations SET pumps = 9 WHERE code = 'PS-014'")
    return {("record", last_of(base))}


def record_gone(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    number, record_id = base.execute("SELECT number, id FROM tickets LIMIT 1").fetchone()
    base.execute("DELETE FROM tickets WHERE number = ?", [number])
    last = base.execute(
        "SELECT max(sequence) FROM fenland_history WHERE record_id = ?", [record_id]
    ).fetchone()[0]
    return {("record", last)}


def record_made(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    names = [row[1] for row in base.execute("PRAGMA table_info(watercourses)")]
    wanted = ", ".join(
        {"id": "'0190a1b2-0000-7000-8000-000000000000'", "code": "'W99'"}.get(name, name) for name in names
    )
    base.execute(f"INSERT INTO watercourses SELECT {wanted} FROM watercourses LIMIT 1")
    return {("record", None)}


def root_forged(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    size = base.execute("SELECT size FROM fenland_heads").fetchone()[0]
    base.execute("UPDATE fenland_heads SET root = ?", ["ab" * 32])
    return {("head", size)}


def signature_forged(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    size, signed = base.execute("SELECT size, signed FROM fenland_heads").fetchone()
    mark = signed.rindex(".") + 5
    base.execute(
        "UPDATE fenland_heads SET signed = ?",
        [f"{signed[:mark]}{'A' if signed[mark] != 'A' else 'B'}{signed[mark + 1 :]}"],
    )
    return {("head", size)}


def salt_changed(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    sequence = base.execute("SELECT max(sequence) FROM fenland_sealed").fetchone()[0]
    base.execute("UPDATE fenland_sealed SET salt = zeroblob(16) WHERE sequence = ? AND side = 1", [sequence])
    return {("salt", sequence)}


def sealed_value_changed(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    sequence = base.execute("SELECT max(sequence) FROM fenland_sealed").fetchone()[0]
    base.execute("UPDATE fenland_sealed SET value = '\"0555 8\"' WHERE sequence = ? AND side = 0", [sequence])
    return {("salt", sequence)}


def commitment_changed(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    sequence = base.execute("SELECT max(sequence) FROM fenland_sealed").fetchone()[0]
    base.execute(
        "UPDATE fenland_history SET sealed = replace(sealed, 'a', 'b') WHERE sequence = ?", [sequence]
    )
    return {("changed", sequence), ("salt", sequence)}


def seal_removed(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    sequence = base.execute("SELECT max(sequence) FROM fenland_sealed").fetchone()[0]
    base.execute("DELETE FROM fenland_sealed WHERE sequence = ?", [sequence])
    return {("salt", sequence)}


def secret_value_taken_out(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    sequence = base.execute("SELECT max(sequence) FROM fenland_sealed").fetchone()[0]
    base.execute("UPDATE fenland_sealed SET value = NULL WHERE sequence = ? AND side = 1", [sequence])
    return {("salt", sequence)}


def role_given(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute(
        "UPDATE fenland_accounts SET roles = '[\"office\"]' WHERE name = (SELECT max(name) FROM fenland_accounts)"
    )
    return {("account", None)}


def account_enabled(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute(
        "UPDATE fenland_accounts SET disabled = 1 WHERE name = (SELECT min(name) FROM fenland_accounts)"
    )
    return {("account", None)}


def account_made(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute(
        "INSERT INTO fenland_accounts (name, title, roles, created_at, attributes, disabled) SELECT 'zed', title, roles, created_at, attributes, disabled FROM fenland_accounts LIMIT 1"
    )
    return {("account", None)}


def definitions_changed(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute("UPDATE fenland_definitions SET content = replace(content, '\"Stations\"', '\"Pumps\"')")
    base.execute("UPDATE fenland_definitions SET content = json_set(content, '$.roles', json('[\"king\"]'))")
    entry = base.execute(
        "SELECT sequence FROM fenland_history WHERE collection = 'fenland_definitions'"
    ).fetchone()[0]
    return {("definitions", entry), ("definitions", None)}


def terms_emptied(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    blocks = {
        row[0] for row in base.execute("SELECT DISTINCT block FROM fenland_terms ORDER BY block LIMIT 1")
    }
    base.execute("DELETE FROM fenland_terms WHERE block = ?", [min(blocks)])
    return {("terms", block) for block in blocks}


def trigger_added(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute("CREATE TRIGGER mine AFTER INSERT ON tickets BEGIN UPDATE stations SET pumps = 1; END")
    return {("trigger", None)}


def inserted_at_the_end(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    last = last_of(base)
    base.execute(
        f"INSERT INTO fenland_history (sequence, {COLUMNS}, nodes) SELECT ?, "
        f"{COLUMNS.replace('record_id', repr('0190a1b2-0000-7000-8000-000000000000'))}, nodes "
        "FROM fenland_history WHERE sequence = ?",
        [last + 1, last],
    )
    return {("inserted", last + 1)}


def _no_number(text: str) -> Callable[[sqlite3.Connection], set[tuple[str, int | None]]]:
    def tamper(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
        base.execute(
            "UPDATE fenland_history SET changes = json_set(changes, '$.name', json(?)) WHERE sequence = 410",
            [json.dumps([None, text])],
        )
        return {("changed", 410)}

    tamper.__name__ = f"no_number {text}"
    return tamper


def changes_replaced(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute("UPDATE fenland_history SET changes = '[7, {' WHERE sequence = 411")
    return {("changed", 411)}


def key_replaced(base: sqlite3.Connection) -> set[tuple[str, int | None]]:
    base.execute("UPDATE fenland_history SET key = x'00ff' WHERE sequence = 412")
    return {("changed", 412)}


TAMPERINGS: list[Callable[[sqlite3.Connection], set[tuple[str, int | None]]]] = [
    changed, changed_values, removed, several_removed, swapped, neighbours_swapped, swapped_with_nodes, inserted,
    pulled_up, node_changed, node_missing, leaf_changed_with_its_entry, record_changed, record_gone, record_made,
    root_forged, signature_forged, salt_changed, sealed_value_changed, commitment_changed,
    seal_removed, secret_value_taken_out, role_given, account_enabled, account_made, definitions_changed, terms_emptied,
    trigger_added, inserted_at_the_end, changes_replaced, key_replaced,
    *map(_no_number, ["=0.0b", "=1e5x", "=", "=--1", "=1.", "=NaN", "=Infinity"]),
]  # fmt: skip
#: Those that change what records are replayed from, so that records are at fault too.
_REPLAYED = {"missing", "swapped", "inserted", "removed", "changed"}


@pytest.mark.parametrize("tamper", TAMPERINGS, ids=lambda one: one.__name__)
def test_each_kind_of_tampering_is_named_with_its_place(
    base: sqlite3.Connection, tamper: Callable[[sqlite3.Connection], set[tuple[str, int | None]]]
) -> None:
    expected = tamper(base)
    report = audited(base)
    found = told(report)
    assert expected <= found
    kinds = {kind for kind, _ in expected}
    others = {
        (kind, place) for kind, place in found - expected if kind not in ("record", "head", "node", "salt")
    }
    assert others <= {("time", place) for _, place in others}
    if not kinds & _REPLAYED:
        assert found == expected
    for one in report.faults:
        assert one.sentence.endswith(".")
        assert one.time or one.kind in (
            "head",
            "cut",
            "record",
            "account",
            "terms",
            "trigger",
            "changed",
            "definitions",
        )


def test_a_tail_that_was_cut_off_is_seen_with_a_head_that_was_kept_elsewhere(
    base: sqlite3.Connection, whole: Path
) -> None:
    size = base.execute("SELECT size FROM fenland_heads").fetchone()[0]
    base.execute("DELETE FROM fenland_history WHERE sequence > ?", [size - 5])
    base.execute("DELETE FROM fenland_heads")
    base.execute("DELETE FROM fenland_sealed WHERE sequence > ?", [size - 5])
    assert told(audited(base, tree_only=True)) == set()
    for name in guards("fenland_history"):
        base.execute(f"DROP TRIGGER {name}")
    assert told(audited(base, whole / "head.jsonl", tree_only=True)) == {("cut", size - 4)}


def test_a_history_that_was_rewritten_throughout_is_seen_with_a_head_that_was_kept_elsewhere(
    base: sqlite3.Connection, whole: Path
) -> None:
    """Whoever holds the database, and not its key, can make every hash anew."""
    from fenland.core.history.auditing import TreeAudit
    from fenland.core.history.merkle import completed
    from fenland.storage.door import audited as opened

    base.execute("UPDATE fenland_history SET via = 'another' WHERE sequence = 500")
    base.execute("DELETE FROM fenland_heads")
    base.commit()
    path, rows = Path(base.execute("PRAGMA database_list").fetchone()[2]), []
    with opened(path) as found:
        kept: list[list[bytes]] = []
        for row in found.rows():
            kept.append(
                completed(len(kept), row.leaf(), lambda level, place: kept[((place + 1) << level) - 1][level])
            )
            rows.append((b"".join(kept[-1]), row.sequence))
    base.executemany("UPDATE fenland_history SET nodes = ? WHERE sequence = ?", rows)
    assert told(audited(base)) == set()
    for name in guards("fenland_history"):
        base.execute(f"DROP TRIGGER {name}")
    size = json.loads((whole / "head.jsonl").read_text())["size"]
    assert told(audited(base, whole / "head.jsonl")) == {("head", size)}
    assert TreeAudit().root() != leaf_hash(b"")


def test_triggers_that_are_gone_are_missed(base: sqlite3.Connection) -> None:
    base.commit()
    path = Path(base.execute("PRAGMA database_list").fetchone()[2])
    assert [one.kind for one in verify_database(path, tree_only=True).faults] == ["trigger", "trigger"]


def test_a_head_signed_by_another_key_is_forged(
    base: sqlite3.Connection, whole: Path, tmp_path: Path
) -> None:
    size, root, moment, _ = base.execute("SELECT * FROM fenland_heads").fetchone()
    forged = SigningKey(tmp_path / "other.key").signed({"size": size, "root": root, "time": moment})
    base.execute("UPDATE fenland_heads SET signed = ?", [forged])
    assert told(audited(base)) == {("head", size)}
    elsewhere = tmp_path / "head.jsonl"
    elsewhere.write_text(json.dumps({"size": size, "root": root, "time": moment, "signed": forged}))
    with pytest.raises(ValueError, match="not known"):
        verify_database(tmp_path / "copy.db", elsewhere.read_text())


# --- exports, by both ---------------------------------------------------------------------------------


def _edit(lines: list[str], number: int, change: Callable[[dict[str, Any]], Any]) -> list[str]:
    entry = json.loads(lines[number - 1])
    change(entry)
    return [*lines[: number - 1], json.dumps(entry), *lines[number:]]


def _opened(lines: list[str]) -> int:
    return next(number for number, line in enumerate(lines, 1) if '"opened":{"' in line and '"salt"' in line)


def _salted(entry: dict[str, Any], part: str, value: str) -> None:
    sides = next(iter(entry["opened"].values()))
    next(one for one in sides if one is not None)[part] = value


EXPORTS: dict[str, tuple[Callable[[list[str]], list[str]], str]] = {
    "nothing": (lambda lines: lines, ""),
    "a value changed": (lambda lines: _edit(lines, 400, lambda one: one["leaf"].update(actor="nobody")), "Entry 400 is not what its hash says"),
    "a value and its hash changed": (
        lambda lines: _edit(lines, 400, lambda one: one.update(leaf=None, leaf_hash="ab" * 32)),
        "has another root",
    ),
    "an entry removed": (lambda lines: lines[:399] + lines[400:], "Entries 400 to 400 are not in the export"),
    "two swapped": (lambda lines: [*lines[:9], lines[10], lines[9], *lines[11:]], "are not in the export"),
    "the tail cut": (lambda lines: lines[:-9], "of more"),
    "a salt changed": (lambda lines: _edit(lines, _opened(lines), lambda one: _salted(one, "salt", "00" * 16)), "or its salt"),
    "a sealed value changed": (lambda lines: _edit(lines, _opened(lines), lambda one: _salted(one, "value", "x")), "or its salt"),
}  # fmt: skip


@pytest.mark.parametrize("name", EXPORTS)
def test_an_export_is_checked_by_the_command_and_by_a_script_of_its_own(
    whole: Path, tmp_path: Path, name: str
) -> None:
    change, words = EXPORTS[name]
    lines = (whole / "export.jsonl").read_text().splitlines()
    (tmp_path / "export.jsonl").write_text("\n".join(change(lines)) + "\n")
    files = [str(tmp_path / "export.jsonl"), "--head", str(whole / "head.jsonl")]
    script = [sys.executable, str(SCRIPT), "export", *files]
    for found in (
        fenland("verify", "--export", *files, code=None),
        subprocess.run(script, capture_output=True, text=True),
    ):
        assert found.returncode == (1 if words else 0), found.stdout + found.stderr
        assert words in found.stdout + found.stderr


EVIDENCE: dict[str, tuple[Callable[[dict[str, Any]], Any], str]] = {
    "nothing": (lambda one: None, ""),
    "an entry changed": (lambda one: one["entries"][0]["leaf"].update(actor="nobody"), "not what its hash says"),
    "a path changed": (lambda one: one["entries"][-1]["path"].reverse(), "not in the tree"),
    "a commitment opened otherwise": (lambda one: _salted(one["entries"][-1], "value", "0555 9"), "or its salt"),
    "another record": (lambda one: one.update(id=one["id"][:-4] + "0000"), "is of another record"),
    "an entry left out": (lambda one: one["entries"].insert(1, one["entries"][0]), "entries were left out"),
    "another root": (lambda one: one["head"].update(signed=one["head"]["signed"][:-3] + "AAA"), "forged"),
}  # fmt: skip


@pytest.mark.parametrize("name", EVIDENCE)
def test_an_evidence_file_is_checked_by_both(whole: Path, tmp_path: Path, name: str) -> None:
    change, words = EVIDENCE[name]
    found = json.loads((whole / "evidence.json").read_text())
    change(found)
    path = tmp_path / "evidence.json"
    path.write_text(json.dumps(found))
    script = [sys.executable, str(SCRIPT), "evidence", str(path)]
    for answer in (
        fenland("verify", "--evidence", str(path), code=None),
        subprocess.run(script, capture_output=True, text=True),
    ):
        assert (answer.returncode != 0) == bool(words), answer.stdout + answer.stderr
        assert words in answer.stdout + answer.stderr


def test_the_head_of_an_evidence_file_is_held_against_one_that_was_kept_elsewhere(whole: Path) -> None:
    evidence = json.loads((whole / "evidence.json").read_text())
    [head] = read_heads((whole / "head.jsonl").read_text(), [])
    assert verify_evidence(evidence, [head]).sound
    report = verify_evidence(evidence, [replace(head, root=bytes(32))])
    assert told(report) == {("head", head.size)}


def _places(value: Any, place: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    members = (
        value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    )
    for name, member in members:
        yield (*place, name)
        yield from _places(member, (*place, name))


def _broken(data: st.DataObject, whole: Any) -> Any:
    """The same JSON with something else, or nothing, at one place of it."""
    broken = json.loads(json.dumps(whole))
    *way, last = data.draw(st.sampled_from(list(_places(broken))))
    inner = broken
    for step in way:
        inner = inner[step]
    other = (
        st.none()
        | st.booleans()
        | st.integers(-9, 9)
        | st.text(max_size=3)
        | st.just([])
        | st.just({})
        | st.just(["a"])
    )
    if data.draw(st.booleans()):
        del inner[last]
    else:
        inner[last] = data.draw(other)
    return broken


@pytest.fixture(scope="module")
def small_archive(whole: Path, tmp_path_factory: pytest.TempPathFactory) -> list[Any]:
    """The lines of an archive of a few entries."""
    folder = tmp_path_factory.mktemp("archive")
    shutil.copyfile(whole / "whole.db", folder / DATABASE)
    definitions = kept_definitions(folder / DATABASE)
    assert definitions is not None
    service = open_service(definitions, folder / DATABASE)
    service.key_file = folder / "signing.key"
    with service.database.reading() as reading:
        moment = service.database.history.following(reading, 9, 1)[0].time
    path, _ = archive(service, folder, moment)
    service.close()
    read_archive(path)
    return [json.loads(line) for line in path.read_bytes().splitlines()]


@settings(
    max_examples=300 if NIGHTLY else 100,
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
@given(data=st.data())
def test_whatever_stands_in_a_file_of_proofs_it_is_checked_or_refused(
    whole: Path, small_archive: list[Any], tmp_path: Path, data: st.DataObject
) -> None:
    head = json.loads((whole / "head.jsonl").read_text())
    lines = (whole / "export.jsonl").read_text().splitlines()
    entry = json.loads(lines[_opened(lines) - 1])
    evidence = json.loads((whole / "evidence.json").read_text())
    checks: dict[str, tuple[list[Any], Callable[[bytes], object]]] = {
        "heads": ([head], lambda text: read_heads(text.decode(), [])),
        "export": ([entry], lambda text: verify_export(text.splitlines(), [])),
        "evidence": ([evidence], lambda text: verify_evidence(json.loads(text))),
        "archive": (small_archive, lambda text: read_archive(path)),
    }
    kind = data.draw(st.sampled_from(list(checks)))
    kept, check = checks[kind]
    text = "".join(json.dumps(one) + "\n" for one in _broken(data, kept)).encode()
    path = tmp_path / "broken"
    path.write_bytes(text)
    with contextlib.suppress(ValueError):
        check(text)
    if kind != "heads":
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(sys, "argv", [SCRIPT.name, kind, str(path)])
            with pytest.raises(SystemExit):
                runpy.run_path(str(SCRIPT), run_name="__main__")


# --- archives, keys and heads elsewhere ----------------------------------------------------------------


def test_older_entries_move_to_an_archive_that_proves_itself(whole: Path, tmp_path: Path) -> None:
    path = tmp_path / DATABASE
    shutil.copyfile(whole / "whole.db", path)
    source = Path(__file__).parents[1] / "src" / "fenland" / "demo" / "project"
    shutil.copytree(source, tmp_path, dirs_exist_ok=True)

    def run(*words: str, code: int = 0) -> Any:
        return json.loads(fenland(*words, "--project", str(tmp_path), "--json", code=code).stdout)

    run("archive", "--before", "1999-01-01", code=1)
    run("archive", "--before", "soon", code=2)
    first = run("archive", "--before", "2026-03-01")
    second = run("archive", "--before", "2026-05-01")
    assert second["first"] == first["last"] + 1
    for one in (first, second):
        assert run("verify", "--archive", one["file"])["root"] == one["root"]
        found = subprocess.run(
            [sys.executable, str(SCRIPT), "archive", one["file"]], capture_output=True, text=True
        )
        assert found.returncode == 0, found.stdout
        assert '"opened"' not in Path(one["file"]).read_text()
    report = run("verify", "--head", str(whole / "head.jsonl"))
    assert report["sound"]
    assert report["records"] > 350
    raw = sqlite3.connect(path)
    with pytest.raises(sqlite3.IntegrityError, match="append-only"):
        raw.execute("DELETE FROM fenland_history")
    # Records whose entries are all archived are checked like the others: changed, deleted, inserted.
    old = "SELECT id FROM watercourses WHERE id NOT IN (SELECT record_id FROM fenland_history) ORDER BY id"
    ids = [row[0] for row in raw.execute(old)]
    assert len(ids) > 2
    raw.execute("UPDATE stations SET pumps = 9 WHERE code = 'PS-014'")
    raw.execute("UPDATE watercourses SET name = 'Another' WHERE id = ?", [ids[0]])
    raw.execute(
        "INSERT INTO watercourses SELECT '0190a1b2-0000-7000-8000-000000000000', "
        + ", ".join(
            "'W-NEW'" if row[1] == "code" else row[1]
            for row in raw.execute("PRAGMA table_info(watercourses)")
            if row[1] != "id"
        )
        + " FROM watercourses LIMIT 1"
    )
    raw.commit()
    assert [one["kind"] for one in run("verify", code=1)["faults"]] == ["record"] * 3
    assert [one["kind"] for one in run("verify", "--head", str(whole / "head.jsonl"), code=1)["faults"]] == [
        "record"
    ] * 3
    # A head of a size within an archive counts, and so does a row for an archive that is not there.
    within = json.loads((whole / "head.jsonl").read_text())
    service_key = SigningKey(tmp_path / f"{DATABASE}.key")
    wrong = {"size": first["last"] - 3, "root": "ab" * 32, "time": within["time"]}
    (tmp_path / "within.jsonl").write_text(
        json.dumps({**wrong, "signed": service_key.signed(wrong), "keys": [service_key.public]})
    )
    assert "head" in {
        one["kind"] for one in run("verify", "--head", str(tmp_path / "within.jsonl"), code=1)["faults"]
    }
    elsewhere = tmp_path / "away"
    elsewhere.mkdir()
    shutil.move(first["file"], elsewhere)
    assert "archive" in {one["kind"] for one in run("verify", code=1)["faults"]}
    assert [one["kind"] for one in run("verify", "--archives", str(elsewhere), code=1)["faults"]] == [
        "record"
    ] * 3
    shutil.move(elsewhere / Path(first["file"]).name, first["file"])
    raw.execute(
        "INSERT INTO fenland_archives VALUES (99999, 99999, 'nowhere.jsonl', 'ab', '2026-01-01T00:00:00.000000Z')"
    )
    raw.commit()
    assert "archive" in {one["kind"] for one in run("verify", code=1)["faults"]}
    raw.execute("DELETE FROM fenland_archives WHERE last = 99999")
    raw.commit()
    raw.close()
    lines = Path(first["file"]).read_bytes().splitlines(keepends=True)
    Path(first["file"]).write_bytes(b"".join([*lines[:5], *lines[6:]]))
    assert "archive" in {one["kind"] for one in run("verify", code=1)["faults"]}
    run("verify", "--archive", first["file"], code=2)
    run("verify", "--archive", second["file"], "--head", str(whole / "head.jsonl"), code=2)
    definitions = kept_definitions(path)
    assert definitions is not None
    service = open_service(definitions, path)
    with service.database.reading() as reading:
        assert service.database.history.first(reading) == second["last"] + 1
        entries, _ = service.database.history.of_record(reading, "no-such", below=9, limit=1)
        assert entries == []
    service.close()


def test_a_new_key_signs_and_the_old_one_stays_known(project: Path) -> None:
    def run(*words: str) -> Any:
        return json.loads(fenland(*words, "--project", str(project), "--json").stdout)

    first = run("new-key")
    kept = project / "heads.jsonl"
    definitions = kept_definitions(project / "records.db")
    assert definitions is not None
    service = open_service(definitions, project / "records.db")
    publish(service, str(kept))
    service.close()
    second = run("new-key")
    assert first["kid"] != second["kid"]
    assert (project / "records.db.key").stat().st_mode & 0o777 == 0o600
    report = run("verify", "--head", str(kept))
    assert (report["sound"], report["heads"]) == (True, 1)


def test_heads_are_sent_to_a_place_of_the_operators_choice(project: Path) -> None:
    toml = project / "fenland.toml"
    toml.write_text(toml.read_text() + "head_minutes = 0.005\nhead_target = 'elsewhere.jsonl'\n")
    running = start("start", project, project / "log", "--workers", "2")
    try:
        with running.client((project / "token").read_text()) as http:
            http.post("/v1/records/notes", json={"slug": "one", "title": "1"}).raise_for_status()
            size = http.get("/v1/history/head").json()["size"]
            until = time.monotonic() + 60
            sizes: list[int] = []
            while size not in sizes and time.monotonic() < until:
                time.sleep(0.1)
                kept = project / "elsewhere.jsonl"
                sizes = (
                    [json.loads(line)["size"] for line in kept.read_text().splitlines()]
                    if kept.exists()
                    else []
                )
            assert size in sizes
            assert sizes == sorted(set(sizes))
    finally:
        running.stop()
    fenland("verify", "--project", str(project), "--head", str(project / "elsewhere.jsonl"))


class _Taking(BaseHTTPRequestHandler):
    """Takes what is posted, and refuses the first."""

    taken: ClassVar[list[dict[str, Any]]] = []
    refused = False

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        self.send_response(204 if type(self).refused else 503)
        if type(self).refused:
            self.taken.append(json.loads(body))
        type(self).refused = True
        self.end_headers()


def test_a_head_is_sent_to_an_address(project: Path) -> None:
    definitions = kept_definitions(project / "records.db")
    assert definitions is not None
    service = open_service(definitions, project / "records.db")
    server = HTTPServer(("127.0.0.1", 0), _Taking)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        address = f"http://127.0.0.1:{server.server_port}/heads"
        with pytest.raises(httpx.HTTPStatusError):
            publish(service, address)
        size = publish(service, address)
    finally:
        server.shutdown()
        server.server_close()
        service.close()
    [told] = _Taking.taken
    assert told["size"] == size
    (project / "head.jsonl").write_text(json.dumps(told))
    assert verify_database(project / "records.db", (project / "head.jsonl").read_text()).sound


# --- rebuilding ----------------------------------------------------------------------------------------

#: Operations sent to two processes that are killed meanwhile; the nightly run makes the full number.
OPERATIONS, KILLS = (20_000, 12) if NIGHTLY else (600, 2)


def _one(http: httpx.Client, dice: random.Random) -> httpx.Response:
    """Sends an operation of any kind."""
    slug = f"n{dice.randrange(40)}"
    here = f"/v1/records/notes/{slug}"
    fields = {
        "title": f"t{dice.randrange(9)}",
        "body": "x" * dice.randrange(50),
        "pinned": dice.random() < 0.5,
    }
    item = {"action": "update", "collection": "notes", "key": slug, "fields": fields}
    both = {"items": [item, {**item, "key": "n1"}], "atomic": dice.random() < 0.5}
    kinds: list[Callable[[], httpx.Response]] = [
        lambda: http.post("/v1/records/notes", json={**fields, "slug": slug}),
        lambda: http.patch(here, json=dict(dice.sample(sorted(fields.items()), 1))),
        lambda: http.patch(here, json=fields),
        lambda: http.delete(here),
        lambda: http.post(f"{here}/restore"),
        lambda: http.post(f"{here}/restore?version={dice.randint(1, 6)}"),
        lambda: http.post("/v1/batch", json=both),
        lambda: http.post(f"/v1/history/{dice.randint(2, 400)}/undo"),
        lambda: http.patch("/v1/records/notes?where=pinned == true", json={"body": "many"}),
        lambda: http.post("/v1/tokens", json={"label": "x"}),
        lambda: http.get("/v1/history/head"),
        lambda: http.post(f"{here}/erase", json={"fields": ["phone"], "reason": "x"}),
        lambda: http.patch(here, json={"phone": f"0{dice.randrange(10**6)}"}),
    ]
    return dice.choice(kinds)()


def _work(address: str, token: str, seed: int, stop: threading.Event, counts: list[int]) -> None:
    dice, headers = random.Random(seed), {"Authorization": f"Bearer {token}"}
    with httpx.Client(base_url=address, headers=headers, timeout=10) as http:
        while not stop.is_set() and counts[0] < OPERATIONS:
            counts[0] += 1
            try:
                answer = _one(http, dice)
            except httpx.TransportError:
                return
            assert answer.status_code < 500 or answer.status_code == 503, answer.text


def test_replaying_the_history_gives_the_tables_after_anything_at_all(project: Path) -> None:
    """Every kind of operation from two processes, which are killed in the middle of it."""
    notes = project / "collections" / "notes.yaml"
    text = notes.read_text().replace("fields:\n", "fields:\n  phone: {type: string, sensitive: true}\n", 1)
    notes.write_text(text.replace("access:\n", "access:\n  erase: [editor]\n", 1))
    fenland("migrate", str(project))
    token, counts = (project / "token").read_text(), [0]
    for round_ in range(KILLS + 1):
        running = start("start", project, project / "log", "--workers", "2")
        stop = threading.Event()
        share = OPERATIONS * (round_ + 1) // (KILLS + 1)
        threads = [
            threading.Thread(target=_work, args=(running.address, token, round_ * 10 + n, stop, counts))
            for n in range(6)
        ]
        for one in threads:
            one.start()
        while counts[0] < share and any(one.is_alive() for one in threads):
            time.sleep(0.02)
        if round_ < KILLS:
            running.kill()
        stop.set()
        for one in threads:
            one.join()
        if round_ == KILLS:
            running.stop()
        report = verify_database(project / "records.db")
        assert report.faults == []
    assert report.entries > OPERATIONS // 4
