"""Backups on a schedule: one process at a time makes one when it is due, and the oldest make room."""

from __future__ import annotations

import fcntl
import os
from datetime import UTC, datetime, timedelta
from pathlib import Path

import structlog

from fenland.service.settings import Settings
from fenland.service.upkeep.copies import backups_of
from fenland.storage.door import DatabaseRefused, back_up

_STAMP = "%Y%m%dT%H%M%SZ"

log = structlog.get_logger()


def is_due(settings: Settings, now: datetime) -> bool:
    """Whether the newest one is older than it may be."""
    if not settings.backup_hours:
        return False
    made = backups_of(settings)
    if not made:
        return True
    stamp = made[-1].stem.rpartition("-")[2]
    newest = datetime.strptime(stamp, _STAMP).replace(tzinfo=UTC)
    return now - newest >= timedelta(hours=settings.backup_hours)


def make_due(settings: Settings, now: datetime) -> Path | None:
    """Makes a backup if one is due and nobody else is at it; then removes those beyond the number to keep.

    What goes wrong is logged: the service goes on without.
    """
    if not is_due(settings, now):
        return None
    try:
        settings.backup_folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        lock = os.open(settings.backup_folder / ".lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    except OSError as error:
        log.error("backup failed", folder=str(settings.backup_folder), why=error.strerror)
        return None
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        # Another process may have made it meanwhile.
        return _made(settings, now) if is_due(settings, now) else None
    except BlockingIOError:
        return None
    finally:
        os.close(lock)


def _made(settings: Settings, now: datetime) -> Path | None:
    target = settings.backup_folder / f"{settings.database.stem}-{now.strftime(_STAMP)}.db"
    try:
        found = back_up(settings.database, target)
        for old in backups_of(settings)[: -settings.backup_keep]:
            old.unlink()
    except (DatabaseRefused, OSError) as error:
        log.error("backup failed", file=str(target), why=str(error))
        return None
    log.info("backup made", file=str(target), records=found.records, entries=found.entries)
    return target
