"""The door: all that the rooms above may know of storage. What it promises, and how it is opened."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager
from datetime import UTC, datetime
from pathlib import Path

from fenland.core.definitions.model import Definitions
from fenland.core.limits import DEFAULTS, Limits
from fenland.core.values.identity import timestamp
from fenland.storage.shared.engines import Look, Offered
from fenland.storage.shared.growth import Growth
from fenland.storage.shared.handed_out import (
    FieldState,
    Pass,
    PassesWanted,
    Proposal,
    ProposalKind,
    ProposalState,
    ProposalsWanted,
    ProposedField,
)
from fenland.storage.shared.inspector import MOST_NOTED, NOTE_ROOM
from fenland.storage.shared.protocols import (
    MOST_TOGETHER,
    Accounts,
    Database,
    Heads,
    History,
    Outcomes,
    Reading,
    Records,
    Together,
    Writing,
)
from fenland.storage.shared.turn import Turn, WouldHoldUp, WouldWait, in_a_hurry
from fenland.storage.shared.values import (
    QUIET,
    Account,
    Admission,
    Archive,
    Attempt,
    Candidates,
    Copied,
    Counted,
    DatabaseRefused,
    Defined,
    Delivery,
    DeliveryState,
    Head,
    Inspection,
    Kept,
    Last,
    Made,
    Mark,
    Migration,
    Noted,
    Noticed,
    Obstacle,
    Order,
    Page,
    Present,
    Progress,
    ReferenceBroken,
    Secret,
    Subscription,
    Token,
    ValueTaken,
    VersionRace,
)
from fenland.storage.sqlite import offered as sqlite
from fenland.storage.sqlite.auditing import Audited, Unreadable

__all__ = [
    "MOST_NOTED",
    "MOST_TOGETHER",
    "NOTE_ROOM",
    "QUIET",
    "Account",
    "Accounts",
    "Admission",
    "Archive",
    "Attempt",
    "Audited",
    "Candidates",
    "Copied",
    "Counted",
    "Database",
    "DatabaseRefused",
    "Defined",
    "Delivery",
    "DeliveryState",
    "FieldState",
    "Growth",
    "Head",
    "Heads",
    "History",
    "Inspection",
    "Kept",
    "Last",
    "Made",
    "Mark",
    "Migration",
    "Noted",
    "Noticed",
    "Obstacle",
    "Order",
    "Outcomes",
    "Page",
    "Pass",
    "PassesWanted",
    "Present",
    "Progress",
    "Proposal",
    "ProposalKind",
    "ProposalState",
    "ProposalsWanted",
    "ProposedField",
    "Reading",
    "Records",
    "ReferenceBroken",
    "Secret",
    "Subscription",
    "Together",
    "Token",
    "Turn",
    "Unreadable",
    "ValueTaken",
    "VersionRace",
    "WouldHoldUp",
    "WouldWait",
    "Writing",
    "audited",
    "back_up",
    "beside",
    "checkpoint",
    "in_a_hurry",
    "kept_definitions",
    "migrate",
    "open_database",
    "plan_migration",
    "put_back",
    "refuse_unserved",
    "remove_database",
]


#: The engines, by how addresses of theirs begin; a path is of the first.
_ENGINES: Mapping[str, Offered] = {"": sqlite}


#: How an address begins that is no path, also once it was taken for one, which makes one slash of two.
_SCHEME = re.compile(r"([a-z][a-z0-9+.-]*):/")


def refuse_unserved(address: str) -> None:
    """Raises `DatabaseRefused` for an address of an engine that is not offered."""
    _engine(Path(address))


def _engine(path: Path) -> Offered:
    scheme = _SCHEME.match(str(path))
    try:
        return _ENGINES[scheme[1] if scheme else ""]
    except KeyError:
        raise DatabaseRefused(f"No database can be kept at {path}: name a file.") from None


def open_database(
    path: Path, definitions: Definitions, limits: Limits = DEFAULTS, made: Made | None = None
) -> Database:
    """Opens the database at `path`, creating what is not there yet.

    Definitions that differ from those it is under take effect where no stored data depends on what differs
    and `made` allows it. Raises `DatabaseRefused` when they cannot, when it cannot be read or written, or is
    of another layout.
    """
    return _engine(path).open_database(path, definitions, limits, made or Made(timestamp(datetime.now(UTC))))


def kept_definitions(path: Path) -> Definitions | None:
    """The definitions that the database at `path` is under; None where it keeps none yet."""
    return _engine(path).kept_definitions(path)


def plan_migration(path: Path, definitions: Definitions, progress: Progress = QUIET) -> Migration:
    """What it takes to have the database at `path` under these definitions. Raises `DatabaseRefused`."""
    return _engine(path).plan_migration(path, definitions, progress)


def migrate(
    path: Path,
    definitions: Definitions,
    made: Made,
    agreed: Callable[[Migration], None],
    progress: Progress = QUIET,
) -> tuple[Migration, Path | None]:
    """Has the database at `path` under these definitions; gives what was done, and where the copy is.

    `agreed` is given what is to be done, while nobody else writes, and raises where it is not to be. All of
    it is done, after a copy was made, or nothing. Raises `DatabaseRefused`.
    """
    return _engine(path).migrate(path, definitions, made, agreed, progress)


def back_up(path: Path, target: Path, progress: Progress = QUIET) -> Copied:
    """Copies the database at `path` into a new file, while it is used, and looks through the copy.

    It holds all that was committed when it began, and no half of anything. Raises `DatabaseRefused`.
    """
    return _engine(path).back_up(path, target, progress)


def put_back(
    source: Path,
    path: Path,
    *,
    replace: bool = False,
    progress: Progress = QUIET,
    look: Look = lambda _path: None,
) -> tuple[Copied, Path | None]:
    """Puts a backup in the place of the database at `path`; see `copying.put_back` of the engine.

    With `replace`, what is there is moved aside; its new place is told. Raises `DatabaseRefused`.
    """
    return _engine(path).put_back(source, path, replace=replace, progress=progress, look=look)


def audited(path: Path, *, still: bool = False) -> AbstractContextManager[Audited]:
    """The database at `path` as it stands, to be held against its history. Raises `DatabaseRefused`.

    `still` says that it is a copy, which nobody writes.
    """
    return _engine(path).audited(path, still=still)


def checkpoint(path: Path) -> None:
    """Leaves the database at `path` so that a plain copy of that file is whole.

    To be called when every process has let go of it; while one has not, nothing happens.
    """
    _engine(path).checkpoint(path)


def remove_database(path: Path) -> None:
    """Removes the database at `path`, which no process may have open. Its key stays."""
    _engine(path).remove_database(path)


def beside(path: Path, ending: str) -> Path:
    """Where a file lies that belongs to the database at `path`: its key, a lock."""
    return _engine(path).beside(path, ending)
