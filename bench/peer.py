"""The hand-written peer: Flask, SQLAlchemy ORM and pydantic over SQLite (WAL, synchronous=FULL).

Run by a WSGI server as `peer:app`; BENCH_DB names the database, BENCH_LOCK=1 puts all writes under
one lock, which makes its slowest answers far quicker.
"""

from __future__ import annotations

import contextlib
import os
import threading
from datetime import UTC, datetime
from typing import Any, Literal

from flask import Flask, Response, abort, jsonify, request
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import JSON, DateTime, Index, String, Text, create_engine, event, select
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, sessionmaker
from sqlalchemy.orm.exc import StaleDataError

from data import OWNERS, gauges

engine = create_engine(f"sqlite:///{os.environ['BENCH_DB']}", pool_size=20, max_overflow=10)


@event.listens_for(engine, "connect")
def _prepare(connection: Any, _: Any) -> None:
    for pragma in ("busy_timeout=5000", "journal_mode=WAL", "synchronous=FULL"):
        connection.execute(f"PRAGMA {pragma}")


class Base(DeclarativeBase):
    pass


class Gauge(Base):
    __tablename__ = "gauges"
    __table_args__ = (Index("gauges_by_owner", "owner", "code"),)
    code: Mapped[str] = mapped_column(String(16), primary_key=True)
    owner: Mapped[str] = mapped_column(String(32))
    name: Mapped[str] = mapped_column(String(80))
    status: Mapped[str] = mapped_column(String(16))
    latitude: Mapped[float]
    longitude: Mapped[float]
    level: Mapped[float]
    capacity: Mapped[int]
    enabled: Mapped[bool]
    installed_at: Mapped[datetime | None] = mapped_column(DateTime)
    notes: Mapped[str | None] = mapped_column(Text)
    version: Mapped[int] = mapped_column()
    created_at: Mapped[datetime] = mapped_column(DateTime)
    updated_at: Mapped[datetime] = mapped_column(DateTime)
    __mapper_args__ = {"version_id_col": version}  # noqa: RUF012

    def to_dict(self) -> dict[str, Any]:
        return {
            "code": self.code,
            "owner": self.owner,
            "name": self.name,
            "status": self.status,
            "latitude": self.latitude,
            "longitude": self.longitude,
            "level": self.level,
            "capacity": self.capacity,
            "enabled": self.enabled,
            "installed_at": _plain(self.installed_at),
            "notes": self.notes,
            "version": self.version,
            "created_at": _plain(self.created_at),
            "updated_at": _plain(self.updated_at),
        }


