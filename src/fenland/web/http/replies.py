"""What a route is said to take as its body, and to answer with."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from fenland.web.http.body import JSON
from fenland.web.http.record_type import RecordType
from fenland.web.http.schemas import Schema


@dataclass(frozen=True, slots=True)
class Reply:
    """What a route answers with under one status. `{name}`, `{one}`, `{many}` stand for the record type."""

    description: str
    #: The schema, or the name of one among the components of the document.
    schema: Schema | str | None = None
    headers: Mapping[str, Schema] = field(default_factory=dict)
    types: tuple[str, ...] = (JSON,)
    #: What else may come under the same status, by media type.
    also: Mapping[str, Schema | str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Body:
    """What a route's body may be, by media type: for the record type that it is about."""

    content: Callable[[RecordType], Schema]
    required: bool = True
