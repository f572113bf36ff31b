"""What the document says of the bodies that routes take, and of what they answer with."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from fenland.core.values import MISSING
from fenland.web.body import HTML_FORMS, JSON
from fenland.web.describing.parts import OPEN, Schema, content_of, ref
from fenland.web.describing.record_types import RecordType
from fenland.web.patch_formats import FORMATS


@dataclass(frozen=True, slots=True)
class Reply:
    """What a route answers with under one status. `{name}`, `{one}` and `{many}` stand for the record type."""

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


def patch_body(about: RecordType) -> Schema:
    """A patch of a record, in any format."""
    content: Schema = {}
    for one in FORMATS:
        example = one.example(about.example(creating=False))
        content |= content_of(one.schema(about.name), *one.media_types, example=example)
    return content


def new_body(about: RecordType) -> Schema:
    """A record to create."""
    example = about.example(creating=True)
    return {
        **content_of(ref(f"schemas/{about.name}New"), JSON, example=example),
        **content_of(OPEN, *HTML_FORMS),
    }


def record_body(about: RecordType) -> Schema:
    """A whole record, to take the place of one."""
    return {**content_of(ref(f"schemas/{about.name}Patch"), JSON), **content_of(OPEN, *HTML_FORMS)}


def one_body(schema: Schema | str, *types: str, example: Any = MISSING, required: bool = True) -> Body:
    """A body that is the same for every record type: its schema, or the name of one."""
    found = ref(f"schemas/{schema}") if isinstance(schema, str) else schema
    content = content_of(found, *types, example=example)
    return Body(lambda about: content, required)
