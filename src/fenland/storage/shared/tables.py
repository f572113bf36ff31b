"""Tables made from the definitions, and the service's own beside them.

Every collection is a table that other tools can read: typed columns, unique and foreign keys, and
indexes for owners, references and dates. What each type keeps, `column_types.py` says.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    Column,
    ForeignKey,
    Index,
    Integer,
    MetaData,
    String,
    Table,
    Text,
)
from sqlalchemy.types import TypeEngine

from fenland.core.definitions.model import Collection, Definitions, Field, has_index, stored_form
from fenland.core.history.parts import PARTS, Kept, Part
from fenland.core.reserved import RESERVED
from fenland.storage.shared.column_types import BinaryNumber, Bytes, Day, ExactDecimal, Json, JsonText, Moment

#: Grows when the service's own tables change shape; a newer database is refused by an older service.
LAYOUT = 11
#: Under this name stands, in a database that was brought over from layout 6, its last entry without a salt.
UNSALTED = "unsalted"
#: What the names of the service's own tables begin with; no collection may be called so.
OWN = "fenland_"


def _word(length: int | None = None) -> String:
    """A column of short texts. On every engine they sort by their characters' numbers, and may be longer.

    How long a value may be is a rule, and rules change: what was stored under another one stays.
    """
    return String(length).with_variant(Text(collation="C"), "postgresql")


def _text() -> Text:
    return Text().with_variant(Text(collation="C"), "postgresql")


def column_type(item: Field) -> TypeEngine[Any]:
    """The column type that holds a field's values."""
    if item.type == "string":
        by_format: dict[str | None, TypeEngine[Any]] = {
            "date": Day(),
            "date-time": Moment(),
            "uuid": _word(36),
        }
        plain = _word(item.max_length) if item.max_length else _text()
        return by_format.get(item.format, plain)
    by_type: dict[str, TypeEngine[Any]] = {
        "integer": BigInteger(),
        "number": BinaryNumber() if item.scale is None else ExactDecimal(item.scale),
        "boolean": Boolean(),
        "array": Json(),
        "object": Json(),
    }
    return by_type[item.type]


#: Where a column notes as what its values are kept, in words.
KEPT = "kept"


def _column(item: Field, definitions: Definitions) -> Column[Any]:
    foreign = []
    if item.references is not None:
        target = definitions.collections[item.references]
        # The service clears or deletes dependants itself, each with its history; this is the backstop.
        foreign.append(ForeignKey(f"{target.name}.{target.key}", deferrable=True, initially="DEFERRED"))
    return Column(
        item.name,
        column_type(item),
        *foreign,
        # What is derived from other records comes after them, also when all are moved.
        nullable=not item.filled or item.derived is not None,
        unique=item.unique or None,
        info={KEPT: stored_form(item)},
    )


def _reserved_column(name: str, schema: Mapping[str, Any]) -> Column[Any]:
    kinds: dict[Any, TypeEngine[Any]] = {"uuid": _word(36), "date-time": Moment(), "integer": BigInteger()}
    kind = kinds.get(schema.get("format", schema["type"]), _word())
    return Column(name, kind, primary_key=name == "id", nullable=False)


def collection_table(collection: Collection, definitions: Definitions, metadata: MetaData) -> Table:
    """The table of one collection: the fields the service keeps, then the defined ones."""
    table = Table(
        collection.name,
        metadata,
        *(_reserved_column(name, schema) for name, schema in RESERVED.items()),
        *(_column(item, definitions) for item in collection.fields.values()),
    )
    for item in collection.fields.values():
        # A unique column has an index of its own.
        if has_index(item, collection) and not item.unique:
            Index(f"{collection.name}_by_{item.name}", table.c[item.name], table.c.id)
    return table


