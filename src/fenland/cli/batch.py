"""`batch`: many changes from a file of JSON Lines."""

from __future__ import annotations

import json
import sys
from decimal import Decimal
from pathlib import Path
from typing import Any

import typer
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import Exit, err, escape, fail, json_option, out, tell
from fenland.core.values.plain import write_json

#: Items sent in one request when each stands on its own; all-or-nothing is always one request.
_AT_A_TIME = 100


def _items(file: Path) -> list[dict[str, Any]]:
    try:
        text = sys.stdin.read() if str(file) == "-" else file.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        fail(f"{file} cannot be read: {error}.", Exit.USAGE)
    items = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        try:
            items.append(json.loads(line, parse_float=Decimal))
        except ValueError as error:
            fail(f"{file}:{number}: this line is not JSON: {error}.", Exit.USAGE)
    return items


def batch(
    file: Path = typer.Argument(help="JSON Lines, an item a line; - reads standard input."),
    each: bool = typer.Option(False, "--each", help="Each item on its own, in place of all or nothing."),
    preview: bool = typer.Option(False, "--preview", help="Say what would become of each, and save nothing."),
    timeout: float = TIMEOUT,
    as_json: bool = json_option("Answer with JSON Lines, a result for each item."),
) -> None:
    """Carry out creates, updates and deletes from a file of JSON Lines, all or nothing.

    A line: [bold]{"action": "update", "collection": "stations", "key": "PS-014", "fields": {"pumps": 3}}[/]
    """
    items = _items(file)
    refused = 0
    columns = (TextColumn("Sending"), BarColumn(), MofNCompleteColumn())
    with signed_in(timeout) as client, Progress(*columns, console=err, transient=True) as progress:
        task = progress.add_task("sending", total=len(items))
        size = _AT_A_TIME if each and not preview else max(len(items), 1)
        for start in range(0, len(items), size):
            results = client.batch(items[start : start + size], atomic=not each, preview=preview)
            for number, result in enumerate(results, start + 1):
                if as_json:
                    sys.stdout.write(write_json(result.problem).decode() + "\n")
                if not result.done and result.status != 424:
                    refused += 1
                    _tell(number, result.problem)
            progress.update(task, completed=min(start + size, len(items)))
    if refused:
        kept = f"{len(items) - refused} of {len(items)} were carried out" if each else "Nothing was changed"
        if preview:
            kept = f"{len(items) - refused} of {len(items)} could be carried out"
        # As JSON, the results have told it all.
        tell(f"{kept}; {refused} refused.")
        raise typer.Exit(Exit.INVALID)
    if not as_json:
        out.print(f"[green]✓[/] {len(items)} {'could be ' if preview else ''}carried out.")


def _tell(number: int, problem: Any) -> None:
    err.print(f"[red]✗[/] item {number}: {escape(problem['detail'])}")
    for one in problem.get("errors", ()):
        err.print(f"    {escape(one['pointer'][1:])}: {escape(one['detail'])}")


def register(app: typer.Typer) -> None:
    """Adds the command of this file."""
    app.command(rich_help_panel=PANEL)(batch)
