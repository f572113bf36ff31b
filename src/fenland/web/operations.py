"""The routes as operations of the OpenAPI document, each made of its row."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any

from fenland.core.definitions.model import Collection, Field
from fenland.core.reserved import RESERVED
from fenland.service.records.filtering import ENDS, has_ends, reserved_field
from fenland.web.http.parameters import IF_MATCH, ONCE
from fenland.web.http.record_type import RecordType
from fenland.web.http.replies import Reply
from fenland.web.http.route import BY_FIELD, EXPORTS, RECORDS, Route
from fenland.web.http.schemas import NUMBER, TEXT, Schema, content_of, ref, responses_of

#: What stands in the open places of paths.
_PLACES: Mapping[str, tuple[Schema, str]] = {
    "collection": (TEXT, "The collection's name."),
    "field": (TEXT, "The field's name."),
    "sequence": (NUMBER, "The number of the entry."),
    "name": (TEXT, "The account's name."),
    "id": (TEXT, "The token's id."),
    "subscription": (TEXT, "The subscription's name."),
    "number": (NUMBER, "Its number."),
}
_NO_TYPE = RecordType(Collection("", "", {}), "")


def components_of(routes: Iterable[Route]) -> dict[str, Schema]:
    """The parameters that routes take, by their names among the components."""
    return {one.component: one.described() for route in routes for one in route.takes}


def paths_of(routes: Iterable[Route], types: Iterable[RecordType]) -> dict[str, Schema]:
    """The paths of the document; routes of records once for each record type."""
    found: dict[str, Schema] = {}
    types = list(types)
    for route in routes:
        if not route.path.startswith((RECORDS, EXPORTS)):
            _add(found, route, route.path, _places(route.path), _operation(route, _NO_TYPE))
            continue
        for about in types:
            path = route.path.replace("{collection}", about.collection.name)
            if route.path == BY_FIELD:
                for item in about.collection.fields.values():
                    if item.unique:
                        by = path.replace("{field}", item.name)
                        _add(found, route, by, [_place("value", item)], _operation(route, about, item.name))
            else:
                key = about.collection.fields.get(about.collection.key)
                places = [_place("key", key)] if "{key}" in path else []
                _add(found, route, path, places, _operation(route, about))
    return found


def _add(paths: dict[str, Schema], route: Route, path: str, places: list[Schema], operation: Schema) -> None:
    at = paths.setdefault(path, {"parameters": places} if places else {})
    at[route.method.lower()] = operation


def _places(path: str) -> list[Schema]:
    return [_path_parameter(name, *_PLACES[name]) for name in re.findall(r"\{(\w+)\}", path)]


def _place(name: str, item: Field | None) -> Schema:
    kind = {"type": "string" if item is None else item.type}
    return _path_parameter(name, kind, f"The record's {'id' if item is None else item.name}.")


def _path_parameter(name: str, schema: Schema, description: str) -> Schema:
    return {"name": name, "in": "path", "schema": schema, "description": description, "required": True}


def _operation(route: Route, about: RecordType, field: str = "") -> Schema:
    summary = about.filled(route.summary)
    by = f"By{''.join(part.capitalize() for part in field.split('_'))}" if field else ""
    equal = _equalities(route, about.collection) if route.filtered else []
    parameters = [*(ref(f"parameters/{one.component}") for one in route.takes), *equal]
    found: Schema = {
        "operationId": f"{route.operation}{about.name}{by}",
        "summary": summary,
        "description": about.filled(route.description) or f"{summary}.",
        **({"tags": [about.collection.name]} if about.name else {}),
        **({"parameters": parameters} if parameters else {}),
        "responses": _responses(route, about),
    }
    if route.body is not None:
        found["requestBody"] = {"required": route.body.required, "content": route.body.content(about)}
    if route.signed_in == "no":
        found["security"] = []
    return found


_ENDS = {
    "from": "The least it may be; of a moment also a day, in UTC.",
    "to": "The most it may be; of a moment also a day, in UTC, of which all counts.",
}


def _equalities(route: Route, collection: Collection) -> list[Schema]:
    """The parameters by which lists can be filtered without an expression."""
    kinds: dict[str, Schema] = {
        name: {part: schema[part] for part in ("type", "format") if part in schema}
        for name, schema in RESERVED.items()
    }
    for name, item in collection.fields.items():
        if item.type not in ("array", "object") and not item.write_only:
            kinds[name] = {"type": item.type, **({"format": item.format} if item.format else {})}
    ranged = {name for name, item in collection.fields.items() if has_ends(item) and not item.write_only}
    ranged |= {name for name in RESERVED if has_ends(reserved_field(name))}
    return [
        {
            "name": name,
            "in": "query",
            "schema": {"type": "array", "items": kind},
            "description": "A value it has; repeated: any of them.",
            "explode": True,
        }
        for name, kind in kinds.items()
        if name not in route.query.known
    ] + [
        {"name": f"{name}.{end}", "in": "query", "schema": kinds[name], "description": _ENDS[end]}
        for name in kinds
        if name in ranged
        for end in ENDS
    ]


def _responses(route: Route, about: RecordType) -> Schema:
    found = responses_of(*_problems(route))
    for status, reply in route.answers.items():
        found[str(status)] = _reply(reply, about)
    return found


def _problems(route: Route) -> list[str]:
    """The codes of what a route may answer with: its own, and what follows from the row."""
    codes = [*route.problems, "malformed"]
    if route.signed_in == "yes":
        codes.append("not-signed-in")
    if "{" in route.path:
        codes.append("not-found")
    if IF_MATCH in route.takes:
        codes.append("version-mismatch")
    if ONCE in route.takes:
        codes.append("key-reused")
    if route.body is not None:
        codes.append("body-timeout")
    if route.method != "GET":
        codes.append("storage-full")
    return codes


def _reply(reply: Reply, about: RecordType) -> Schema:
    found: dict[str, Any] = {"description": reply.description}
    if reply.headers:
        found["headers"] = dict(reply.headers)
    if reply.schema is not None:
        content = content_of(_schema(reply.schema, about), *reply.types)
        for kind, schema in reply.also.items():
            content[kind] = {"schema": _schema(schema, about)}
        found["content"] = content
    return found


def _schema(schema: Schema | str, about: RecordType) -> Schema:
    found: Schema = _filled(ref(f"schemas/{schema}") if isinstance(schema, str) else schema, about)
    return found


def _filled(part: Any, about: RecordType) -> Any:
    if isinstance(part, str):
        return about.filled(part)
    if isinstance(part, dict):
        return {name: _filled(one, about) for name, one in part.items()}
    return [_filled(one, about) for one in part] if isinstance(part, list) else part
