"""The files that hold a database as it was: copies that migrations made, and backups on the schedule.

What is erased from the database is in them still, until they make room for newer ones or are removed by hand.
"""

from __future__ import annotations

import re
from pathlib import Path

from fenland.service.settings import Settings


def before_migrations(settings: Settings) -> list[Path]:
    """The copies that migrations have made of a project's database, oldest first; none that people named."""
    path = settings.database
    if not path.parent.is_dir():
        return []
    named = re.compile(re.escape(f"{path.stem}.before-") + r"\d+(-\d+)?" + re.escape(path.suffix))
    found = [one for one in path.parent.iterdir() if named.fullmatch(one.name)]
    return sorted(found, key=lambda one: one.stat().st_mtime_ns)


def backups_of(settings: Settings) -> list[Path]:
    """The backups that a schedule has made, oldest first: their names tell when."""
    stem = settings.database.stem
    return sorted(settings.backup_folder.glob(f"{stem}-????????T??????Z.db"))


def names_of(settings: Settings) -> list[str]:
    """The names of all of them, without their folders: whoever erases something need not know those."""
    return [one.name for one in (*before_migrations(settings), *backups_of(settings))]
