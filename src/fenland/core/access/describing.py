"""Describing definitions in open formats: a bundle of JSON Schemas, and a diagram of what refers to what."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from fenland.core.access.field_access import field_access
from fenland.core.access.schemas import DIALECT, collection_schema
from fenland.core.definitions.model import Collection, Definitions, Field


def schema_bundle(definitions: Definitions, title: str) -> dict[str, Any]:
    """One JSON Schema (2020-12) that holds those of all collections, for who may read and set every field."""
    schemas = {}
    for name, one in definitions.collections.items():
        schemas[name] = collection_schema(field_access(one, creating=False, transfer=True))
        del schemas[name]["$schema"]
    return {"$schema": DIALECT, "title": title, "$defs": schemas}


def diagram(definitions: Definitions) -> str:
    """Collections with their fields, and references between them, as a Mermaid diagram of entities."""
    return "\n".join(["erDiagram", *_lines(definitions)]) + "\n"


def _lines(definitions: Definitions) -> Iterator[str]:
    for one in definitions.collections.values():
        yield f"    {one.name} {{"
        for item in one.fields.values():
            yield f"        {_kind(item)} {item.name}{_marks(item, one)}"
        yield "    }"
    for one in definitions.collections.values():
        for item in one.fields.values():
            if item.references is not None:
                # Of one that may be empty, a record refers to none or one; else to exactly one.
                end = "||" if item.filled else "|o"
                yield f"    {item.references} {end}--o{{ {one.name} : {item.name}"


def _kind(item: Field) -> str:
    if item.scale is not None:
        return "decimal"
    return (item.format or item.type).replace("-", "_")


def _marks(item: Field, collection: Collection) -> str:
    marks = [
        *(["PK"] if item.name == collection.key else []),
        *(["FK"] if item.references is not None else []),
        *(["UK"] if item.unique and item.name != collection.key else []),
    ]
    return " " + ", ".join(marks) if marks else ""