class OwnTables:
    """The service's own tables, which are the same whatever is defined."""

    def __init__(self) -> None:
        self.metadata = MetaData()
        self.meta = Table(
            "fenland_meta",
            self.metadata,
            Column("name", _word(), primary_key=True),
            Column("value", JSON, nullable=False),
        )
        self.accounts = Table(
            "fenland_accounts",
            self.metadata,
            Column("name", _word(), primary_key=True),
            Column("title", _word(), nullable=False),
            Column("roles", Json(), nullable=False),
            Column("created_at", Moment(), nullable=False),
            # These came later, so that they hold nothing in older rows.
            Column("attributes", Json()),
            Column("disabled", Boolean),
            Column("password", _text()),
            Column("version", Integer),
        )
        self.tokens = Table(
            "fenland_tokens",
            self.metadata,
            Column("hash", _word(64), primary_key=True),
            Column("account", _word(), ForeignKey("fenland_accounts.name"), nullable=False),
            Column("label", _word(), nullable=False),
            Column("created_at", Moment(), nullable=False),
            Column("expires_at", Moment()),
            Column("revoked_at", Moment()),
            Column("kind", _word()),
            Column("scope", Json()),
            Column("used_at", Moment()),
            Column("idle", Integer),
            Column("made_with", _word()),
        )
        self.outcomes = Table(
            "fenland_outcomes",
            self.metadata,
            Column("account", _word(), primary_key=True),
            Column("key", _word(), primary_key=True),
            Column("fingerprint", _word(64), nullable=False),
            Column("content", Json(verbatim=True), nullable=False),
            Column("expires_at", Moment(), nullable=False, index=True),
        )
        self.history = history_table(self.metadata)
        self.tree = TreeTables(self.metadata)
        self.definitions = _definitions_table(self.metadata)
        self.notices = _notices_table(self.metadata)
        self.subscriptions = _subscriptions_table(self.metadata)
        self.deliveries = _deliveries_table(self.metadata)
        self.attempts = _attempts_table(self.metadata)
        self.passes = _passes_table(self.metadata)
        self.proposals = _proposals_table(self.metadata)

    @property
    def all(self) -> list[Table]:
        """Every one of them."""
        return list(self.metadata.tables.values())


@cache
def own_tables() -> OwnTables:
    """Made once in a process: to make them takes longer than to open a database."""
    return OwnTables()


class Tables:
    """All tables of a project: those of its collections by their names, and the service's own."""

    def __init__(self, project: Definitions) -> None:
        self.project, self.own = project, own_tables()
        metadata = MetaData()
        self.records = {
            name: collection_table(one, project, metadata) for name, one in project.collections.items()
        }
        self.meta, self.history, self.tree = self.own.meta, self.own.history, self.own.tree
        self.accounts, self.tokens, self.outcomes = self.own.accounts, self.own.tokens, self.own.outcomes
        self.definitions = self.own.definitions

    @property
    def all(self) -> list[Table]:
        """Every table, in the order in which they are made."""
        return [*self.records.values(), *self.own.all]


def _definitions_table(metadata: MetaData) -> Table:
    return Table(
        "fenland_definitions",
        metadata,
        Column("number", Integer, primary_key=True, autoincrement=False),
        Column("time", Moment(), nullable=False),
        Column("actor", _word(), nullable=False),
        Column("via", _word(), nullable=False),
        Column("content", Json(), nullable=False),
        Column("steps", Json(), nullable=False),
        Column("moved", Json(), nullable=False),
        # Entries up to this one are of older definitions.
        Column("sequence", BigInteger, nullable=False),
    )


def _notices_table(metadata: MetaData) -> Table:
    table = Table(
        "fenland_notices",
        metadata,
        Column("number", _SEQUENCE, primary_key=True, autoincrement=True),
        Column("name", _word(), nullable=False),
        Column("time", Moment(), nullable=False),
        Column("collection", _word(), nullable=False),
        Column("record_id", _word(36), nullable=False),
        Column("key", JsonText(), nullable=False),
        # The entry of the change that left it, and where the rule stands.
        Column("sequence", _SEQUENCE, nullable=False),
        Column("rule", _word(), nullable=False),
        Column("data", Json(), nullable=False),
        # Numbers of those that are removed do not come again.
        sqlite_autoincrement=True,
    )
    Index("fenland_notices_by_time", table.c.time)
    Index("fenland_notices_by_record", table.c.record_id)
    return table


def _subscriptions_table(metadata: MetaData) -> Table:
    return Table(
        "fenland_subscriptions",
        metadata,
        Column("id", _word(36), primary_key=True),
        Column("name", _word(), nullable=False, unique=True),
        Column("version", Integer, nullable=False),
        Column("account", _word(), ForeignKey("fenland_accounts.name"), nullable=False),
        Column("url", _text(), nullable=False),
        Column("collections", Json(), nullable=False),
        Column("where", _text(), nullable=False),
        Column("data", _word(), nullable=False),
        Column("notices", Json(), nullable=False),
        # Those that sign, each until when; the newest first.
        Column("secrets", Json(), nullable=False),
        Column("paused", Boolean, nullable=False),
        Column("why", _text(), nullable=False),
        # How far it has come in the feed, and in the outbox; and since when nothing was taken.
        Column("place", _word(), nullable=False),
        Column("notice", _SEQUENCE, nullable=False),
        Column("failing_since", Moment()),
    )


