"""Copies of a database, made while it is used, and what tells a whole one from a damaged or a foreign one."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

from fenland.storage.protocols import DatabaseRefused

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
        with closing(sqlite3.connect(f"file:{_quoted(source)}?mode=ro", uri=True)) as one:
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
        part.unlink(missing_ok=True)
        words = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        raise DatabaseRefused(f"{target} cannot be written: {words}.") from None


def _quoted(path: Path) -> str:
    return str(path.resolve()).replace("%", "%25").replace("?", "%3f").replace("#", "%23")


def _sync(path: Path) -> None:
    file = os.open(path, os.O_RDONLY)
    try:
        os.fsync(file)
    finally:
        os.close(file)
