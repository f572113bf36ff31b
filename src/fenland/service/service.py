"""The open service: definitions compiled, database at hand, a clock and a source of identifiers.

Use cases are functions that take a `Service` first and a `Caller`, who is asking, second. What they do
within a transaction takes a unit of work (`work.py`) in the service's place.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta, tzinfo
from functools import cached_property
from itertools import pairwise
from pathlib import Path
from random import Random, SystemRandom
from typing import Protocol
from zoneinfo import ZoneInfo

import structlog

from fenland.core.access.field_access import FieldAccess, Record
from fenland.core.access.policy import Actor, Caller, Follow, Policy, Sight, nothing
from fenland.core.changes.rules import Rules
from fenland.core.consequences.calling import Rows
from fenland.core.consequences.effects import Reaches
from fenland.core.consequences.network import Network
from fenland.core.definitions.calls import called_by
from fenland.core.definitions.catalog import catalog_of, followed_fields
from fenland.core.definitions.model import Aggregate, Collection, Definitions, Formula, Rule
from fenland.core.evolving.comparing import compare
from fenland.core.evolving.lineage import Lineage, Passage
from fenland.core.expressions.checking import Checked
from fenland.core.limits import DEFAULTS, Limits
from fenland.core.names import did_you_mean
from fenland.core.problems import NotFound, Unavailable
from fenland.core.values.identity import TICKS, etag, part_tag, timestamp, uuid7
from fenland.service.last_changes import LastChanges
from fenland.service.mistakes import Mistakes
from fenland.service.numbers import Numbers
from fenland.service.outsiders import Outsiders
from fenland.service.outward import Outward
from fenland.service.ways_in import WaysIn
from fenland.storage.door import Database, Records

log = structlog.get_logger()


@dataclass(frozen=True, slots=True)
class Resource:
    """One collection with all that serves it."""

    collection: Collection
    rules: Rules
    policy: Policy
    records: Records
    rows: Rows
    #: The number of the definitions that last moved its records.
    moved: int = 0

    def etag(self, record: Record, access: FieldAccess, others: Iterable[str] = ()) -> str:
        """The entity tag of a record as shown with this access, and with tags of what stands beside it."""
        part = part_tag([access.part, *others]) if others else access.part
        return etag(record["id"], record["version"], self.moved, part)


class Issued(Protocol):
    """Reads tokens of an outside issuer."""

    def actor(self, token: str, moment: datetime) -> Actor:
        """Who a token stands for. Raises `NotSignedIn`, and `Unavailable` while no key set can be had."""
        ...


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What a service has around it: who may sign in how, and what lies beside its database."""

    ways_in: WaysIn = field(default_factory=WaysIn)
    outward: Outward = field(default_factory=Outward)
    outsiders: Outsiders = field(default_factory=Outsiders)
    #: Reads tokens of the outside issuer, where one is believed.
    issued: Issued | None = None
    #: Where the key lies that signs heads of the history, and the folder of the database.
    key_file: Path = Path("fenland.key")
    place: Path = Path()
    #: What is wrong with the project's files now, where they are watched.
    mistakes: Mistakes | None = None


