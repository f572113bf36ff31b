"""Opening a service over a database: the one place that puts one together."""

from __future__ import annotations

from pathlib import Path

from fenland.core.definitions.model import Definitions
from fenland.core.limits import DEFAULTS, Limits
from fenland.service.accounts.issuers import IssuedTokens
from fenland.service.service import Service, Surroundings
from fenland.service.ways_in import WaysIn
from fenland.storage.door import Made, open_database


def open_service(
    definitions: Definitions,
    path: Path,
    limits: Limits = DEFAULTS,
    ways_in: WaysIn | None = None,
    made: Made | None = None,
) -> Service:
    """The service over the database at `path`; its key lies beside that. Raises `DatabaseRefused`."""
    database = open_database(path, definitions, limits, made)
    ways_in = ways_in or WaysIn()
    issued = None
    if ways_in.issuer is not None:
        issued = IssuedTokens(ways_in.issuer, frozenset(definitions.roles), database.turn.aside)
    around = Surroundings(ways_in, issued, path.with_name(path.name + ".key"), path.parent)
    return Service(definitions, database, limits, around=around)
