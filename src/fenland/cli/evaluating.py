"""`evaluate`: what an expression gives, by itself or for records: how one learns the language."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import UTC, date, datetime
from typing import TYPE_CHECKING, Any

import typer

from fenland.cli.completing import complete_collection, complete_key
from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import Exit, err, escape, fail, json_option, out
from fenland.core.values import write_json

if TYPE_CHECKING:
    from fenland.client import Client, Record
    from fenland.core.expressions import Compiled


def evaluate(
    expression: str = typer.Argument(help="Such as 'pumps > 2 && status == \"running\"'."),
    collection: str | None = typer.Option(
        None,
        "--in",
        metavar="COLLECTION",
        help="Evaluate it for the records of this collection: as record, and by the names of their fields.",
        autocompletion=complete_collection,
    ),
    key: str | None = typer.Option(None, help="For this record alone.", autocompletion=complete_key),
    limit: int = typer.Option(20, min=1, help="For so many records at most."),
    timeout: float = TIMEOUT,
    as_json: bool = json_option("Answer with JSON Lines: the value, its type, or why there is none."),
) -> None:
    """Evaluate an expression, and show its value and type.

    [bold]fenland evaluate "timestamp('2031-04-09T14:30:00Z').getDayOfWeek()"[/]

    [bold]fenland evaluate --in stations 'pumps > 2 && "diesel" in tags'[/]
    """
    from fenland.core.expressions import ExpressionMistake, compiled, parse

    if key is not None and collection is None:
        fail("--key needs --in with the record's collection.", Exit.USAGE)
    try:
        function = compiled(parse(expression))
    except ExpressionMistake as mistake:
        err.print(escape(mistake.caret))
        fail(str(mistake), Exit.USAGE)
    now = datetime.now(UTC)
    moment = {"now": now, "today": now.date()}
    if collection is None:
        answer = _answer(function, moment)
        _tell(answer, as_json=as_json)
        if "error" in answer:
            raise typer.Exit(Exit.FAILED)
        return
    with signed_in(timeout) as client:
        schema = client.schema(collection)
        for record in _records(client, collection, key, limit):
            names = {name: _typed(schema["properties"].get(name, {}), v) for name, v in record.fields.items()}
            answer = _answer(function, {**names, **moment, "record": names})
            _tell({"key": record.fields[schema["x-key"]], **answer}, as_json=as_json)


def _records(client: Client, collection: str, key: str | None, limit: int) -> Iterator[Record]:
    if key is not None:
        return iter([client.get(collection, key)])
    return client.list(collection, limit=limit)


def _typed(schema: Mapping[str, Any], value: Any) -> Any:
    """A field's value as expressions have it, by its JSON Schema."""
    if isinstance(value, str) and schema.get("format") == "date":
        return date.fromisoformat(value)
    if isinstance(value, str) and schema.get("format") == "date-time":
        return datetime.fromisoformat(value)
    if isinstance(value, list):
        return [_typed(schema.get("items", {}), one) for one in value]
    if isinstance(value, dict):
        inner = schema.get("properties", {})
        return {name: _typed(inner.get(name, {}), one) for name, one in value.items()}
    number = not isinstance(value, (bool, str, int)) and value is not None
    return float(value) if number and "x-decimals" not in schema else value


def _answer(function: Compiled, bindings: Mapping[str, Any]) -> dict[str, Any]:
    from fenland.core.expressions import EvaluationError, as_json, kind_of

    try:
        value = function(bindings)
    except EvaluationError as error:
        return {"error": str(error)}
    return {"value": as_json(value), "type": kind_of(value)}


def _tell(answer: Mapping[str, Any], *, as_json: bool) -> None:
    if as_json:
        typer.echo(write_json(answer).decode())
        return
    key = f"{escape(answer['key'])}  " if "key" in answer else ""
    if "error" in answer:
        out.print(f"{key}[red]no value:[/] {escape(answer['error'])}")
    else:
        out.print(f"{key}[bold]{escape(write_json(answer['value']).decode())}[/]  [dim]{answer['type']}[/]")


def register(app: typer.Typer) -> None:
    """Adds the command of this file."""
    app.command("evaluate", rich_help_panel=PANEL)(evaluate)
