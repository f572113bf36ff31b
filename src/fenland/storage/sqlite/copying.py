"""Copies of a database, made while it is used, and what tells a whole one from a damaged or a foreign one."""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path

from fenland.core.names import NAME
from fenland.storage.shared.engines import Look
from fenland.storage.shared.tables import LAYOUT, OWN
from fenland.storage.shared.values import Copied, DatabaseRefused, Progress
from fenland.storage.sqlite.engine import quoted

#: How large a part is copied between two calls of `copied`, in pages: some megabytes.
_PAGES = 2_000


def copy_database(source: Path, target: Path, copied: Callable[[int, int], None]) -> None:
    """Copies a database as it is at one moment, log and all, into a file that must not be there.

    `copied` is told the pages done and in all. Others read and write meanwhile. Raises `DatabaseRefused`.
    """
    part = target.with_name(target.name + ".part")
    if target.exists():
        raise DatabaseRefused(f"{target} is there already, and nothing is written over. Name another file.")
    try:
        part.unlink(missing_ok=True)
        os.close(os.open(part, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600))
        with closing(sqlite3.connect(f"file:{quoted(source)}?mode=ro", uri=True)) as one:
            # One moment throughout: what others commit meanwhile would make it begin anew, for ever.
            one.execute("BEGIN")
            one.execute("SELECT count(*) FROM sqlite_master").fetchone()
            with closing(sqlite3.connect(part)) as other:
                one.backup(other, pages=_PAGES, progress=lambda _, left, whole: copied(whole - left, whole))
                other.execute("PRAGMA journal_mode=DELETE")
        _sync(part)
        os.link(part, target)
        part.unlink()
        _sync(target.parent)
    except (sqlite3.Error, OSError) as error:
        with suppress(OSError):
            part.unlink(missing_ok=True)
        words = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        raise DatabaseRefused(f"{target} cannot be written: {words}.") from None


def back_up(source: Path, target: Path, progress: Progress) -> Copied:
    """Copies a database and looks through the copy. Raises `DatabaseRefused`, and leaves nothing then."""
    if not source.is_file():
        raise DatabaseRefused(f"There is no database at {source}.")
    copy_database(source, target, lambda done, whole: progress.report("copying", done, whole))
    try:
        return examine(target, progress)
    except DatabaseRefused:
        target.unlink(missing_ok=True)
        raise


def put_back(
    source: Path, path: Path, *, replace: bool, progress: Progress, look: Look
) -> tuple[Copied, Path | None]:
    """Puts a backup in a database's place; gives what it holds, and where what was there is now.

    `look` may look further into one that is of the layout of today. Raises `DatabaseRefused` for a file that
    is damaged or not ours, and where a database is there that is not to be replaced.
    """
    found = examine(source, progress)
    if found.layout == LAYOUT:
        look(source)
    if path.exists() and not replace:
        raise DatabaseRefused(f"A database is at {path}. It is moved aside only where that is asked for.")
    part = path.with_name(path.name + ".part")
    try:
        shutil.copyfile(source, part)
        part.chmod(0o600)
        _sync(part)
        aside = _moved_aside(path) if path.exists() else None
        part.replace(path)
        _sync(path.parent)
    except OSError as error:
        with suppress(OSError):
            part.unlink(missing_ok=True)
        raise DatabaseRefused(f"{path} cannot be written: {error.strerror}.") from None
    return found, aside


def _moved_aside(path: Path) -> Path:
    for count in range(1, 1000):
        aside = path.with_name(f"{path.stem}.replaced-{count}{path.suffix}")
        if not aside.exists():
            break
    # With its log, or what stands there alone would be lost.
    for suffix in ("-wal", "-shm", ""):
        beside = path.with_name(path.name + suffix)
        if beside.exists():
            beside.rename(aside.with_name(aside.name + suffix))
    return aside


# --- looking through a copy --------------------------------------------------------------------------

#: The layout from which entries may be in archives.
_ARCHIVES = 6
#: Records whose version is not that of their last entry, or that have none.
_ASTRAY = """
SELECT count(*) FROM "{name}" AS r WHERE (NOT EXISTS (
  SELECT 1 FROM fenland_history AS h
  WHERE h.record_id = r.id AND h.version = r.version AND h.action != 'delete'
) {archived}) OR EXISTS (
  SELECT 1 FROM fenland_history AS h WHERE h.record_id = r.id AND h.version > r.version
)
"""
_COUNT = 'SELECT count(*) FROM "{name}"'
_TABLES = "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite%'"


