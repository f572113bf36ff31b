"""What a database holds, over its tables: the part of `Database` that is the same on every engine."""

from __future__ import annotations

from functools import cached_property

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
from fenland.storage.shared.records.records import TableRecords
from fenland.storage.shared.records.series import TableSeries
from fenland.storage.shared.statements import Engine
from fenland.storage.shared.tables import Tables
from fenland.storage.shared.turn import Turn


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
        self._serve(tables, engine, limits)

    @classmethod
    def of_service(cls, tables: Tables, engine: Engine) -> Stores:
        """What the service keeps itself, and no records."""
        found = cls.__new__(cls)
        found._serve(tables, engine, DEFAULTS)
        return found

    def _serve(self, tables: Tables, engine: Engine, limits: Limits) -> None:
        self._tables, self._dialect, self._bounds = tables, engine, limits
        # Not later: it remembers, and there must be one.
        self.history = TableHistory(tables, engine, limits)

    @cached_property
    def heads(self) -> TableHeads:
        """The heads of the history's tree."""
        return TableHeads(self._tables, self._dialect)

    @cached_property
    def notices(self) -> TableNotices:
        """What effects left to be sent."""
        return TableNotices(self._tables, self._dialect, self._bounds)

    @cached_property
    def subscriptions(self) -> TableSubscriptions:
        """Who is sent what."""
        return TableSubscriptions(self._tables.subscriptions, self._dialect)

    @cached_property
    def deliveries(self) -> TableDeliveries:
        """What is sent to them, and how that went."""
        return TableDeliveries(self._tables.deliveries, self._tables.attempts, self._dialect)

    @cached_property
    def series(self) -> TableSeries:
        """How far numbers have come."""
        return TableSeries(self._tables, self._dialect)

    @cached_property
    def outcomes(self) -> TableOutcomes:
        """What requests that may be repeated came to."""
        return TableOutcomes(self._tables.outcomes, self._dialect)

    @cached_property
    def accounts(self) -> TableAccounts:
        """Who may sign in, and their tokens."""
        return TableAccounts(self._tables.accounts, self._tables.tokens, self._dialect)
