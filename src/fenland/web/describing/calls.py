"""Calls to copy into tools that know little more than an address: one for each thing to do, in three ways of sending.

What stands in braces is the tool's to fill in: `{token}`, `{key}`, `{id}`, and the name of each input.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Literal
from urllib.parse import quote

from fenland.core.definitions.model import Collection, Field, Right
from fenland.service.records.filtering import has_ends

#: As what a tool sends: inputs of a form, JSON whose values are texts, or JSON with values of each type.
Way = Literal["form", "texts", "json"]
WAYS: tuple[Way, ...] = ("form", "texts", "json")

_FORM, _JSON = "application/x-www-form-urlencoded", "application/json"
_UNTOUCHED: Mapping[Way, str] = {
    "form": "An input that nobody touched is sent as it was, or empty: both leave the field as it is (blank=keep).",
    "texts": "An input that nobody touched is sent as it was, empty or null: all leave the field as it is "
    "(blank=keep).",
    "json": "Leave out what nobody touched. Sent as null it is emptied; sent as it was it is no change. Numbers, "
    "true and false go without quotes.",
}
_EMPTYING: Mapping[Way, str] = {
    "form": " To empty a field, send its name in clear: &clear=FIELD in the address.",
    "texts": " To empty a field, send its name in clear: &clear=FIELD in the address.",
    "json": "",
}


@dataclass(frozen=True, slots=True)
class Told:
    """What calls are made for: a collection, where the service answers, and what its caller may."""

    collection: Collection
    address: str
    may: frozenset[Right]
    #: Fields that the caller may give a value: of new records, and of some that are there.
    new: tuple[str, ...]
    changed: tuple[str, ...]
    #: Fields whose values are chosen among others, and those that lists can be filtered by.
    chosen: tuple[str, ...]
    filtered: tuple[str, ...]


def calls_of(told: Told) -> list[dict[str, Any]]:
    """The calls, in the order in which somebody builds a list and a popup."""
    return [*_reads(told), *_writes(told)]


def _call(action: str, way: str, title: str, method: str, url: str, **more: Any) -> dict[str, Any]:
    headers = {"Authorization": "Bearer {token}"}
    if "type" in more:
        headers["Content-Type"] = more["type"]
    return {
        "action": action,
        "way": way,
        "title": title,
        "method": method,
        "url": url,
        "headers": headers,
        "body": more.get("body"),
        "untouched": more.get("untouched", ""),
    }


# --- reading -----------------------------------------------------------------------------------------------


def _reads(told: Told) -> Iterator[dict[str, Any]]:
    if "read" not in told.may:
        return
    one, many = told.collection.singular.lower(), told.collection.title
    records, schemas = _places(told)
    yield _call("list", "any", f"{many}, a page", "GET", f"{records}?limit=50&page={{page}}&row_labels=true")
    if told.collection.searched:
        yield _call("search", "any", f"{many} that hold words", "GET", f"{records}?q={{words}}&limit=50")
    for name in told.filtered:
        item = told.collection.fields[name]
        asked = f"{name}.from={{from}}&{name}.to={{to}}" if has_ends(item) else f"{name}={{{name}}}"
        title = f"{many} by {item.label}"
        url = f"{records}?{asked}&blank_filters=ignore"
        untouched = "A filter that is left empty is none."
        yield _call(f"filter by {name}", "any", title, "GET", url, untouched=untouched)
    for name in told.chosen:
        label = told.collection.fields[name].label
        url = f"{schemas}/choices/{name}?q={{words}}&limit=20"
        yield _call(f"choices of {name}", "any", f"What {label} may be, as values and labels", "GET", url)
    yield _call("read", "any", f"One {one}", "GET", f"{records}/{{key}}")


def _places(told: Told) -> tuple[str, str]:
    name = quote(told.collection.name)
    return f"{told.address}/v1/records/{name}", f"{told.address}/v1/schemas/{name}"


# --- writing -----------------------------------------------------------------------------------------------


def _writes(told: Told) -> Iterator[dict[str, Any]]:
    one, (records, _) = told.collection.singular.lower(), _places(told)
    for way in WAYS:
        if "create" in told.may and told.new:
            yield _sending("add", way, f"Add a {one}", told, told.new)
        if "update" in told.may and told.changed:
            yield _sending(
                "edit", way, f"Change a {one}, and no field that was not touched", told, told.changed
            )
        if {"create", "update"} <= told.may and way != "json":
            both = tuple(dict.fromkeys([*told.new, *told.changed]))
            title = f"One popup for both: with an empty id it adds a {one}, with another it changes that one"
            yield _sending("save", way, title, told, both)
        if "delete" in told.may:
            title, url = f"Delete a {one}; its history stays", f"{records}/{{key}}"
            if way == "json":
                yield _call("delete", way, title, "DELETE", url)
            else:
                yield _call("delete", way, title, "POST", f"{url}?method=DELETE")


def _sending(action: str, way: Way, title: str, told: Told, names: tuple[str, ...]) -> dict[str, Any]:
    fields = {name: told.collection.fields[name] for name in names}
    records, _ = _places(told)
    if way == "json":
        method, url = ("POST", records) if action == "add" else ("PATCH", f"{records}/{{key}}")
        body = {name: f"{{{name}}}" for name in fields}
        text = json.dumps(body, indent=1, ensure_ascii=False)
        return _call(action, way, title, method, url, type=_JSON, body=text, untouched=_UNTOUCHED[way])
    inputs = {"id": ""} if action == "add" else {"id": "{id}"}
    inputs |= {name: f"{{{name}}}" for name, item in fields.items() if _is_plain(item)}
    asks = "coerce=text&blank=keep&lenient=true" if way == "texts" else "blank=keep&lenient=true"
    text = (
        json.dumps(inputs, indent=1, ensure_ascii=False)
        if way == "texts"
        else "&".join(f"{name}={value}" for name, value in inputs.items())
    )
    kind = _JSON if way == "texts" else _FORM
    untouched = _UNTOUCHED[way] + ("" if action == "add" else _EMPTYING[way])
    return _call(
        action, way, title, "POST", f"{records}/save?{asks}", type=kind, body=text, untouched=untouched
    )


def _is_plain(item: Field) -> bool:
    """Whether one input holds all of it."""
    return item.type not in ("array", "object")
