"""What each engine's folder offers the door, in one module of its own that the door names."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any, Protocol

from fenland.core.definitions.model import Definitions
from fenland.core.limits import Limits
from fenland.storage.shared.protocols import Database
from fenland.storage.shared.values import Copied, Made, Migration, Progress

#: Looks into a file, and raises `DatabaseRefused` for what it finds.
Look = Callable[[Path], None]


class Offered(Protocol):
    """An engine, by the address of a database; see the functions of the door, which are called the same."""

    def open_database(self, path: Path, definitions: Definitions, limits: Limits, made: Made) -> Database:
        """Opens it, creating what is not there yet."""

    def kept_definitions(self, path: Path) -> Definitions | None:
        """The definitions that it is under."""

    def plan_migration(self, path: Path, definitions: Definitions, progress: Progress) -> Migration:
        """What it takes to have it under others."""

    def migrate(
        self,
        path: Path,
        definitions: Definitions,
        made: Made,
        agreed: Callable[[Migration], None],
        progress: Progress,
    ) -> tuple[Migration, Path | None]:
        """Does it, and gives where the copy is."""

    def back_up(self, path: Path, target: Path, progress: Progress) -> Copied:
        """Copies it, while it is used."""

    def put_back(
        self, source: Path, path: Path, *, replace: bool, progress: Progress, look: Look
    ) -> tuple[Copied, Path | None]:
        """Puts a copy in its place."""

    def audited(self, path: Path, *, still: bool) -> AbstractContextManager[Any]:
        """It as it stands, to be held against its history."""

    def checkpoint(self, path: Path) -> None:
        """Leaves it so that a plain copy is whole."""

    def remove_database(self, path: Path) -> None:
        """Removes it, with all that the engine has laid beside it."""

    def beside(self, path: Path, ending: str) -> Path:
        """Where a file lies that belongs to it."""
