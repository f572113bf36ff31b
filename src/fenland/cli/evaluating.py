"""`evaluate`: what an expression gives, by itself or for a project's records: how one learns the language."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NoReturn

import typer

from fenland.cli.accounts import project_service
from fenland.cli.projects import PANEL
from fenland.cli.terminal import Exit, err, escape, fail, json_option, out, print_json
from fenland.core.expressions import ExpressionMistake
from fenland.core.values.plain import write_json


def evaluate(
    expression: str = typer.Argument(help="Such as 'pumps > 2 && status == \"running\"'."),
    collection: str | None = typer.Option(
        None,
        "--in",
        metavar="COLLECTION",
        help="Evaluate it for the records of this collection, whose fields are names; record is the whole.",
    ),
    key: str | None = typer.Option(None, help="For this record alone."),
    account: str | None = typer.Option(None, metavar="NAME", help="The account that actor is."),
    limit: int = typer.Option(20, min=1, max=500, help="For so many records at most."),
    project: Path = typer.Option(
        Path("."), "--project", envvar="FENLAND_PROJECT", help="The project's folder."
    ),
    as_json: bool = json_option("Answer with JSON Lines: type and SQL, then the value for each record."),
) -> None:
    """Evaluate an expression: show its type, the SQL it becomes, and its value.

    [bold]fenland evaluate "timestamp('2031-04-09T14:30:00Z').getDayOfWeek()"[/]

    [bold]fenland evaluate --in stations 'pumps > 2 && "diesel" in tags'[/]

    [bold]fenland evaluate --in tickets --account marta.quill 'station.area == actor.attributes.area'[/]
    """
    if collection is None:
        if key is not None or account is not None:
            fail("--key and --account need --in with a collection.", Exit.USAGE)
        _alone(expression, as_json=as_json)
        return
    from fenland.service.forms.evaluate import EvaluateRequest, evaluate_for

    with project_service(project) as service:
        try:
            found = evaluate_for(service, EvaluateRequest(expression, collection, key, account, limit))
        except ExpressionMistake as mistake:
            _refuse(mistake)
    if as_json:
        print_json({"type": found.type, "sql": found.sql})
    else:
        out.print(f"[dim]type[/] {escape(found.type)}")
        if found.sql is not None:
            out.print(f"[dim]SQL[/]  {escape(found.sql)}")
    for answer in found.values:
        _tell(answer, as_json=as_json)


def _refuse(mistake: ExpressionMistake) -> NoReturn:
    err.print(escape(mistake.caret))
    fail(str(mistake), Exit.USAGE)


def _alone(expression: str, *, as_json: bool) -> None:
    from fenland.core.expressions import EvaluationError, compiled, kind_of, parse
    from fenland.core.expressions import as_json as json_of

    now = datetime.now(UTC)
    try:
        value = compiled(parse(expression))({"now": now, "today": now.date()})
        answer = {"value": json_of(value), "type": kind_of(value)}
    except ExpressionMistake as mistake:
        _refuse(mistake)
    except EvaluationError as error:
        answer = {"error": str(error)}
    _tell(answer, as_json=as_json)
    if "error" in answer:
        raise typer.Exit(Exit.FAILED)


def _tell(answer: Mapping[str, Any], *, as_json: bool) -> None:
    if as_json:
        print_json(answer)
        return
    key = f"{escape(str(answer['key']))}  " if "key" in answer else ""
    if "error" in answer:
        out.print(f"{key}[red]no value:[/] {escape(answer['error'])}")
    else:
        out.print(f"{key}[bold]{escape(write_json(answer['value']).decode())}[/]  [dim]{answer['type']}[/]")


def register(app: typer.Typer) -> None:
    """Adds the command of this file."""
    app.command("evaluate", rich_help_panel=PANEL)(evaluate)
