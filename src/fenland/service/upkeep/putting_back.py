"""Putting a backup in a database's place: one of this database, with the records that its history has."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from fenland.core.definitions.model import Definitions
from fenland.service.proof.verifying import Around, verify_opened
from fenland.service.settings import Settings
from fenland.storage.door import QUIET, Audited, DatabaseRefused, Progress, audited

#: How a refusal ends that somebody may decide against.
_ALL_THE_SAME = "With --as-it-is it is put there all the same."
#: Collections that are named.
_NAMED = 5


def look_into(
    source: Path, settings: Settings, definitions: Definitions | None, progress: Progress = QUIET
) -> None:
    """Raises `DatabaseRefused` for a backup that is not of this database, or not as its history has it.

    Where archives of it are not at hand, what they tell is not looked into. `definitions` are the project's,
    None where they cannot be read.
    """
    database = settings.database
    with audited(source, still=True) as base:
        if definitions is not None:
            _refuse_foreign(base, source, definitions)
        _refuse_other(base, source, database)
        folders = (source.parent, database.parent, settings.archive_folder)
        report = verify_opened(base, Around(folders), progress=progress)
    faults = [one for one in report.faults if one.kind != "archive"]
    if faults:
        more = f" There are more: fenland verify --database {source}." if faults[1:] else ""
        raise DatabaseRefused(
            f"{source} is not as it was written. {faults[0].sentence}{more} {_ALL_THE_SAME}"
        )


def _refuse_foreign(base: Audited, source: Path, definitions: Definitions) -> None:
    known: list[str] = []
    # Definitions that are none are told of with the other faults.
    with suppress(KeyError, TypeError):
        known = [name for one in base.defined()[-1:] for name in one.data["collections"]]
    collections = definitions.collections.values()
    ours = {name for one in collections for name in (one.name, one.was) if name is not None}
    if known and ours.isdisjoint(known):
        raise DatabaseRefused(
            f"{source} is of another project: it has {_listed(known)}, and this one {_listed(ours)}. "
            f"{_ALL_THE_SAME}"
        )


def _listed(names: Iterable[str]) -> str:
    found = sorted(names)
    return f"{', '.join(found[:_NAMED])} and others" if found[_NAMED:] else ", ".join(found)


def _refuse_other(base: Audited, source: Path, database: Path) -> None:
    # The first entry of a history is no other's: its leaf has a salt.
    begun, present = _first(base), None
    if database.is_file():
        with suppress(DatabaseRefused), audited(database) as there:
            present = _first(there)
    if None not in (begun, present) and begun != present:
        raise DatabaseRefused(
            f"{source} is of another database than the one at {database}: their histories begin otherwise. "
            f"{_ALL_THE_SAME}"
        )


def _first(base: Audited) -> bytes | None:
    with suppress(LookupError):
        return base.root(1)
    return None
