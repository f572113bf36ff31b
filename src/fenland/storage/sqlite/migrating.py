"""Migrating one SQLite database: looked at first, copied, then carried out in one transaction.

References are not kept while tables are made anew (SQLite cannot, within a transaction); that they all lead
somewhere is seen before the commit. Whoever writes meanwhile waits, and then finds that the definitions are
not theirs any more.
"""

from __future__ import annotations

import fcntl
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import Connection, func, select
from sqlalchemy.exc import DBAPIError

from fenland.core.consequences.network import Network
from fenland.core.definitions.model import Definitions
from fenland.core.evolving.comparing import Comparison
from fenland.core.values.plain import same
from fenland.storage.shared.evolving.definitions import Through, all_defined, define
from fenland.storage.shared.evolving.layouts import (
    KEEPS_DEFINITIONS,
    WITHOUT_SALTS,
    add_own_columns,
    bring_over,
    enter_accounts,
    note_unsalted,
)
from fenland.storage.shared.evolving.migrating import (
    MOVED,
    carry_out,
    moved_by,
    operations_on,
    remakings_of,
    sql_of,
)
from fenland.storage.shared.evolving.obstacles import Obstacles
from fenland.storage.shared.evolving.preparing import (
    compared,
    known_of,
    layout_of,
    make_missing,
    read_kept,
    refuse_foreign,
)
from fenland.storage.shared.evolving.rederiving import Stored, rederive
from fenland.storage.shared.records.records import TableRecords
from fenland.storage.shared.records.series import rename_series
from fenland.storage.shared.tables import LAYOUT, Tables
from fenland.storage.shared.values import DatabaseRefused, Defined, Made, Migration, Page, Progress
from fenland.storage.sqlite import engine as sqlite
from fenland.storage.sqlite.copying import copy_database
from fenland.storage.sqlite.known import Mark
from fenland.storage.sqlite.older_history import refill, set_aside

_NONE_YET = "There is no database yet. The first start makes it, and nothing is to migrate."


def kept_definitions(path: Path) -> Definitions | None:
    """See `kept_definitions` of the door."""
    if not path.is_file():
        return None
    tables = Tables(Definitions({}))
    with _opened(path, "BEGIN") as connection:
        if layout_of(connection, tables) != LAYOUT:
            return None
        return read_kept(all_defined(connection, tables)[-1])


def plan_migration(path: Path, definitions: Definitions, progress: Progress) -> Migration:
    """See `plan_migration` of the door."""
    with _opened(path, "BEGIN") as connection:
        return _plan(connection, definitions, progress)[0]


def migrate(
    path: Path,
    definitions: Definitions,
    made: Made,
    agreed: Callable[[Migration], None],
    progress: Progress,
) -> tuple[Migration, Path | None]:
    """See `migrate` of the door."""
    with _locked(path), _opened(path, "BEGIN IMMEDIATE") as connection:
        plan, comparison, before = _plan(connection, definitions, progress)
        agreed(plan)
        if not plan.needed:
            return plan, None
        copy = _free_name(path, plan.number)
        copy_database(path, copy, lambda done, whole: progress.report("copying", done, whole))
        tables = Tables(definitions)
        if plan.layout is not None:
            _bring_over(connection, tables, plan, made, (before, progress))
        else:
            _carry_out(connection, tables, comparison, before, progress)
        if _as_kept(plan, before):
            defined = before[-1]
        else:
            defined = define(_through(connection), tables, before, comparison, made)
        sqlite.number(connection, defined.number)
        _see_references(connection)
        mark = Mark(path.with_name(path.name + ".lock"))
        try:
            if defined.moved:
                # Before the commit: whoever sees its data sees this as well.
                mark.number = defined.number
            connection.commit()
        finally:
            mark.close()
    sqlite.checkpoint(path)
    return plan, copy


def _through(connection: Connection) -> Through:
    return Through(connection, sqlite.ENGINE)


def _as_kept(plan: Migration, before: list[Defined]) -> bool:
    """Whether a database that is brought over has kept its definitions already."""
    if plan.layout == WITHOUT_SALTS:
        # That it is brought over gets an entry: it has the first salt, and is above all that came before.
        return False
    return plan.layout is not None and bool(before)


def _bring_over(
    connection: Connection, tables: Tables, plan: Migration, made: Made, was: tuple[list[Defined], Progress]
) -> None:
    layout, (before, progress) = plan.layout or 0, was
    if layout == WITHOUT_SALTS:
        make_missing(connection, tables, sqlite.ENGINE)
        last = connection.execute(select(func.max(tables.history.c.sequence))).scalar() or 0
        note_unsalted(connection, tables, last)
    elif layout < WITHOUT_SALTS:
        if layout < KEEPS_DEFINITIONS:
            bring_over(connection, tables, known_of(connection, tables))
        set_aside(connection)
        make_missing(connection, tables, sqlite.ENGINE)
        told = progress.report
        refill(_through(connection), tables, before, lambda done, whole: told("entries", done, whole))
    else:
        make_missing(connection, tables, sqlite.ENGINE)
    add_own_columns(connection, tables)
    enter_accounts(_through(connection), tables, made)
    connection.execute(tables.meta.update().where(tables.meta.c.name == "layout").values(value=LAYOUT))


