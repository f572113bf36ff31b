"""The statements of the history table: prepared once in a process, whichever database they are run on."""

from __future__ import annotations

from functools import cache

from sqlalchemy import BindParameter, Table, bindparam, func, select, tuple_

from fenland.storage.shared.history.terms import Terms
from fenland.storage.shared.history.tree import Tree
from fenland.storage.shared.statements import Engine, Prepared, parameters_of
from fenland.storage.shared.tables import UNSALTED, OwnTables
from fenland.storage.shared.values import Mark


class Texts:
    """The statements, and those of the tree and the terms beside it. `history.py` runs them."""

    def __init__(self, tables: OwnTables, engine: Engine) -> None:
        self.tree = Tree(tables, engine)
        self.terms = Terms(tables.tree.terms, tables.history, engine)
        table, meta = tables.history, tables.meta
        self.columns = [column.name for column in table.columns]
        self.add = Prepared(
            engine.numbering(table.insert().values(parameters_of(table, self.columns)), table.c.sequence),
            engine,
        )
        self.unsalted = Prepared(select(meta.c.value).where(meta.c.name == UNSALTED), engine)
        self._prepare_reading(table, engine)
        marks = select(*(table.c[name] for name in Mark._fields))
        self.behind = Prepared(marks.where(table.c.sequence == bindparam("sequence")), engine)
        self._prepare_archives(tables, engine)
        self._prepare_secrets(tables.tree.sealed, engine)

    def _prepare_reading(self, table: Table, engine: Engine) -> None:
        entries = select(*table.columns)
        self.last = Prepared(
            select(table.c.sequence, table.c.time, table.c.nodes).order_by(table.c.sequence.desc()).limit(1),
            engine,
        )
        self.last_values = self.last.values({})
        of_record = table.c.record_id == bindparam("record_id", type_=table.c.record_id.type)
        limited: BindParameter[int] = bindparam("x_limit")
        below: BindParameter[int] = bindparam("below")
        self.of_record = Prepared(
            entries.where(of_record, table.c.version < below).order_by(table.c.version.desc()).limit(limited),
            engine,
        )
        self.since = Prepared(
            entries.where(of_record, table.c.version > bindparam("version"))
            .order_by(table.c.version)
            .limit(limited),
            engine,
        )
        newest = select(table.c.settled).where(of_record).order_by(table.c.version.desc()).limit(1)
        self.settled = Prepared(newest, engine)
        some = select(table.c.sequence, table.c.version, table.c.changes, table.c.sealed)
        self.changed = Prepared(
            some.where(of_record, table.c.version > bindparam("version"))
            .order_by(table.c.version)
            .limit(limited),
            engine,
        )
        deletions = entries.where(table.c.collection == bindparam("collection"), table.c.action == "delete")
        self.last_deleted = Prepared(
            deletions.where(table.c.key == bindparam("key", type_=table.c.key.type))
            .order_by(table.c.sequence.desc())
            .limit(1),
            engine,
        )
        self.deleted_since = Prepared(
            select(table.c.record_id)
            .where(
                table.c.collection == bindparam("collection"),
                table.c.action == "delete",
                table.c.record_id > bindparam("after", type_=table.c.record_id.type),
                table.c.sequence > bindparam("sequence"),
            )
            .order_by(table.c.record_id)
            .limit(limited),
            engine,
        )
        self._prepare_stretches(table, engine)

    def _prepare_stretches(self, table: Table, engine: Engine) -> None:
        """What reads entries by their sequence."""
        limited: BindParameter[int] = bindparam("x_limit")
        below: BindParameter[int] = bindparam("below")
        above: BindParameter[int] = bindparam("above")
        within = select(*table.columns).where(table.c.sequence > above, table.c.sequence < below)
        self.newest = Prepared(within.order_by(table.c.sequence.desc()).limit(limited), engine)
        self.oldest = Prepared(within.order_by(table.c.sequence).limit(limited), engine)
        self.collections = Prepared(
            select(table.c.collection, func.max(table.c.sequence))
            .where(table.c.sequence > above)
            .group_by(table.c.collection),
            engine,
        )
        self.time = Prepared(select(table.c.time).where(table.c.sequence == bindparam("sequence")), engine)
        self.first = Prepared(select(table.c.sequence).order_by(table.c.sequence).limit(1), engine)
        self.counts = Prepared(
            select(table.c.collection, table.c.actor, func.count())
            .where(table.c.sequence > above, table.c.sequence <= bindparam("last"))
            .group_by(table.c.collection, table.c.actor),
            engine,
        )

    def _prepare_archives(self, tables: OwnTables, engine: Engine) -> None:
        table, gone = tables.history, tables.tree.archives
        self.add_archive = Prepared(gone.insert().values(parameters_of(gone, gone.c.keys())), engine)
        out, kept = table.c.sequence <= bindparam("last"), tables.tree.archived
        nodes = select(table.c.sequence, table.c.nodes).where(out)
        self.keep_nodes = Prepared(kept.insert().from_select(["sequence", "nodes"], nodes), engine)
        self.take_out = Prepared(table.delete().where(out), engine)
        self.archives = Prepared(
            select(gone.c.first, gone.c.last, gone.c.file, gone.c.digest, gone.c.time).order_by(gone.c.last),
            engine,
        )

    def _prepare_secrets(self, secrets: Table, engine: Engine) -> None:
        self.seal = Prepared(secrets.insert().values(parameters_of(secrets, secrets.c.keys())), engine)
        self.seals = Prepared(
            select(secrets.c.field, secrets.c.side, secrets.c.salt, secrets.c.value).where(
                secrets.c.sequence == bindparam("sequence")
            ),
            engine,
        )
        places = (secrets.c.record_id, secrets.c.field)
        after = [bindparam(one.name, type_=one.type) for one in places]
        self.sealed_fields = Prepared(
            select(*places, func.count())
            .where(tuple_(*places) > tuple_(*after))
            .group_by(*places)
            .order_by(*places)
            .limit(bindparam("x_limit")),
            engine,
        )
        self.erase = Prepared(
            secrets.delete().where(
                secrets.c.record_id == bindparam("record_id", type_=secrets.c.record_id.type),
                secrets.c.field == bindparam("field", type_=secrets.c.field.type),
                secrets.c.sequence > bindparam("above", type_=secrets.c.sequence.type),
                secrets.c.sequence <= bindparam("upto", type_=secrets.c.sequence.type),
            ),
            engine,
        )


@cache
def texts_of(tables: OwnTables, engine: Engine) -> Texts:
    """The statements for an engine."""
    return Texts(tables, engine)
