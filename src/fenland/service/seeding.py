"""Seeds: records that a project brings with it, in files; applied by key, as often as one likes.

Each is created where it is not there, and brought up to date where it differs. Files are taken in the order
that references need; rows that refer to each other are tried again once the others are there.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from fenland.core.access import Actor, Caller
from fenland.core.definitions import EVERYONE, RIGHTS, Collection, DefinitionMistakes, Definitions, Rule
from fenland.core.limits import DEFAULTS
from fenland.core.names import did_you_mean
from fenland.core.problems import Malformed
from fenland.core.tabular import Row, read_csv, read_jsonl
from fenland.core.values import read_json
from fenland.service.importing import ImportRequest, Refused, import_rows
from fenland.service.project import Project, read_source
from fenland.service.service import Service, open_service
from fenland.storage.door import Made

SEEDS = "seeds"
_ENDINGS = (".yaml", ".yml", ".json", ".jsonl", ".csv")


class SeedsRefused(Exception):
    """Seeds that cannot be read; the message says which, and why."""


@dataclass(slots=True)
class Seeded:
    """What became of the rows of one file."""

    file: str
    collection: str
    rows: int = 0
    created: int = 0
    updated: int = 0
    unchanged: int = 0
    refused: list[Refused] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Seed:
    file: str
    collection: str
    rows: tuple[Row, ...]


def seed(
    project: Project, made: Made, told: Callable[[int, int], None] = lambda done, whole: None
) -> list[Seeded]:
    """Applies the seeds of a project to its database. Raises `SeedsRefused`, `DatabaseRefused`.

    Who holds the project's folder may do all that its definitions let anybody do: access is not asked.
    """
    seeds = in_order(read_seeds(project), project.definitions)
    definitions, settings = unguarded(project.definitions), project.settings
    service = open_service(definitions, settings.database, settings.limits(), made=made)
    try:
        caller = Caller(Actor(made.by, roles=frozenset(project.definitions.roles)), via="seed")
        return _applied(service, caller, seeds, told)
    finally:
        service.close()


def _applied(
    service: Service, caller: Caller, seeds: list[_Seed], told: Callable[[int, int], None]
) -> list[Seeded]:
    found = [Seeded(one.file, one.collection, rows=len(one.rows)) for one in seeds]
    left = [list(one.rows) for one in seeds]
    whole = sum(map(len, left))
    while before := sum(map(len, left)):
        for place, one in enumerate(seeds):
            if left[place]:
                left[place] = _refused_of(service, caller, one, left[place], found[place])
            told(whole - sum(map(len, left)), whole)
        # Rows that refer to others may be taken now that those are there.
        if sum(map(len, left)) == before:
            break
    return found


def _refused_of(service: Service, caller: Caller, one: _Seed, rows: list[Row], found: Seeded) -> list[Row]:
    """Brings rows in, and gives those that were refused."""
    asked = ImportRequest(one.collection, rows, reason=f"Seeds of {one.file}")
    try:
        outcome = import_rows(service, caller, asked)
    except Malformed as error:
        raise SeedsRefused(f"{one.file}: {error.detail}") from None
    found.created += outcome.created
    found.updated += outcome.updated
    found.unchanged += outcome.unchanged
    found.refused = outcome.refused
    refused = {one.row for one in outcome.refused}
    return [row for row in rows if row.number in refused]


def unguarded(definitions: Definitions) -> Definitions:
    """The same definitions, under which everybody may do everything."""
    everyone = Rule(frozenset([EVERYONE]))

    def opened(one: Collection) -> Collection:
        fields = {name: replace(item, access={}) for name, item in one.fields.items()}
        return replace(
            one, fields=fields, access=dict.fromkeys(RIGHTS, everyone), if_match="optional", reason="optional"
        )

    return replace(
        definitions, collections={name: opened(one) for name, one in definitions.collections.items()}
    )


# --- reading -----------------------------------------------------------------------------------------


def read_seeds(project: Project) -> list[_Seed]:
    """The seeds in a project's folder. Raises `SeedsRefused`.

    A file is called like its collection, with anything behind a `-` or a `.`: `stations.csv`,
    `stations-north.yaml`.
    """
    found = []
    for path in sorted((project.folder / SEEDS).glob("*")):
        if path.suffix not in _ENDINGS or not path.is_file():
            continue
        name = f"{SEEDS}/{path.name}"
        collection = path.name.split(".")[0].split("-")[0]
        known = project.definitions.collections
        if collection not in known:
            hint = did_you_mean(collection, known)
            raise SeedsRefused(f"{name}: There is no collection {collection!r}. {hint}")
        try:
            rows = tuple(_rows_of(path, name))
        except Malformed as error:
            raise SeedsRefused(f"{name}: {error.detail}") from None
        except DefinitionMistakes as error:
            raise SeedsRefused(str(error)) from None
        except (OSError, UnicodeError) as error:
            raise SeedsRefused(f"{name} cannot be read: {error}.") from None
        found.append(_Seed(name, collection, rows))
    return found


def _rows_of(path: Path, name: str) -> Iterator[Row]:
    if path.suffix == ".csv":
        return read_csv(path.read_bytes())
    if path.suffix == ".jsonl":
        return read_jsonl(path.read_bytes(), DEFAULTS)
    data = read_json(path.read_bytes()) if path.suffix == ".json" else read_source(path, name).data
    if not isinstance(data, list) or not all(isinstance(one, dict) for one in data):
        raise Malformed("It must hold a list of records, each a mapping of fields.")
    return (Row(number, one) for number, one in enumerate(data, 1))


def in_order(seeds: list[_Seed], definitions: Definitions) -> list[_Seed]:
    """The seeds, those first that others refer to; circles as they come."""
    ranks: dict[str, int] = {}

    def rank(name: str, above: tuple[str, ...] = ()) -> int:
        if name not in ranks:
            fields = definitions.collections[name].fields.values()
            targets = {item.references for item in fields if item.references} - {name, *above}
            ranks[name] = 1 + max((rank(one, (*above, name)) for one in targets), default=0)
        return ranks[name]

    return sorted(seeds, key=lambda one: (rank(one.collection), one.file))


def by_collection(found: list[Seeded]) -> Mapping[str, Any]:
    """Counts for scripts."""
    return {
        one.file: {
            "collection": one.collection,
            "rows": one.rows,
            "created": one.created,
            "updated": one.updated,
            "unchanged": one.unchanged,
            "refused": [{"row": row.row, "detail": row.detail} for row in one.refused],
        }
        for one in found
    }