def examine(path: Path, progress: Progress) -> Copied:
    """What a copy holds, once it was seen to be whole and ours. Raises `DatabaseRefused`."""
    if not path.is_file():
        raise DatabaseRefused(f"There is no file {path}.")
    log = path.with_name(path.name + "-wal")
    if log.exists() and log.stat().st_size:
        raise DatabaseRefused(f"{path} is no backup: its log {log.name} lies beside it. Is it in use?")
    progress.report("checking", 0, 3)
    with (
        _refusing(path),
        closing(sqlite3.connect(f"file:{quoted(path)}?mode=ro&immutable=1", uri=True)) as one,
    ):
        layout = _layout(one, path)
        if over := path.stat().st_size % one.execute("PRAGMA page_size").fetchone()[0]:
            raise DatabaseRefused(f"{path} is damaged: its last page is cut off after {over} bytes.")
        problems = one.execute("PRAGMA integrity_check(3)").fetchall()
        if problems != [("ok",)]:
            raise DatabaseRefused(f"{path} is damaged: {problems[0][0]}.")
        progress.report("checking", 1, 3)
        if one.execute("PRAGMA foreign_key_check").fetchone() is not None:
            raise DatabaseRefused(f"{path} is damaged: references in it lead nowhere.")
        progress.report("checking", 2, 3)
        entries = _entries(one, path)
        records = 0
        # The newest entry of a record may be in an archive.
        archived = "AND FALSE" if layout >= _ARCHIVES and _has_archives(one) else ""
        for name in _collections(one):
            records += one.execute(_COUNT.format(name=name)).fetchone()[0]
            if one.execute(_ASTRAY.format(name=name, archived=archived)).fetchone()[0]:
                raise DatabaseRefused(f"{path} is damaged: records of {name} are not as their history ends.")
        number = one.execute("PRAGMA user_version").fetchone()[0]
    progress.report("checking", 3, 3)
    return Copied(records, entries, number, layout, path.stat().st_size)


def _has_archives(one: sqlite3.Connection) -> bool:
    return one.execute("SELECT 1 FROM fenland_archives").fetchone() is not None


def _layout(one: sqlite3.Connection, path: Path) -> int:
    row = one.execute("SELECT value FROM fenland_meta WHERE name = 'layout'").fetchone()
    layout = None
    with suppress(ValueError):
        layout = json.loads(str(row[0])) if row is not None else None
    if not isinstance(layout, int):
        raise DatabaseRefused(f"{path} is damaged: its layout cannot be read.")
    if layout > LAYOUT:
        raise DatabaseRefused(f"{path} is of a newer version (layout {layout}). Install that one.")
    return layout


def _entries(one: sqlite3.Connection, path: Path) -> int:
    count, first, last = one.execute(
        "SELECT count(*), coalesce(min(sequence), 1), coalesce(max(sequence), 0) FROM fenland_history"
    ).fetchone()
    if count != last - first + 1:
        raise DatabaseRefused(f"{path} is damaged: {last - first + 1 - count} entries are missing.")
    return int(count)


def _collections(one: sqlite3.Connection) -> list[str]:
    """The tables of records: those that are not the service's own and have what it keeps on each."""
    found = (row[0] for row in one.execute(_TABLES))
    names = [name for name in found if NAME.fullmatch(name) and not name.startswith(OWN)]
    kept = {"id", "version", "updated_by"}
    return [name for name in names if kept <= {row[1] for row in one.execute(f'PRAGMA table_info("{name}")')}]


@contextmanager
def _refusing(path: Path) -> Iterator[None]:
    try:
        yield
    except sqlite3.DatabaseError as error:
        if "no such table" in str(error):
            raise DatabaseRefused(f"{path} is no database of this service.") from None
        raise DatabaseRefused(f"{path} is damaged, or no database: {error}.") from None


def _sync(path: Path) -> None:
    file = os.open(path, os.O_RDONLY)
    try:
        os.fsync(file)
    finally:
        os.close(file)
