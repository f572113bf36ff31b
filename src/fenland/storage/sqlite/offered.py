"""What the door reaches of this folder; see `Offered`."""

from __future__ import annotations

from pathlib import Path

from fenland.storage.sqlite.auditing import audited
from fenland.storage.sqlite.copying import back_up, put_back
from fenland.storage.sqlite.database import open_database
from fenland.storage.sqlite.engine import checkpoint
from fenland.storage.sqlite.migrating import kept_definitions, migrate, plan_migration

__all__ = [
    "audited",
    "back_up",
    "beside",
    "checkpoint",
    "kept_definitions",
    "migrate",
    "open_database",
    "plan_migration",
    "put_back",
    "remove_database",
]


def remove_database(path: Path) -> None:
    """See `Offered`."""
    beside_it = ("-wal", "-shm", ".lock", ".counts", ".present", ".requests", ".requests-notes")
    for ending in ("", *beside_it):
        beside(path, ending).unlink(missing_ok=True)


def beside(path: Path, ending: str) -> Path:
    """See `Offered`: in the folder of the database, under its name with an ending."""
    return path.with_name(path.name + ending)
