"""The OpenAPI document for importers that choke on the full one: of one collection, without references, in 3.0.

Each takes a document and gives another, and all of them together: first what is wanted is picked out, then
what is referred to is put in its place, then it is said in the older words. What those cannot say is left
out, so that a client made of it may be told more by the service than its document says, and never less.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any, Literal

from fenland.web.http.schemas import Schema

Version = Literal["3.0", "3.1"]
VERSIONS: tuple[Version, ...] = ("3.0", "3.1")

_METHODS = frozenset({"get", "put", "post", "delete", "patch", "options", "head"})
#: Keywords of JSON Schema 2020-12 that schemas of OpenAPI 3.0 do not have.
_UNKNOWN = frozenset(
    [
        "$schema",
        "$id",
        "$comment",
        "$defs",
        "const",
        "examples",
        "contentEncoding",
        "contentMediaType",
        "contentSchema",
        "contains",
        "maxContains",
        "minContains",
        "prefixItems",
        "propertyNames",
        "patternProperties",
        "dependentRequired",
        "dependentSchemas",
        "unevaluatedItems",
        "unevaluatedProperties",
        "if",
        "then",
        "else",
    ]
)
#: Keywords whose value is a schema, a list of schemas, or schemas by name.
_ONE, _LIST, _NAMED = ("items", "not"), ("allOf", "anyOf", "oneOf"), ("properties",)
#: So deep are references put in their place; what lies deeper is left open.
_DEEPEST = 12


def simpler(document: Schema, collection: str | None, version: Version, *, flat: bool) -> Schema:
    """The document of one collection, where one is named, in this version of OpenAPI."""
    found = document if collection is None else _of_collection(document, collection)
    if flat:
        found = _flat(found)
    return _older(found) if version == "3.0" else found


# --- of one collection -------------------------------------------------------------------------------------


def _of_collection(document: Schema, name: str) -> Schema:
    paths: Schema = {}
    for path, at in document["paths"].items():
        kept = {key: one for key, one in at.items() if key not in _METHODS or name in one.get("tags", ())}
        if kept.keys() & _METHODS:
            paths[path] = kept
    found = {**document, "paths": paths, "tags": [one for one in document["tags"] if one["name"] == name]}
    return {**found, "components": _needed(document["components"], paths)}


def _needed(components: Mapping[str, Schema], paths: Schema) -> Schema:
    """The components that are referred to, at once or by each other."""
    kept: dict[str, Schema] = {kind: {} for kind in components}
    left = list(_references(paths))
    while left:
        kind, name = left.pop()
        if name not in kept[kind]:
            kept[kind][name] = components[kind][name]
            left += _references(components[kind][name])
    return {
        kind: dict(components[kind]) if kind == "securitySchemes" else found
        for kind, found in kept.items()
        if found or kind == "securitySchemes"
    }


def _references(node: Any) -> Iterator[tuple[str, str]]:
    if isinstance(node, dict):
        target = node.get("$ref")
        if isinstance(target, str):
            kind, _, name = target.removeprefix("#/components/").partition("/")
            yield kind, name
        for one in node.values():
            yield from _references(one)
    elif isinstance(node, list):
        for one in node:
            yield from _references(one)


# --- without references ------------------------------------------------------------------------------------


def _flat(document: Schema) -> Schema:
    components = document["components"]

    def put_in(node: Any, within: tuple[str, ...]) -> Any:
        if isinstance(node, list):
            return [put_in(one, within) for one in node]
        if not isinstance(node, dict):
            return node
        target = node.get("$ref")
        if not isinstance(target, str):
            return {name: put_in(one, within) for name, one in node.items()}
        kind, _, name = target.removeprefix("#/components/").partition("/")
        if target in within or len(within) > _DEEPEST:
            # What holds itself is told once, and is anything further in.
            return {}
        beside = {key: put_in(one, within) for key, one in node.items() if key != "$ref"}
        return {**put_in(components[kind][name], (*within, target)), **beside}

    paths = put_in(document["paths"], ())
    return {**document, "paths": paths, "components": {"securitySchemes": components["securitySchemes"]}}


# --- in older words ----------------------------------------------------------------------------------------


def _older(document: Schema) -> Schema:
    """The document in OpenAPI 3.0.3."""
    components = dict(document["components"])
    if "schemas" in components:
        components["schemas"] = {name: _schema(one) for name, one in components["schemas"].items()}
    rest = {kind: _within(one) for kind, one in components.items() if kind != "schemas"}
    schemas = {"schemas": components["schemas"]} if "schemas" in components else {}
    return {
        **document,
        "openapi": "3.0.3",
        "paths": _within(document["paths"]),
        "components": {**rest, **schemas},
    }


def _within(node: Any) -> Any:
    """Whatever holds schemas, with those in the older words."""
    if isinstance(node, list):
        return [_within(one) for one in node]
    if not isinstance(node, dict):
        return node
    return {name: _schema(one) if name == "schema" else _within(one) for name, one in node.items()}


def _schema(schema: Any) -> Schema:
    if schema is True or schema == {}:
        return {}
    if schema is False:
        return {"not": {}}
    found: Schema = {name: one for name, one in schema.items() if name not in _UNKNOWN}
    if "$ref" in found and len(found) > 1:
        # Beside a reference nothing counts there.
        return {"allOf": [{"$ref": found.pop("$ref")}], **_schema(found)}
    if not found.get("required", True):
        del found["required"]
    if "const" in schema:
        found["enum"] = [schema["const"]]
    if schema.get("examples"):
        found["example"] = schema["examples"][0]
    _bound(found, "minimum", "exclusiveMinimum")
    _bound(found, "maximum", "exclusiveMaximum")
    _each(found, _schema)
    if isinstance(found.get("additionalProperties"), dict):
        found["additionalProperties"] = _schema(found["additionalProperties"])
    return _typed(found)


def _each(found: Schema, change: Callable[[Any], Schema]) -> None:
    """Changes the schemas within a schema."""
    for name in _ONE:
        if name in found:
            found[name] = change(found[name])
    for name in _LIST:
        if name in found:
            nothing = [one for one in found[name] if one == {"type": "null"}]
            found[name] = [change(one) for one in found[name] if one != {"type": "null"}]
            if nothing:
                found["nullable"] = True
    for name in _NAMED:
        if name in found:
            found[name] = {key: change(one) for key, one in found[name].items()}


def _bound(found: Schema, bound: str, exclusive: str) -> None:
    """A bound that is not among the values: there a flag beside the bound."""
    limit = found.pop(exclusive, None)
    if limit is not None and (bound not in found or abs(limit) <= abs(found[bound]) or limit == found[bound]):
        found[bound], found[exclusive] = limit, True


def _typed(found: Schema) -> Schema:
    """One type, and whether null is allowed beside it: there no type has a list."""
    kinds = found.get("type")
    if kinds == "null":
        kinds = ["null"]
    if isinstance(kinds, list):
        others = [one for one in kinds if one != "null"]
        if len(others) < len(kinds):
            found["nullable"] = True
        del found["type"]
        if len(others) == 1:
            found["type"] = others[0]
        elif others and "anyOf" not in found:
            found["anyOf"] = [{"type": one} for one in others]
    if found.get("nullable") and "type" not in found and not any(name in found for name in _LIST):
        # Of nothing but null, and of any type: all that can be said there.
        del found["nullable"]
    if found.get("type") == "array" and "items" not in found:
        found["items"] = {}
    return found
