"""The door: all that the rooms above may know of storage. What it promises, and how it is opened."""

from __future__ import annotations

from pathlib import Path

from fenland.core.definitions import Definitions
from fenland.core.field_access import Record
from fenland.core.limits import DEFAULTS, Limits
from fenland.storage.protocols import (
    MOST_TOGETHER,
    Account,
    Accounts,
    Admission,
    Counted,
    Database,
    DatabaseRefused,
    History,
    Kept,
    Order,
    Outcomes,
    Page,
    Reading,
    Records,
    ReferenceBroken,
    Together,
    Token,
    ValueTaken,
    VersionRace,
    Writing,
)
from fenland.storage.sqlite.database import open_sqlite
from fenland.storage.sqlite.engine import fold as fold_sqlite
from fenland.storage.turn import Turn, WouldWait

__all__ = [
    "MOST_TOGETHER",
    "Account",
    "Accounts",
    "Admission",
    "Counted",
    "Database",
    "DatabaseRefused",
    "History",
    "Kept",
    "Order",
    "Outcomes",
    "Page",
    "Reading",
    "Record",
    "Records",
    "ReferenceBroken",
    "Together",
    "Token",
    "Turn",
    "ValueTaken",
    "VersionRace",
    "WouldWait",
    "Writing",
    "fold",
    "open_database",
]


def open_database(path: Path, definitions: Definitions, limits: Limits = DEFAULTS) -> Database:
    """Opens the database at `path`, creating what is not there yet.

    Raises `DatabaseRefused` when it cannot be read or written, is of a newer layout, or holds tables that
    differ from the definitions.
    """
    return open_sqlite(path, definitions, limits)


def fold(path: Path) -> None:
    """Leaves the database at `path` so that a plain copy of that file is whole.

    To be called when every process has let go of it; while one has not, nothing happens.
    """
    fold_sqlite(path)
