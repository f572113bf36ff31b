"""What a database holds, over its tables: the part of `Database` that is the same on every engine."""

from __future__ import annotations

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
    """Records, history, accounts and outcomes, with their statements prepared."""

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
        self.history = TableHistory(tables, engine, limits)
        self.heads = TableHeads(tables, engine)
        self.notices = TableNotices(tables, engine, limits)
        self.subscriptions = TableSubscriptions(tables.subscriptions, engine)
        self.deliveries = TableDeliveries(tables.deliveries, tables.attempts, engine)
        self.series = TableSeries(tables, engine)
        self.outcomes = TableOutcomes(tables.outcomes, engine)
        self.accounts = TableAccounts(tables.accounts, tables.tokens, engine)