def _deliveries_table(metadata: MetaData) -> Table:
    table = Table(
        "fenland_deliveries",
        metadata,
        Column("number", _SEQUENCE, primary_key=True, autoincrement=True),
        Column("subscription", _word(36), nullable=False),
        # The id of the event and its type; the entry that it comes of, and the record that it is about.
        Column("event", _word(), nullable=False),
        Column("type", _word(), nullable=False),
        Column("sequence", _SEQUENCE, nullable=False),
        Column("collection", _word(), nullable=False),
        Column("record_id", _word(36), nullable=False),
        Column("subject", _text(), nullable=False),
        Column("time", Moment(), nullable=False),
        Column("state", _word(), nullable=False),
        Column("attempts", Integer, nullable=False),
        # When it is sent next; and from when on it is not tried any more.
        Column("due", Moment(), nullable=False),
        Column("until", Moment(), nullable=False),
        # How often values of the record were erased: what was answered before is not kept any more.
        Column("silenced", Integer, nullable=False),
        sqlite_autoincrement=True,
    )
    Index("fenland_deliveries_by_event", table.c.subscription, table.c.event, unique=True)
    state = (table.c.subscription, table.c.state)
    Index("fenland_deliveries_by_state", *state, table.c.record_id, table.c.sequence)
    Index("fenland_deliveries_by_record", table.c.record_id)
    Index("fenland_deliveries_by_until", table.c.until)
    return table


def _attempts_table(metadata: MetaData) -> Table:
    table = Table(
        "fenland_attempts",
        metadata,
        Column("number", _SEQUENCE, primary_key=True, autoincrement=True),
        Column("delivery", _SEQUENCE, nullable=False),
        Column("time", Moment(), nullable=False),
        Column("milliseconds", Integer, nullable=False),
        # None where no answer came; then why.
        Column("status", Integer),
        Column("why", _text(), nullable=False),
        Column("answer", _text(), nullable=False),
    )
    Index("fenland_attempts_by_delivery", table.c.delivery, table.c.number)
    return table


def _passes_table(metadata: MetaData) -> Table:
    table = Table(
        "fenland_passes",
        metadata,
        Column("number", _SEQUENCE, primary_key=True, autoincrement=True),
        Column("id", _word(36), nullable=False),
        Column("collection", _word(), nullable=False),
        Column("template", _word(), nullable=False),
        # Empty for a list, which is of no one record.
        Column("record_id", _word(36), nullable=False),
        Column("key", JsonText()),
        Column("definitions", Integer, nullable=False),
        # Whose rights it lends; empty where a rule made it, and then where that stands.
        Column("maker", _word(), nullable=False),
        Column("rule", _word(), nullable=False),
        Column("run", _word(36), nullable=False),
        Column("made_at", Moment(), nullable=False),
        Column("expires_at", Moment(), nullable=False),
        Column("revoked_at", Moment()),
        Column("hash", _word(64), unique=True),
        Column("salt", _word(64), nullable=False),
        Column("version", Integer, nullable=False),
        Column("opened_at", Moment()),
        Column("sent_at", Moment()),
        Column("sent", Integer, nullable=False),
        Column("tries", Integer, nullable=False),
        sqlite_autoincrement=True,
    )
    Index("fenland_passes_by_template", table.c.collection, table.c.template, table.c.number)
    Index("fenland_passes_by_record", table.c.record_id, table.c.number)
    return table


def _proposals_table(metadata: MetaData) -> Table:
    table = Table(
        "fenland_proposals",
        metadata,
        Column("number", _SEQUENCE, primary_key=True, autoincrement=True),
        Column("pass_number", _SEQUENCE, nullable=False),
        Column("collection", _word(), nullable=False),
        Column("template", _word(), nullable=False),
        Column("record_id", _word(36), nullable=False),
        Column("key", JsonText(), nullable=False),
        Column("definitions", Integer, nullable=False),
        Column("kind", _word(), nullable=False),
        Column("base", BigInteger, nullable=False),
        # By name, base, proposed value, state, reason, by whom and when; and the same of the whole.
        Column("fields", Json(), nullable=False),
        Column("whole", Json(), nullable=False),
        # It follows from them, and stands here to be asked for.
        Column("state", _word(), nullable=False),
        Column("note", _text(), nullable=False),
        Column("origin", _word(), nullable=False),
        Column("time", Moment(), nullable=False),
        Column("token", _word(64), nullable=False),
        # The record that was created by it; empty for none.
        Column("made_id", _word(36), nullable=False),
        Column("version", Integer, nullable=False),
        Column("settled_at", Moment()),
        sqlite_autoincrement=True,
    )
    Index("fenland_proposals_by_token", table.c.pass_number, table.c.token, unique=True)
    Index("fenland_proposals_by_state", table.c.state, table.c.collection, table.c.number)
    Index("fenland_proposals_by_record", table.c.record_id, table.c.number)
    Index("fenland_proposals_by_made", table.c.made_id)
    Index("fenland_proposals_by_settling", table.c.settled_at)
    return table


