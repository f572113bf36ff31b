"""What the service answers, as frozen values. Decimals are exact: `decimal.Decimal`, never float."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.client.errors import FieldError, field_errors


@dataclass(frozen=True, slots=True)
class Record(Mapping[str, Any]):
    """A record as it was answered: its fields by name, and the entity tag of that version.

    One that a change took out of the caller's sight is `unseen`: its id and key are told, or nothing.
    """

    fields: Mapping[str, Any]
    etag: str
    #: The files that hold still what was erased, where this is the answer to that.
    copies: tuple[str, ...] = ()

    def __getitem__(self, name: str) -> Any:
        return self.fields[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self.fields)

    def __len__(self) -> int:
        return len(self.fields)

    @property
    def version(self) -> int:
        """The version of the record that this is a copy of; 0 where it is unseen."""
        return int(self.fields.get("version", 0))

    @property
    def unseen(self) -> bool:
        """Whether it was changed, and may not be read any more."""
        return not self.etag


@dataclass(frozen=True, slots=True)
class View:
    """How a list is shown, kept under a title; shown by `client.list(view.collection, **view.asked)`."""

    #: The id of the record that holds it.
    id: str
    collection: str
    title: str
    #: The fields it shows, where it says.
    fields: tuple[str, ...]
    asked: Mapping[str, str | None]


def view_from(data: Mapping[str, Any]) -> View:
    """A view out of its record; columns may say behind a colon how wide they are."""
    fields = tuple(str(column).partition(":")[0] for column in data.get("columns") or ())
    asked = {name: data.get(name) or None for name in ("where", "q", "sort")}
    return View(data["id"], data["collection"], data["title"], fields, asked)


@dataclass(frozen=True, slots=True)
class Entry:
    """One change of one record; `raw` holds the whole answer."""

    sequence: int
    time: str
    key: Any
    version: int
    action: str
    actor: str
    via: str
    client: str | None
    reason: str | None
    changes: Mapping[str, Mapping[str, Any]]
    sentence: str
    raw: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class BatchResult:
    """What became of one item: its status, and the record or the problem."""

    status: int
    record: Record | None
    problem: Mapping[str, Any]

    @property
    def done(self) -> bool:
        """Whether it was carried out."""
        return self.status < 300


@dataclass(frozen=True, slots=True)
class Preview:
    """What a change would do: values before and after by field, the record, and what is wrong."""

    changes: Mapping[str, Mapping[str, Any]]
    record: Mapping[str, Any]
    errors: tuple[FieldError, ...]
    version: int
    ignored: tuple[str, ...] = ()
    #: What would follow in other records: each with `collection`, `key`, `action`, `rule` and `changes`; and
    #: how many more there are, most of them not the caller's to see.
    consequences: tuple[Mapping[str, Any], ...] = ()
    unseen: int = 0


@dataclass(frozen=True, slots=True)
class Form:
    """All an edit form needs; see the service's `GET …/form`."""

    values: Mapping[str, Any]
    schema: Mapping[str, Any]
    choices: Mapping[str, Any]
    writable: tuple[str, ...]
    deletable: bool
    version: int | None
    etag: str | None


def record_from(fields: Mapping[str, Any]) -> Record:
    """A record with its entity tag, which is made of its id and version; one that is unseen has none."""
    known = "id" in fields and "version" in fields
    return Record(fields, f'"{fields["id"]}.{fields["version"]}"' if known else "")


def entry_from(raw: Mapping[str, Any]) -> Entry:
    """An entry from its JSON."""
    names = (
        "sequence",
        "time",
        "key",
        "version",
        "action",
        "actor",
        "via",
        "client",
        "reason",
        "changes",
        "sentence",
    )
    return Entry(**{name: raw[name] for name in names}, raw=raw)


def form_from(raw: Mapping[str, Any]) -> Form:
    """A form from its JSON."""
    names = ("values", "schema", "choices", "deletable", "version", "etag")
    return Form(writable=tuple(raw["writable"]), **{name: raw[name] for name in names})


def preview_from(raw: Mapping[str, Any]) -> Preview:
    """A preview from its JSON."""
    errors = field_errors(raw["errors"])
    follows = tuple(raw["consequences"]), raw["unseen"]
    return Preview(raw["changes"], raw["record"], errors, raw["version"], tuple(raw["ignored"]), *follows)


def batch_from(raw: Mapping[str, Any]) -> tuple[BatchResult, ...]:
    """The results of a batch from its JSON."""
    return tuple(
        BatchResult(one["status"], record_from(one["record"]) if "record" in one else None, one)
        for one in raw["results"]
    )
