"""Migrating a project's database to its newer definitions: what it would take, agreed on, then done."""

from __future__ import annotations

import getpass
import hashlib
from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from fenland.core.definitions.model import Definitions
from fenland.core.names import did_you_mean
from fenland.core.values.identity import timestamp
from fenland.core.values.plain import write_json
from fenland.service.project import Project
from fenland.service.upkeep.copies import before_migrations
from fenland.storage.door import (
    QUIET,
    Made,
    Migration,
    Progress,
    kept_definitions,
    migrate,
    plan_migration,
)

#: How a reviewed file begins; the digits are those of the format.
_HEAD = "-- fenland migration 1"


class NotAgreed(Exception):
    """A migration that is not to be: the message says why and what to do."""


class Blocked(NotAgreed):
    """Records, or the definitions themselves, stand in the way."""


class Changed(NotAgreed):
    """What was reviewed is not what would be done."""


@dataclass(frozen=True, slots=True)
class Agreement:
    """What whoever asks for a migration agrees to: places that may be lost, and the text they have read."""

    lose: tuple[str, ...] = ()
    reviewed: str | None = None

    def check(self, plan: Migration, definitions: Definitions) -> None:
        """Raises `NotAgreed` unless this is the migration that was agreed to."""
        if self.reviewed is not None and self.reviewed.strip() != review_text(plan, definitions).strip():
            raise Changed(
                "The reviewed file does not fit the database or the definitions any more. "
                "Write it anew with --preview --write, and review it again."
            )
        if plan.blocked:
            raise Blocked("\n".join([*plan.impossible, *map(_in_the_way, _blocking(plan))]))
        _check_losses(plan.losses, self.lose)


def _blocking(plan: Migration) -> Iterable[tuple[str, int, str]]:
    return ((one.place, one.count, one.words) for one in plan.obstacles if one.blocks)


def _in_the_way(found: tuple[str, int, str]) -> str:
    place, count, words = found
    return f"{place}: {count} {'record' if count == 1 else 'records'}: {words}."


def _check_losses(losses: Iterable[str], agreed: Iterable[str]) -> None:
    known = list(losses)
    for one in agreed:
        if one not in known:
            raise NotAgreed(f"--lose names {one}, which is not lost. {did_you_mean(one, known)}")
    unnamed = [one for one in known if one not in agreed]
    if unnamed:
        words = " ".join(f"--lose {one}" for one in unnamed)
        raise NotAgreed(f"Data would be lost that was not named. If it is meant, add: {words}")


def review_text(plan: Migration, definitions: Definitions) -> str:
    """What would be done, as a text to be reviewed: sentences, then SQL. It holds nothing of the records.

    A digest of the definitions stands for what the sentences leave out.
    """
    digest = hashlib.sha256(write_json(dict(definitions.data))).hexdigest()
    lines = [f"{_HEAD}, to definitions {plan.number}, SHA-256 {digest}", "--"]
    lines += [f"-- {sentence}" for sentence in plan.steps]
    lines += [f"-- LOST: {place}" for place in plan.losses]
    return "\n".join([*lines, "", plan.sql])


def preview(project: Project, progress: Progress = QUIET) -> Migration:
    """What it would take. Raises `DatabaseRefused`."""
    return plan_migration(project.settings.database, project.definitions, progress)


def carry_out(
    project: Project, agreement: Agreement, progress: Progress = QUIET
) -> tuple[Migration, Path | None]:
    """Does it, and gives where the copy is. Raises `NotAgreed`, `DatabaseRefused`."""
    made = made_now("command-line")
    definitions = project.definitions

    def agreed(plan: Migration) -> None:
        agreement.check(plan, definitions)

    plan, copy = migrate(project.settings.database, definitions, made, agreed, progress)
    if copy is not None:
        # Each holds values that were erased since, so they do not pile up.
        older = [one for one in before_migrations(project.settings) if one != copy]
        for old in older[: max(0, len(older) + 1 - project.settings.migrate_keep)]:
            old.unlink(missing_ok=True)
    return plan, copy


def made_now(via: str, *, at_start: bool = True) -> Made:
    """Who has the definitions taken in: whoever runs this program, now."""
    try:
        by = getpass.getuser()
    except (KeyError, OSError):
        by = "fenland"
    return Made(timestamp(datetime.now(UTC)), by, via, at_start)


def as_kept(project: Project) -> Definitions:
    """The definitions that a project's database is under, whatever its files say by now.

    What works beside a running service opens the database by these: to take newer ones in is for a start.
    The roles are those of the settings, since accounts get them before a start as well.
    """
    kept, ours = kept_definitions(project.settings.database), project.definitions
    # What is kept calls functions, and does not hold them.
    if kept is None or write_json(kept.data["collections"]) == write_json(ours.data["collections"]):
        return ours
    return replace(kept, roles=ours.roles)
