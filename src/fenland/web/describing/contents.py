"""What the document says of the bodies that routes take, and of what they answer with."""

from __future__ import annotations

from typing import Any

from fenland.core.values.plain import MISSING
from fenland.web.http.body import HTML_FORMS, JSON
from fenland.web.http.patch_formats import FORMATS
from fenland.web.http.record_type import RecordType
from fenland.web.http.replies import Body
from fenland.web.http.schemas import OPEN, Schema, content_of, ref


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


def save_body(about: RecordType) -> Schema:
    """Fields of a record, and its id where it is there already."""
    example = {"id": "", **about.example(creating=True)}
    return {**content_of(OPEN, JSON, example=example), **content_of(OPEN, *HTML_FORMS)}


def record_body(about: RecordType) -> Schema:
    """A whole record, to take the place of one."""
    return {**content_of(ref(f"schemas/{about.name}Patch"), JSON), **content_of(OPEN, *HTML_FORMS)}


def one_body(schema: Schema | str, *types: str, example: Any = MISSING, required: bool = True) -> Body:
    """A body that is the same for every record type: its schema, or the name of one."""
    found = ref(f"schemas/{schema}") if isinstance(schema, str) else schema
    content = content_of(found, *types, example=example)
    return Body(lambda _about: content, required)