def _plan(
    connection: Connection, definitions: Definitions, progress: Progress
) -> tuple[Migration, Comparison, list[Defined]]:
    tables = Tables(definitions)
    layout = layout_of(connection, tables)
    if layout is None:
        raise DatabaseRefused(_NONE_YET)
    if layout < LAYOUT:
        step = f"The database is brought over from layout {layout} to {LAYOUT}; its records stay as they are."
        before = all_defined(connection, tables) if layout >= KEEPS_DEFINITIONS else []
        if before and not same(before[-1].data, dict(definitions.data)):
            raise DatabaseRefused(
                f"The database is of an older version (layout {layout}), and under other definitions than "
                "these. Bring it over with the definitions it is under, then change them."
            )
        return Migration(before[-1].number if before else 1, (step,), layout=layout), Comparison(), before
    before = all_defined(connection, tables)
    comparison = compared(before, definitions)
    number = before[-1].number
    if not comparison.steps:
        return Migration(number), comparison, before
    refuse_foreign(connection, comparison)
    older = before[-1].read()
    old = Tables(older)
    engine = sqlite.ENGINE
    stores = {name: TableRecords(one, old.records[name], engine) for name, one in older.collections.items()}
    looking = Obstacles(sqlite.driver_of(connection), stores, comparison)
    whole, done = looking.count(), 0

    def looked(number: int) -> None:
        nonlocal done
        done += number
        progress.report("looking", done, whole)

    plan = Migration(
        number + 1,
        tuple(step.sentence for step in comparison.steps),
        losses={place: looking.lost(place) for place in comparison.losses},
        obstacles=tuple(looking.all(looked)),
        impossible=comparison.impossible,
        sql=sql_of(connection.dialect, lambda operations: carry_out(operations, comparison, old, tables)),
        free=comparison.free,
    )
    return plan, comparison, before


def _carry_out(
    connection: Connection,
    new: Tables,
    comparison: Comparison,
    before: list[Defined],
    progress: Progress,
) -> None:
    old = Tables(before[-1].read())
    remakings = remakings_of(comparison, old, new)
    driver = sqlite.driver_of(connection)
    driver.create_function(MOVED, -1, moved_by(remakings, connection.dialect))
    moved = 0

    def done() -> None:
        nonlocal moved
        moved += 1
        progress.report("moving", moved, len(remakings))

    carry_out(operations_on(connection), comparison, old, new, done)
    rename_series(connection, new, comparison)
    if comparison.rederives:
        engine, definitions = sqlite.ENGINE, new.project
        collections = definitions.collections
        stores = {name: TableRecords(one, new.records[name], engine) for name, one in collections.items()}
        found = Stored(driver, collections, stores)
        whole = sum(stores[one.name].count(driver, Page()) for one, _ in Network(definitions).passes)
        rederive(driver, new, found, engine, lambda done: progress.report("deriving", done, whole))


def _see_references(connection: Connection) -> None:
    broken = connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall()
    if broken:
        where = ", ".join(sorted({str(row[0]) for row in broken}))
        raise DatabaseRefused(
            f"{len(broken)} references of {where} would lead nowhere, so nothing was changed."
        )


def _free_name(path: Path, number: int) -> Path:
    stem = f"{path.stem}.before-{number}"
    for count in range(1, 1000):
        found = path.with_name(f"{stem}{f'-{count}' if count > 1 else ''}{path.suffix}")
        if not found.exists():
            return found
    raise DatabaseRefused(f"There are too many copies called {stem}. Move some of them away.")


@contextmanager
def _locked(path: Path) -> Iterator[None]:
    """Whoever writes waits meanwhile; see `Writer`."""
    if not path.is_file():
        raise DatabaseRefused(_NONE_YET)
    file = os.open(path.with_name(path.name + ".lock"), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(file, fcntl.LOCK_EX)
        yield
    finally:
        os.close(file)


@contextmanager
def _opened(path: Path, begin: str) -> Iterator[Connection]:
    """A connection in a transaction that is not kept unless its holder commits."""
    if not path.is_file():
        raise DatabaseRefused(_NONE_YET)
    engine = sqlite.make_engine(path)
    try:
        with engine.connect() as connection:
            connection.exec_driver_sql("PRAGMA foreign_keys=OFF")
            connection.exec_driver_sql(begin)
            try:
                yield connection
            except BaseException:
                connection.rollback()
                raise
            finally:
                if sqlite.driver_of(connection).in_transaction:
                    connection.exec_driver_sql("ROLLBACK")
    except DBAPIError as error:
        raise DatabaseRefused(f"The database {path} cannot be migrated: {error.orig}.") from None
    finally:
        engine.dispose()