_SEQUENCE = Integer().with_variant(BigInteger(), "postgresql")


_KEPT: Mapping[Kept, Callable[[], TypeEngine[Any]]] = {
    "word": _word,
    "text": _text,
    "json": JsonText,
    "time": Moment,
    "sequence": lambda: _SEQUENCE,
    "number": BigInteger,
}


def _part_column(part: Part) -> Column[Any]:
    if part.name == "sequence":
        return Column(part.attribute, _SEQUENCE, primary_key=True, autoincrement=False)
    return Column(part.attribute, _KEPT[part.kept](), nullable=not part.always)


def history_table(metadata: MetaData, name: str = "fenland_history") -> Table:
    """The table of all entries, whose columns are the parts of an `Entry`; `history.py` here fills it."""
    table = Table(
        name,
        metadata,
        *(_part_column(part) for part in PARTS),
        # Both as they stand in the leaf, so that it is made without reading them.
        Column("changes", _text(), nullable=False),
        Column("sealed", _text()),
        # The roots of the perfect subtrees that end with this entry, its own leaf first.
        Column("nodes", Bytes(), nullable=False),
    )
    Index(f"{name}_by_record", table.c.record_id, table.c.version, unique=True)
    deletions: dict[str, Any] = {
        f"{engine}_where": table.c.action == "delete" for engine in ("sqlite", "postgresql")
    }
    # Finds the last record that had a key, once the record itself is gone; and all that are gone, by id.
    Index(f"{name}_deleted", table.c.collection, table.c.key, **deletions)
    Index(f"{name}_deleted_ids", table.c.collection, table.c.record_id, **deletions)
    return table


class TreeTables:
    """What stands beside the history: values under seals, what searches skip by, heads, keys, archives."""

    def __init__(self, metadata: MetaData) -> None:
        self.sealed = Table(
            "fenland_sealed",
            metadata,
            Column("sequence", _SEQUENCE, primary_key=True, autoincrement=False),
            Column("field", _word(), primary_key=True),
            # 0 is the value before, 1 the one after.
            Column("side", Integer, primary_key=True, autoincrement=False),
            Column("record_id", _word(36), nullable=False),
            Column("salt", Bytes(), nullable=False),
            # Of a field that is never shown, nothing.
            Column("value", _text()),
            sqlite_with_rowid=False,
        )
        Index("fenland_sealed_by_record", self.sealed.c.record_id, self.sealed.c.field)
        self.terms = Table(
            "fenland_terms",
            metadata,
            # Some blocks together, so that new terms all go to one place in the table.
            Column("segment", _SEQUENCE, primary_key=True, autoincrement=False),
            Column("term", BigInteger, primary_key=True, autoincrement=False),
            Column("block", _SEQUENCE, primary_key=True, autoincrement=False),
            # Which entries of the block have it, a bit for each.
            Column("entries", BigInteger, nullable=False),
            sqlite_with_rowid=False,
        )
        self.heads = Table(
            "fenland_heads",
            metadata,
            Column("size", _SEQUENCE, primary_key=True, autoincrement=False),
            Column("root", _word(64), nullable=False),
            Column("time", Moment(), nullable=False),
            Column("signed", _text(), nullable=False),
        )
        self.keys = Table(
            "fenland_keys",
            metadata,
            Column("id", _word(), primary_key=True),
            Column("key", Json(), nullable=False),
            Column("since", Moment(), nullable=False),
        )
        self.archives = Table(
            "fenland_archives",
            metadata,
            Column("last", _SEQUENCE, primary_key=True, autoincrement=False),
            Column("first", _SEQUENCE, nullable=False),
            Column("file", _text(), nullable=False),
            Column("digest", _word(64), nullable=False),
            Column("time", Moment(), nullable=False),
        )
        # The nodes of entries that are in an archive: all that proofs need of them.
        self.archived = Table(
            "fenland_archived",
            metadata,
            Column("sequence", _SEQUENCE, primary_key=True, autoincrement=False),
            Column("nodes", Bytes(), nullable=False),
        )
