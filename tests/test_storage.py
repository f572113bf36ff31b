"""Storage: what the database itself guarantees, shared commits, and clean refusals to open."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from decimal import Decimal
from pathlib import Path

import httpx
import pytest
from sqlalchemy import create_engine

from commands import fenland
from fenland.core.definitions.reading import definitions_from
from fenland.core.problems import Unavailable
from fenland.service.service import Service
from fenland.storage.door import DatabaseRefused, open_database
from fenland.storage.shared import turn
from fenland.storage.shared.column_types import ExactDecimal, from_column, to_column
from fenland.storage.shared.tables import LAYOUT
from fenland.storage.sqlite.engine import make_engine, writing_connection
from fenland.storage.sqlite.writer import Writer
from support import new_project

NOTES = {"notes": {"fields": {"text": {"type": "string"}}}}


def test_other_tools_can_read_the_tables(tmp_path: Path, service: Service) -> None:
    raw = sqlite3.connect(tmp_path / "workshop.db")
    columns = {row[1]: (row[2], row[3]) for row in raw.execute("PRAGMA table_info(tools)")}
    assert columns["weight"] == ("BIGINT", 0)
    assert columns["sharp"] == ("BOOLEAN", 1)
    assert columns["bought_on"] == ("DATE", 0)
    assert columns["name"] == ("VARCHAR(40)", 1)
    assert {row[2] for row in raw.execute("PRAGMA foreign_key_list(tools)")} == {"benches"}
    assert raw.execute("PRAGMA journal_mode").fetchone() == ("wal",)
    with service.database.reading() as connection:
        assert connection.execute("PRAGMA synchronous").fetchone() == (2,)
        assert connection.execute("PRAGMA foreign_keys").fetchone() == (1,)
    raw.close()


def test_a_decimal_goes_in_and_out_exactly() -> None:
    kind, dialect = ExactDecimal(2), create_engine("sqlite://").dialect
    into, out_of = to_column(kind, dialect), from_column(kind, dialect)
    assert into is not None and out_of is not None
    for number in (Decimal("0.01"), Decimal("-92233720368547758.08"), Decimal("1.10")):
        kept = into(number)
        assert isinstance(kept, int)
        assert str(out_of(kept)) == str(number)


@pytest.fixture
def writer(tmp_path: Path) -> Writer:
    engine = make_engine(tmp_path / "w.db", writing=True)
    found = Writer(lambda: writing_connection(engine), tmp_path / "w.lock", longest_queue=40)
    found.run(lambda connection: connection.execute("CREATE TABLE t (n INTEGER UNIQUE)"))
    return found


@contextmanager
def held(writer: Writer, until_waiting: int) -> Iterator[None]:
    """Keeps the lead while the body starts threads, until that many wait; they then share one commit."""
    gate, leading = threading.Event(), threading.Event()

    def hold(connection: sqlite3.Connection) -> None:
        leading.set()
        gate.wait(10)

    holder = threading.Thread(target=writer.run, args=(hold,))
    holder.start()
    assert leading.wait(10)
    yield
    for _ in range(5000):
        if len(writer._waiting) >= until_waiting:
            break
        gate.wait(0.001)
    gate.set()
    holder.join(10)


@pytest.mark.parametrize("written_first", [True, False])
def test_a_failing_piece_of_work_does_not_touch_its_neighbours(writer: Writer, written_first: bool) -> None:
    outcomes: dict[int, object] = {}

    def attempt(number: int) -> None:
        def work(connection: sqlite3.Connection) -> int:
            if number % 3 == 0 and not written_first:
                raise ValueError(number)
            connection.execute("INSERT INTO t VALUES (?)", (number,))
            if number % 3 == 0:
                raise ValueError(number)
            connection.execute("INSERT INTO t VALUES (?)", (-number // 2 * 2,))
            return number

        try:
            outcomes[number] = writer.run(work)
        except Exception as error:
            outcomes[number] = type(error).__name__

    threads = [threading.Thread(target=attempt, args=(number,)) for number in range(1, 31)]
    with held(writer, 30):
        for thread in threads:
            thread.start()
    for thread in threads:
        thread.join(10)
    kept = {row[0] for row in writer.run(lambda connection: connection.execute("SELECT n FROM t").fetchall())}
    done = {number for number, outcome in outcomes.items() if outcome == number}
    assert {number for number in kept if number > 0} == done
    assert {number for number, outcome in outcomes.items() if outcome == "ValueError"} == set(range(3, 31, 3))
    assert len(outcomes) == 30
    assert set(map(type, outcomes.values())) == {int, str}


def test_a_lost_transaction_is_redone_piece_by_piece(writer: Writer) -> None:
    results: list[int | None] = []

    def work(number: int) -> None:
        def insert(connection: sqlite3.Connection) -> int:
            connection.execute("INSERT INTO t VALUES (?)", (number,))
            if number == 3 and not results:
                connection.execute("ROLLBACK")
                raise sqlite3.OperationalError("the transaction is gone")
            return number

        try:
            results.append(writer.run(insert))
        except sqlite3.OperationalError:
            results.append(None)

    threads = [threading.Thread(target=work, args=(number,)) for number in range(5)]
    with held(writer, 5):
        for thread in threads:
            thread.start()
    for thread in threads:
        thread.join(10)
    kept = {row[0] for row in writer.run(lambda connection: connection.execute("SELECT n FROM t").fetchall())}
    assert kept == {number for number in results if number is not None}
    assert {0, 1, 2, 4} <= kept


def test_too_long_a_queue_is_refused(writer: Writer) -> None:
    threads = [threading.Thread(target=writer.run, args=(lambda connection: None,)) for _ in range(40)]
    with held(writer, 40):
        for thread in threads:
            thread.start()
        for _ in range(5000):
            if len(writer._waiting) == 40:
                break
            threading.Event().wait(0.001)
        with pytest.raises(Unavailable):
            writer.run(lambda connection: None)
    for thread in threads:
        thread.join(10)


def test_databases_that_do_not_fit_are_refused_with_a_reason(tmp_path: Path) -> None:
    path = tmp_path / "notes.db"
    open_database(path, definitions_from(NOTES)).close()
    open_database(path, definitions_from(NOTES)).close()
    changed = {"notes": {"fields": {"text": {"type": "integer"}, "more": {"type": "string"}}}}
    with pytest.raises(DatabaseRefused, match=r"notes\.text holds texts, and will hold whole numbers"):
        open_database(path, definitions_from(changed))
    raw = sqlite3.connect(path)
    raw.execute("UPDATE fenland_meta SET value = '99' WHERE name = 'layout'")
    raw.execute("CREATE TABLE strangers (a)")
    raw.commit()
    with pytest.raises(DatabaseRefused, match="newer version"):
        open_database(path, definitions_from(NOTES))
    raw.execute("UPDATE fenland_meta SET value = ? WHERE name = 'layout'", (str(LAYOUT),))
    raw.commit()
    raw.close()
    with pytest.raises(DatabaseRefused, match="did not make"):
        open_database(path, definitions_from(NOTES | {"strangers": NOTES["notes"]}))
    with pytest.raises(DatabaseRefused, match="cannot be opened"):
        open_database(tmp_path / "nowhere" / "notes.db", definitions_from(NOTES))
    broken = tmp_path / "broken.db"
    broken.write_bytes(b"this is no database at all" * 99)
    with pytest.raises(DatabaseRefused, match="cannot be opened"):
        open_database(broken, definitions_from(NOTES))


def test_a_full_disk_is_told_and_nothing_is_half_written(http: httpx.Client, service: Service) -> None:
    http.post("/v1/records/tools", json={"code": "A1", "name": "Saw"}).raise_for_status()
    pages = service.database.write(lambda connection: connection.execute("PRAGMA page_count").fetchone()[0])
    service.database.write(lambda connection: connection.execute(f"PRAGMA max_page_count={pages}"))
    statuses = [
        http.patch("/v1/records/tools/A1", json={"note": f"{number:050}"}).status_code for number in range(99)
    ]
    assert set(statuses) == {200, 507}
    assert statuses[-1] == 507
    full = http.patch("/v1/records/tools/A1", json={"note": f"{99:050}"})
    assert (full.headers["Retry-After"], full.json()["type"]) == ("1", "/problems/storage-full")
    version = http.get("/v1/records/tools/A1").json()["version"]
    assert version == 1 + statuses.count(200)
    entries = http.get("/v1/records/tools/A1/history", params={"limit": 200}).json()["items"]
    assert [one["version"] for one in entries] == list(range(version, 0, -1))
    service.database.write(lambda connection: connection.execute("PRAGMA max_page_count=100000"))
    assert http.patch("/v1/records/tools/A1", json={"note": "x"}).json()["version"] == version + 1


def test_long_work_rests_as_long_as_it_worked_and_short_work_not_at_all(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    clock, rests = [100.0], list[float]()

    def sleep(seconds: float) -> None:
        rests.append(round(seconds, 6))
        clock[0] += seconds

    monkeypatch.setattr(turn.time, "monotonic", lambda: clock[0])
    monkeypatch.setattr(turn.time, "sleep", sleep)
    mine = turn.Turn()
    for step in (0, 0.002, 0.002, 0.002, 0.002, 0.001, 30, 0.002, 5, 0.04):
        clock[0] += step
        mine.rest()
    # After a pause it is other work that asks, which has only begun; and no rest is endless.
    assert rests == [0.004, 0.004, 0.02]


@pytest.mark.parametrize("address", ["postgresql://h/db", "mysql+x://h/db"])
def test_an_address_that_no_engine_serves_is_refused_and_no_file_made(tmp_path: Path, address: str) -> None:
    with pytest.raises(DatabaseRefused, match="name a file"):
        open_database(Path(address), definitions_from({}))
    folder = new_project(tmp_path / "notes")
    before = sorted(folder.rglob("*"))
    (folder / "fenland.toml").write_text(f'database = "{address}"\n')
    refused = fenland("check", str(folder), code=None)
    assert (refused.returncode, "name a file" in refused.stderr) == (9, True), refused
    assert sorted(folder.rglob("*")) == before
