"""Storage: what the database itself guarantees, shared commits, and clean refusals to open."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from decimal import Decimal
from pathlib import Path

import pytest

from fenland.core.problems import Unavailable
from fenland.core.reading import definitions_from
from fenland.service.service import Service
from fenland.storage.database import DatabaseRefused, open_database
from fenland.storage.sqlite import make_engine, writing_connection
from fenland.storage.writer import Writer

NOTES = {"notes": {"fields": {"text": {"type": "string"}}}}


def test_history_can_only_grow(service: Service) -> None:
    def spoil(text: str) -> None:
        service.database.write(lambda connection: connection.execute(text))

    service.database.write(
        lambda connection: connection.execute(
            "INSERT INTO fenland_history (time, collection, record_id, key, version, action, actor, via, request_id, "
            "changes) VALUES ('', 'x', 'y', '1', 1, 'create', 'olga', 'api', '', '{}')"
        )
    )
    with pytest.raises(sqlite3.IntegrityError, match="append-only"):
        spoil("UPDATE fenland_history SET actor = 'carl'")
    with pytest.raises(sqlite3.IntegrityError, match="append-only"):
        spoil("DELETE FROM fenland_history")


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


def test_a_decimal_goes_in_and_out_exactly(service: Service) -> None:
    codec = service.resources["tools"].records.codec
    for number in (Decimal("0.01"), Decimal("-92233720368547758.08"), Decimal("1.10")):
        kept = codec.encode("weight", number)
        assert isinstance(kept, int)
        row = [kept if name == "weight" else None for name in codec.columns]
        assert str(codec.record(row)["weight"]) == str(number)


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
    with pytest.raises(
        DatabaseRefused, match="field more is new; field text holds texts, and would hold whole numbers"
    ):
        open_database(path, definitions_from(changed))
    raw = sqlite3.connect(path)
    raw.execute("UPDATE fenland_meta SET value = '99' WHERE name = 'layout'")
    raw.execute("CREATE TABLE strangers (a)")
    raw.commit()
    with pytest.raises(DatabaseRefused, match="newer version"):
        open_database(path, definitions_from(NOTES))
    raw.execute("UPDATE fenland_meta SET value = '2' WHERE name = 'layout'")
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
