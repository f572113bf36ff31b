"""What the shell completes: collections, keys and fields, asked of the service signed in to.

A completion that cannot be had in a moment is left out: nobody waits for it, and it never fails.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from typing import TYPE_CHECKING, Any

import typer

if TYPE_CHECKING:
    from fenland.client import Client

#: Seconds that a completion may take, and how many it offers at most.
_MOMENT, _MOST = 1.5, 100


def _asked(ask: Callable[[Client], list[str]]) -> list[str]:
    from fenland.cli.signing import client_for
    from fenland.client import ClientError

    with suppress(ClientError), client_for(_MOMENT) as client:
        return ask(client)[:_MOST]
    return []


def _collection(context: typer.Context) -> str | None:
    """The collection that the words so far name."""
    named = context.params.get("collection")
    # While an option still wants its value, its command's words are left as they came.
    return named or (context.args[0] if context.args else None)


def complete_collection(incomplete: str) -> list[str]:
    """The collections that begin so."""
    return _asked(
        lambda client: [
            one["name"]
            for one in client.schemas()
            if one["may"]["read"] and one["name"].startswith(incomplete)
        ]
    )


def complete_key(context: typer.Context, incomplete: str) -> list[str]:
    """The keys that begin so: found by the service where it searches keys, else among the first ones."""
    collection = _collection(context)

    def ask(client: Client) -> list[str]:
        info = next((one for one in client.schemas() if one["name"] == collection), None)
        if info is None:
            return []
        key = info["key"]
        words = incomplete if incomplete.strip() and key in info["searched"] else None
        found = client.list(info["name"], q=words, sort=key, limit=_MOST * 2)
        return [str(one[key]) for one in found if str(one[key]).startswith(incomplete)]

    return [] if collection is None else _asked(ask)


def _fields(client: Client, collection: str) -> Iterator[tuple[str, Mapping[str, Any]]]:
    for name, one in client.schema(collection)["properties"].items():
        if not one.get("readOnly"):
            yield name, one


def complete_field(context: typer.Context, incomplete: str) -> list[str]:
    """The names of fields that can be set."""
    collection = _collection(context)

    def ask(client: Client) -> list[str]:
        return [name for name, _ in _fields(client, str(collection)) if name.startswith(incomplete)]

    return [] if collection is None else _asked(ask)


def complete_value(context: typer.Context, incomplete: str) -> list[str]:
    """`name=` of such fields; behind the sign, the values where there is a choice of few."""
    name, equals, _ = incomplete.partition("=")
    if not equals:
        return [f"{one}=" for one in complete_field(context, name)]
    collection = _collection(context)

    def ask(client: Client) -> list[str]:
        schema = dict(_fields(client, str(collection))).get(name, {})
        # One name, or a list of them.
        boolean = schema.get("type") == "boolean" or "boolean" in list(schema.get("type", ()))
        values = schema.get("enum") or (["yes", "no"] if boolean else [])
        pairs = [f"{name}={value}" for value in values if value is not None]
        return [one for one in pairs if one.startswith(incomplete)]

    return [] if collection is None else _asked(ask)


#: The arguments that name a record.
COLLECTION = typer.Argument(help="The collection, such as stations.", autocompletion=complete_collection)
KEY = typer.Argument(help="The record's key, such as PS-014.", autocompletion=complete_key)