class Service:
    """Everything a use case needs, made once at the start."""

    def __init__(
        self,
        definitions: Definitions,
        database: Database,
        limits: Limits = DEFAULTS,
        clock: Callable[[], datetime] = lambda: datetime.now(UTC),
        around: Surroundings = Surroundings(),
    ) -> None:
        self.definitions = definitions
        self.database = database
        self.limits = limits
        self.clock = clock
        self.ways_in, self.outward, self.issued = around.ways_in, around.outward, around.issued
        self.outsiders = around.outsiders
        self.key_file, self.place = around.key_file, around.place
        self.mistakes = around.mistakes
        self.zone: tzinfo = UTC if limits.zone == "UTC" else ZoneInfo(limits.zone)
        self._last_ticks = 0
        self.resources = {
            name: Resource(
                one, Rules(one), Policy(one), database.records[name], Rows(one), database.moved.get(name, 0)
            )
            for name, one in definitions.collections.items()
        }
        #: Whether any definition calls a function of the project's own.
        self.calls = any(True for _ in called_by(definitions.collections))
        #: What follows from what between records.
        self.network, self.reaches = Network(definitions), Reaches(definitions.collections)
        #: What rules draw by that choose at random; tests put one with a seed in its place.
        self.dice: Random = SystemRandom()
        self.policies = {name: one.policy for name, one in self.resources.items()}
        self.followed = followed_fields(definitions.collections.values())
        self.catalog = catalog_of(definitions.collections.values())
        self._failed: set[tuple[str, int, str]] = set()
        self._lineages: dict[str, Lineage] = {}
        #: Of series of which nothing is kept yet, the highest number of the records that there are.
        self.highest: dict[str, int] = {}
        self.numbers = Numbers()
        self.last_changes = LastChanges()
        #: The collections that lists asked for lately depend on, by collection, condition and whether they
        #: follow references; None where they depend on the time.
        self.concerned: dict[tuple[str, str, bool, bool], set[str] | None] = {}
        #: Filters that were read lately, by collection and text.
        self.filters: dict[tuple[str, str], Checked] = {}

    def today(self, moment: datetime) -> date:
        """The day that a moment is on, where the project is."""
        return moment.astimezone(self.zone).date()

    def now(self, later: timedelta = timedelta()) -> str:
        """This moment, or one so much later, as records keep it."""
        return timestamp(self.clock() + later)

    def sight(self, caller: Caller, follow: Follow = nothing, whole: Follow = nothing) -> Sight:
        """What rules are judged with for a caller, now; without `follow`, nothing is referred to."""
        now = self.clock()
        # Each request asks, and mostly there is nothing to turn.
        return Sight(
            caller, now if self.zone is UTC else now.astimezone(self.zone), follow, self.rule_failed, whole
        )

    def rule_failed(self, rule: Rule | Formula | Aggregate, why: str) -> None:
        """Notes a rule that could not be evaluated, and so denied, or gave nothing; once for each."""
        known = (rule.file, rule.line, str(rule))
        if known not in self._failed:
            self._failed.add(known)
            log.warning("rule failed", rule=str(rule), place=f"{rule.file}:{rule.line}", why=why)

    def new_batch(self) -> str:
        """What the entries of one batch share."""
        return uuid7(int(self.clock().timestamp() * 1000) * TICKS, os.urandom(8))

    def new_id(self, time: str | None = None) -> str:
        """A fresh UUIDv7, after all that this process has made, so that records come in order of creation.

        `time` is when the record is made: times of the history never go back, whatever the clock does, and so
        neither do ids. To be called by who writes: one thread at a time.
        """
        moment = self.clock() if time is None else datetime.fromisoformat(time)
        now = int(moment.timestamp() * 1_000_000) * TICKS // 1000
        self._last_ticks = max(now, self._last_ticks + 1)
        return uuid7(self._last_ticks, os.urandom(8))

    @cached_property
    def passages(self) -> list[Passage]:
        """How the definitions came to be what they are, step by step."""
        read = [one.read() for one in self.database.defined]
        kept = self.database.defined[1:]
        return [
            Passage(one.number, one.sequence, compare(before, after))
            for one, (before, after) in zip(kept, pairwise(read), strict=True)
        ]

    @cached_property
    def secret_fields(self) -> frozenset[str]:
        """The fields, of any collection, that are or were secret in the history."""
        read = [one.read() for one in self.database.defined]
        return frozenset(name for one in read for item in one.collections.values() for name in item.secret)

    def lineage(self, resource: Resource) -> Lineage | None:
        """How a collection came to be what it is; None where its records were never moved."""
        if not resource.moved:
            return None
        name = resource.collection.name
        if name not in self._lineages:
            self._lineages[name] = Lineage(resource.collection, self.passages)
        return self._lineages[name]

    def resource(self, name: str) -> Resource:
        """The collection of this name. Raises `NotFound`."""
        resource = self.resources.get(name)
        if resource is None:
            hint = did_you_mean(name, self.resources)
            raise NotFound(f"There is no collection {name!r}. {hint}")
        return resource

    def close(self) -> None:
        """Closes the database, once it is kept when tokens were last used."""
        with suppress(Unavailable):
            self.database.note_uses()
        self.database.close()