class History(Base):
    __tablename__ = "history"
    __table_args__ = (Index("history_by_gauge", "gauge", "version"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    gauge: Mapped[str] = mapped_column(String(16))
    version: Mapped[int] = mapped_column()
    actor: Mapped[str] = mapped_column(String(32))
    at: Mapped[datetime] = mapped_column(DateTime)
    before: Mapped[dict[str, Any]] = mapped_column(JSON)
    after: Mapped[dict[str, Any]] = mapped_column(JSON)


class Fields(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str = Field(None, min_length=1, max_length=80)
    status: Literal["active", "maintenance", "retired"] = None
    latitude: float = Field(None, ge=-90, le=90)
    longitude: float = Field(None, ge=-180, le=180)
    level: float = Field(None, ge=-500, le=9000)
    capacity: int = Field(None, ge=0, le=100_000)
    enabled: bool = None
    installed_at: datetime | None = None
    notes: str | None = Field(None, max_length=2000)


class NewFields(Fields):
    code: str = Field(min_length=1, max_length=16)


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, datetime) else value


def _now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


Session = sessionmaker(engine, expire_on_commit=False)
write_lock = threading.Lock() if os.environ.get("BENCH_LOCK") else contextlib.nullcontext()
tokens = {f"token-{number}": f"owner-{number}" for number in range(OWNERS)}
app = Flask(__name__)


def _actor() -> str:
    name = tokens.get(request.headers.get("Authorization", "")[7:])
    if name is None:
        abort(401)
    return name


def _reply(gauge: Gauge, status: int = 200) -> Response:
    answer = jsonify(gauge.to_dict())
    answer.status_code = status
    answer.headers["ETag"] = f'"{gauge.version}"'
    return answer


def _own(session: Any, code: str, actor: str) -> Gauge:
    gauge = session.get(Gauge, code)
    if gauge is None:
        abort(404)
    if gauge.owner != actor:
        abort(403)
    return gauge


@app.patch("/v1/records/gauges/<code>")
def update(code: str) -> Any:
    actor = _actor()
    for _ in range(4):
        try:
            with write_lock, Session() as session:
                gauge = _own(session, code, actor)
                try:
                    changes = Fields.model_validate(request.get_json(force=True)).model_dump(
                        exclude_unset=True
                    )
                except ValidationError as error:
                    return jsonify(errors=error.errors(include_url=False, include_context=False)), 422
                before, after = {}, {}
                for name, value in changes.items():
                    old = getattr(gauge, name)
                    if old != value:
                        before[name], after[name] = _plain(old), _plain(value)
                        setattr(gauge, name, value)
                if after:
                    gauge.updated_at = _now()
                    entry = {
                        "gauge": gauge.code,
                        "version": gauge.version + 1,
                        "actor": actor,
                        "at": gauge.updated_at,
                    }
                    session.add(History(**entry, before=before, after=after))
                    session.commit()
                return _reply(gauge)
        except StaleDataError:
            continue
    return jsonify(error="conflict"), 409


@app.post("/v1/records/gauges")
def create() -> Any:
    actor = _actor()
    try:
        fields = NewFields.model_validate(request.get_json(force=True)).model_dump()
    except ValidationError as error:
        return jsonify(errors=error.errors(include_url=False, include_context=False)), 422
    now = _now()
    with write_lock, Session() as session:
        gauge = Gauge(owner=actor, created_at=now, updated_at=now, **fields)
        session.add(gauge)
        entry = {"gauge": gauge.code, "version": 1, "actor": actor, "at": now, "before": {}}
        session.add(History(**entry, after={name: _plain(value) for name, value in fields.items()}))
        session.commit()
        return _reply(gauge, 201)


@app.delete("/v1/records/gauges/<code>")
def delete(code: str) -> Any:
    actor = _actor()
    with write_lock, Session() as session:
        gauge = _own(session, code, actor)
        last = _reply(gauge)
        entry = {"gauge": gauge.code, "version": gauge.version + 1, "actor": actor, "at": _now()}
        session.add(History(**entry, before=gauge.to_dict(), after={}))
        session.delete(gauge)
        session.commit()
        return last


@app.get("/v1/records/gauges/<code>")
def read(code: str) -> Any:
    actor = _actor()
    with Session() as session:
        return _reply(_own(session, code, actor))


@app.get("/v1/records/gauges")
def listed() -> Any:
    actor = _actor()
    limit, after = min(int(request.args.get("limit", 50)), 200), request.args.get("after", "")
    with Session() as session:
        rows = session.scalars(
            select(Gauge).where(Gauge.owner == actor, Gauge.code > after).order_by(Gauge.code).limit(limit)
        ).all()
        return jsonify(items=[row.to_dict() for row in rows])


@app.get("/healthz")
def healthz() -> Any:
    return jsonify(ok=True)


@app.patch("/empty")
def empty() -> Any:
    """Nothing but Flask: reads its body and answers."""
    request.get_json(force=True)
    return jsonify(ok=True)


def fill(count: int) -> None:
    """Creates the tables and the same gauges that Fenland is given."""
    Base.metadata.create_all(engine)
    moment = datetime(2031, 4, 9, 12, 0)
    with Session() as session:
        for place, fields in enumerate(gauges(count)):
            fields = fields | {"installed_at": moment}
            session.add(
                Gauge(owner=f"owner-{place % OWNERS}", created_at=moment, updated_at=moment, **fields)
            )
        session.commit()
