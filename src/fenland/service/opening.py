"""Opening a service over a database: the one place that puts one together."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from fenland.core.definitions.model import Definitions
from fenland.core.limits import DEFAULTS, Limits
from fenland.service.accounts.issuers import IssuedTokens
from fenland.service.project import Project
from fenland.service.service import Service, Surroundings
from fenland.service.ways_in import WaysIn
from fenland.storage.door import Database, Made, beside, open_database


def open_service(
    definitions: Definitions,
    path: Path,
    limits: Limits = DEFAULTS,
    ways_in: WaysIn | None = None,
    made: Made | None = None,
) -> Service:
    """The service over the database at `path`; its key lies beside that. Raises `DatabaseRefused`."""
    database = open_database(path, definitions, limits, made)
    around = Surroundings(ways_in or WaysIn(), key_file=beside(path, ".key"), place=path.parent)
    return _over(database, definitions, limits, around)


def open_project_service(
    project: Project, made: Made | None = None, definitions: Definitions | None = None
) -> Service:
    """The service of a project, by its settings; under other definitions than its files where they are given.

    Raises `DatabaseRefused`.
    """
    settings, limits = project.settings, project.settings.limits()
    definitions = definitions or project.definitions
    database = open_database(settings.database, definitions, limits, made)
    outsiders = replace(settings.outsiders(), wordings=project.wordings)
    ways = settings.ways_in(), settings.outward(), outsiders
    around = Surroundings(*ways, None, settings.key_file, settings.database.parent, project.mistakes)
    return _over(database, definitions, limits, around)


def _over(database: Database, definitions: Definitions, limits: Limits, around: Surroundings) -> Service:
    issuer = around.ways_in.issuer
    if issuer is not None:
        issued = IssuedTokens(issuer, frozenset(definitions.roles), database.turn.aside)
        around = replace(around, issued=issued)
    return Service(definitions, database, limits, around=around)
