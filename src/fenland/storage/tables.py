"""Tables made from the definitions, and the service's own beside them.

Every collection is a table that other tools can read: typed columns, unique and foreign keys, and
indexes for owners, references and dates. An exact decimal is a 64-bit count of its last digit.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    Column,
    Date,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    MetaData,
    String,
    Table,
    Text,
)
from sqlalchemy.types import TypeEngine

from fenland.core.definitions import Collection, Definitions, Field, has_index

#: Grows when the service's own tables change shape; a newer database is refused by an older service.
LAYOUT = 2


def column_type(item: Field) -> TypeEngine[Any]:
    """The column type that holds a field's values."""
    if item.type == "string":
        by_format: dict[str | None, TypeEngine[Any]] = {
            "date": Date(),
            "date-time": DateTime(),
            "uuid": String(36),
        }
        plain: TypeEngine[Any] = String(item.max_length) if item.max_length else Text()
        return by_format.get(item.format, plain)
    by_type: dict[str, TypeEngine[Any]] = {
        "integer": BigInteger(),
        "number": Float() if item.scale is None else BigInteger(),
        "boolean": Boolean(),
        "array": JSON(),
        "object": JSON(),
    }
    return by_type[item.type]


#: Where a column notes the form in which its values are kept, in words.
KEPT = "kept"


def kept_form(item: Field) -> str:
    """The form in which a field's values are kept, in words that end "holds …"."""
    if item.scale is not None:
        return f"decimals with {item.scale} digits after the point"
    by_type = {
        "string": {"date": "dates", "date-time": "moments", "uuid": "UUIDs"}.get(item.format or "", "texts"),
        "integer": "whole numbers",
        "number": "doubles",
        "boolean": "true or false",
        "array": "lists",
        "object": "objects",
    }
    return by_type[item.type]


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
        nullable=not (item.required and not item.nullable),
        unique=item.unique or None,
        info={KEPT: kept_form(item)},
    )


def collection_table(collection: Collection, definitions: Definitions, metadata: MetaData) -> Table:
    """The table of one collection: the fields the service keeps, then the defined ones."""
    table = Table(
        collection.name,
        metadata,
        Column("id", String(36), primary_key=True),
        Column("version", BigInteger, nullable=False),
        Column("created_at", DateTime, nullable=False),
        Column("created_by", String, nullable=False),
        Column("updated_at", DateTime, nullable=False),
        Column("updated_by", String, nullable=False),
        *(_column(item, definitions) for item in collection.fields.values()),
    )
    for item in collection.fields.values():
        # A unique column has an index of its own.
        if has_index(item, collection) and not item.unique:
            Index(f"{collection.name}_by_{item.name}", table.c[item.name], table.c.id)
    return table


class Tables:
    """All tables of a project: `own` ones by short name, `records` by collection name."""

    def __init__(self, definitions: Definitions) -> None:
        self.metadata = MetaData()
        self.records = {
            name: collection_table(one, definitions, self.metadata)
            for name, one in definitions.collections.items()
        }
        self.meta = Table(
            "fenland_meta",
            self.metadata,
            Column("name", String, primary_key=True),
            Column("value", JSON, nullable=False),
        )
        self.accounts = Table(
            "fenland_accounts",
            self.metadata,
            Column("name", String, primary_key=True),
            Column("title", String, nullable=False),
            Column("roles", JSON, nullable=False),
            Column("created_at", DateTime, nullable=False),
        )
        self.tokens = Table(
            "fenland_tokens",
            self.metadata,
            Column("hash", String(64), primary_key=True),
            Column("account", String, ForeignKey("fenland_accounts.name"), nullable=False),
            Column("label", String, nullable=False),
            Column("created_at", DateTime, nullable=False),
            Column("expires_at", DateTime),
            Column("revoked_at", DateTime),
        )
        self.outcomes = Table(
            "fenland_outcomes",
            self.metadata,
            Column("account", String, primary_key=True),
            Column("key", String, primary_key=True),
            Column("fingerprint", String(64), nullable=False),
            Column("content", JSON, nullable=False),
            Column("expires_at", DateTime, nullable=False, index=True),
        )
        self.history = _history_table(self.metadata)


def _history_table(metadata: MetaData) -> Table:
    table = Table(
        "fenland_history",
        metadata,
        Column("sequence", Integer, primary_key=True),
        Column("time", DateTime, nullable=False),
        Column("collection", String, nullable=False),
        Column("record_id", String(36), nullable=False),
        # JSON as text: a column of type JSON would turn the key 1 from text into a number in SQLite.
        Column("key", Text, nullable=False),
        Column("version", BigInteger, nullable=False),
        Column("action", String, nullable=False),
        Column("actor", String, nullable=False),
        Column("behalf", String),
        Column("via", String, nullable=False),
        Column("request_id", String, nullable=False),
        Column("reason", Text),
        Column("cause", Integer),
        Column("changes", JSON, nullable=False),
        Column("client", String),
    )
    Index("fenland_history_by_record", table.c.record_id, table.c.version, unique=True)
    # Finds the last record that had a key, once the record itself is gone.
    Index(
        "fenland_history_deleted",
        table.c.collection,
        table.c.key,
        sqlite_where=table.c.action == "delete",
        postgresql_where=table.c.action == "delete",
    )
    return table
