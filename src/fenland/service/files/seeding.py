"""Seeds: records that a project brings with it, in files; applied by key, as often as one likes.

Each is created where it is not there; what is there is left, or brought up to date where that is asked for
and nobody else has changed it. Files are taken in the order that references need; rows that refer to each
other are tried again once the others are there. All of it is kept, or nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from fenland.core.access.policy import Actor, Caller
from fenland.core.changes.change import Act, Change
from fenland.core.changes.tabular import Match, Row, match_columns, read_csv, read_jsonl
from fenland.core.definitions.model import EVERYONE, RIGHTS, Collection, DefinitionMistakes, Definitions, Rule
from fenland.core.limits import DEFAULTS
from fenland.core.names import did_you_mean
from fenland.core.problems import Malformed
from fenland.core.values.plain import read_json
from fenland.service.files.rows import Importer, ImportRequest, Refused
from fenland.service.history.past import names_of, newest_first
from fenland.service.opening import open_project_service
from fenland.service.project import Project, read_source
from fenland.service.service import Service
from fenland.service.work import Work, written
from fenland.storage.door import Made

SEEDS = "seeds"
_ENDINGS = (".yaml", ".yml", ".json", ".jsonl", ".csv")


class SeedsRefused(Exception):
    """Seeds that cannot be read; the message says which, and why."""


@dataclass(frozen=True, slots=True)
class Left:
    """A row whose record was left as it is: by its key, and why."""

    key: Any
    why: str


@dataclass(slots=True)
class Seeded:
    """What became of the rows of one file.

    `unchanged` are records that are as the file says; `left` those that are not, and were not touched.
    """

    file: str
    collection: str
    rows: int = 0
    created: int = 0
    updated: int = 0
    unchanged: int = 0
    left: list[Left] = field(default_factory=list)
    refused: list[Refused] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Seed:
    file: str
    collection: str
    rows: tuple[Row, ...]


class _Nothing(Exception):
    """Ends a transaction of which nothing is to be kept."""


#: Through what seeds come, in their entries.
_VIA = "seed"
#: Entries of one record that are looked through for changes by others.
_MOST_LOOKED = 10_000


@dataclass(frozen=True, slots=True)
class SeedRequest:
    """How seeds are to be applied: `update` brings records up to date that nobody but seeds has changed."""

    update: bool = False
    preview: bool = False
    report: Callable[[int, int], None] = lambda _done, _whole: None


def seed(project: Project, made: Made, request: SeedRequest) -> list[Seeded]:
    """Applies the seeds of a project to its database: all of them, or none where a row is refused.

    A record that was changed, deleted or erased by anybody since is left as it is. Who holds the project's
    folder may do all that its definitions let anybody do: access is not asked. Raises `SeedsRefused`,
    `DatabaseRefused`.
    """
    seeds, settings = in_order(read_seeds(project), project.definitions), project.settings
    opened = open_project_service(project, made)
    # The database is under the definitions as they are; only nobody is asked what they may.
    service = Service(unguarded(project.definitions), opened.database, settings.limits())
    try:
        caller = Caller(Actor(made.by, roles=frozenset(project.definitions.roles)), via=_VIA)
        found: list[Seeded] = []

        def work(unit: Work) -> None:
            found[:] = _applied(unit, caller, seeds, request)
            if request.preview or any(one.refused for one in found):
                raise _Nothing

        with suppress(_Nothing):
            written(service, work, Act(batch=service.new_batch()))
        return found
    finally:
        service.close()


def _applied(unit: Work, caller: Caller, seeds: list[_Seed], request: SeedRequest) -> list[Seeded]:
    found = [Seeded(one.file, one.collection, rows=len(one.rows)) for one in seeds]
    left = [list(one.rows) for one in seeds]
    whole = sum(map(len, left))
    while before := sum(map(len, left)):
        for place, one in enumerate(seeds):
            if left[place]:
                left[place] = _refused_of(unit, caller, (one, left[place], found[place]), request)
            request.report(whole - sum(map(len, left)), whole)
        # Rows that refer to others may be taken now that those are there.
        if sum(map(len, left)) == before:
            break
    return found


def _refused_of(
    unit: Work, caller: Caller, of: tuple[_Seed, list[Row], Seeded], request: SeedRequest
) -> list[Row]:
    """Brings rows in, and gives those that were refused."""
    one, rows, found = of
    asked = ImportRequest(one.collection, rows, reason=f"Seeds of {one.file}")
    collection = unit.resource(one.collection).collection
    try:
        columns, unmatched = match_columns(list(rows[0].cells), collection, {})
        if unmatched:
            raise Malformed(f"No field is called like {', '.join(map(repr, unmatched))}.")
        seeding = _Seeding(unit, caller, asked, columns, update=request.update)
    except Malformed as error:
        raise SeedsRefused(f"{one.file}: {error.detail}") from None
    outcome = seeding.run(rows)
    found.created += outcome.created
    found.updated += outcome.updated
    found.unchanged += outcome.unchanged - len(seeding.left)
    found.left += seeding.left
    found.refused = outcome.refused
    refused = {row.row for row in outcome.refused}
    return [row for row in rows if row.number in refused]


class _Seeding(Importer):
    """Rows of seeds: what somebody changed since is left alone."""

    def __init__(
        self, work: Work, caller: Caller, request: ImportRequest, columns: Match, *, update: bool
    ) -> None:
        super().__init__(work, caller, request, columns)
        self._update_too = update
        self.left: list[Left] = []

    def decided(self, values: Mapping[str, Any]) -> list[Change]:
        """See `Importer`."""
        stored = self.stored(values)
        if stored is None:
            if self._was_deleted(values[self.by]):
                self.left.append(Left(values[self.by], "deleted since"))
                return []
            return self.create(values)
        changes = self.update(stored["id"], values)
        why = self._why_left(stored["id"]) if changes else None
        if why is not None:
            self.left.append(Left(stored[self.resource.collection.key], why))
            return []
        return changes

    def _was_deleted(self, key: Any) -> bool:
        history = self.work.history
        value = self.resource.rules.typed(self.by, key)
        names = names_of(self.work, self.resource) if self.by == self.resource.collection.key else []
        return any(history.last_deleted(self.work.reading, name, value) is not None for name in names)

    def _why_left(self, record_id: str) -> str | None:
        """Why a record is left as it is; None where it is to be brought up to date."""
        for count, entry in enumerate(newest_first(self.work, record_id)):
            if count == 0 and entry.batch == self.work.act.batch:
                # By another file of the same seeds.
                return None
            if entry.action == "erase":
                return "erased since"
            if entry.via not in (_VIA, "effect") or count > _MOST_LOOKED:
                return "changed since"
        return None if self._update_too else "other than in the file; --update brings it up to date"


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
            "left": [{"key": row.key, "why": row.why} for row in one.left],
            "refused": [{"row": row.row, "detail": row.detail} for row in one.refused],
        }
        for one in found
    }
