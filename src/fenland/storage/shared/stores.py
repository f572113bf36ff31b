"""What a database holds, over its tables: the part of `Database` that is the same on every engine."""

from __future__ import annotations

from functools import cache, cached_property

from fenland.core.limits import DEFAULTS, Limits
from fenland.storage.shared.accounts.accounts import TableAccounts
from fenland.storage.shared.accounts.outcomes import TableOutcomes
from fenland.storage.shared.evolving.preparing import Known
from fenland.storage.shared.growth import Growth
from fenland.storage.shared.history.heads import TableHeads
from fenland.storage.shared.history.history import TableHistory
from fenland.storage.shared.notices.deliveries import TableDeliveries
from fenland.storage.shared.notices.outbox import TableNotices
from fenland.storage.shared.notices.subscriptions import TableSubscriptions
from fenland.storage.shared.passes.passes import TablePasses
from fenland.storage.shared.passes.proposals import TableProposals
from fenland.storage.shared.records.records import TableRecords
from fenland.storage.shared.records.series import TableSeries
from fenland.storage.shared.statements import Engine
from fenland.storage.shared.tables import OwnTables, Tables
from fenland.storage.shared.turn import Turn

#: Statements alone, whichever database they are run on: made once in a process.
_heads, _notices, _series = cache(TableHeads), cache(TableNotices), cache(TableSeries)
_subscriptions, _deliveries = cache(TableSubscriptions), cache(TableDeliveries)
_passes, _proposals = cache(TablePasses), cache(TableProposals)
_outcomes, _accounts = cache(TableOutcomes), cache(TableAccounts)


class Stores:
    """Records, history, accounts and outcomes, with their statements prepared.

    What not everybody needs is made when it is first asked for: a command would wait for all of it.
    """

    def __init__(self, tables: Tables, engine: Engine, limits: Limits, known: Known) -> None:
        self.turn = Turn()
        self.growth = Growth()
        self.number, self.moved, self.defined = known.number, known.moved, known.defined
        self.taken = known.taken
        self.records = {
            name: TableRecords(one, tables.records[name], engine, limits)
            for name, one in tables.project.collections.items()
        }
        self._serve(tables.own, engine, limits)

    @classmethod
    def of_service(cls, tables: OwnTables, engine: Engine) -> Stores:
        """What the service keeps itself, and no records."""
        found = cls.__new__(cls)
        found._serve(tables, engine, DEFAULTS)
        return found

    def _serve(self, tables: OwnTables, engine: Engine, limits: Limits) -> None:
        self._tables, self._kind, self._limits = tables, engine, limits
        # It remembers, so that each database has its own.
        self.history = TableHistory(tables, engine, limits)

    @cached_property
    def heads(self) -> TableHeads:
        """The heads of the history's tree."""
        return _heads(self._tables, self._kind)

    @cached_property
    def notices(self) -> TableNotices:
        """What effects left to be sent."""
        return _notices(self._tables, self._kind, self._limits)

    @cached_property
    def subscriptions(self) -> TableSubscriptions:
        """Who is sent what."""
        return _subscriptions(self._tables.subscriptions, self._kind)

    @cached_property
    def deliveries(self) -> TableDeliveries:
        """What is sent to them, and how that went."""
        return _deliveries(self._tables.deliveries, self._tables.attempts, self._kind)

    @cached_property
    def passes(self) -> TablePasses:
        """What was handed out."""
        return _passes(self._tables.passes, self._kind)

    @cached_property
    def proposals(self) -> TableProposals:
        """What came in through it."""
        return _proposals(self._tables.proposals, self._kind)

    @cached_property
    def series(self) -> TableSeries:
        """How far numbers have come."""
        return _series(self._tables, self._kind)

    @cached_property
    def outcomes(self) -> TableOutcomes:
        """What requests that may be repeated came to."""
        return _outcomes(self._tables.outcomes, self._kind)

    @cached_property
    def accounts(self) -> TableAccounts:
        """Who may sign in, and their tokens."""
        return _accounts(self._tables.accounts, self._tables.tokens, self._kind)
