"""What follows from a change in a project: told, drawn, or for scripts."""

from __future__ import annotations

from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING

import typer
from rich.markup import escape

from fenland.cli.projects import PANEL as PROJECTS
from fenland.cli.projects import open_project
from fenland.cli.terminal import Exit, counted, json_option, out, print_json

if TYPE_CHECKING:
    from fenland.core.consequences.telling import Consequence

_WORDS = {
    "derived": "is derived from",
    "default": "begins as",
    "series": "gets",
    "effect": "is set to",
    "create": "of a new record is",
    "delete": "is deleted",
    "deletion": "",
    "call": "brings what is said by",
    "notice": "leaves the notice",
}


def consequences(
    folder: Path = typer.Argument(Path("."), help="The project's folder."),
    as_mermaid: bool = typer.Option(
        False, "--mermaid", help="A flow chart as Mermaid's text: which field follows from which."
    ),
    as_json: bool = json_option(),
) -> None:
    """Tell what follows from a change: derived fields, effects, what new records begin with, deletions.

    Read from the definitions; no service need run. Each with its file and line.

    Example: [bold]fenland consequences . --mermaid > consequences.mmd[/]
    """
    from fenland.core.consequences.telling import consequences_of, mermaid

    definitions = open_project(folder).definitions
    found = consequences_of(definitions)
    if as_json:
        print_json([one.as_json() for one in found])
    elif as_mermaid:
        typer.echo(mermaid(found), nl=False)
    elif not found:
        out.print("Nothing follows from a change here. See docs/consequences.md for what can.")
    else:
        by_name = sorted(
            found, key=lambda one: list(definitions.collections).index(one.place.partition(".")[0])
        )
        for name, ones in groupby(by_name, lambda one: one.place.partition(".")[0]):
            out.print(f"[bold]{escape(name)}[/]")
            for one in ones:
                field = one.place.partition(".")[2]
                words = " ".join(filter(None, (_WORDS[one.kind], one.does)))
                out.print(f"  [bold]{escape(field or 'the record')}[/] {escape(words)}")
                place = f"{one.file}:{one.line}" if one.file else ""
                told = " · ".join(filter(None, (_when(one), one.found, place)))
                out.print(f"      [dim]{escape(told)}[/]")


def _when(one: Consequence) -> str:
    if one.kind == "deletion":
        return f"when the record of {one.sources[0].partition('.')[0]} is deleted"
    when = f"on {_all(one.on)}" if one.on else ""
    when = f"{when} of {one.by}" if one.by else when
    return f"{when}, if {one.condition}" if one.condition else when


def _all(words: tuple[str, ...]) -> str:
    *first, last = words
    return f"{', '.join(first)} and {last}" if first else last


def recompute(
    collection: str | None = typer.Argument(None, help="The collection; without it, all of them."),
    project: Path = typer.Option(
        Path("."), "--project", envvar="FENLAND_PROJECT", help="The project's folder."
    ),
    as_json: bool = json_option(),
) -> None:
    """Work out what is derived again, in all records, and put right what differs.

    In a database that nobody wrote past the service nothing does: then nothing is written. Otherwise each
    record gets an entry in the history. The service may run meanwhile. Ends with 7 where one could not be put
    right.

    Example: [bold]fenland recompute stations[/]
    """
    from fenland.cli.migrating import shown_progress
    from fenland.cli.proof import at_hand
    from fenland.service.upkeep.recomputing import recompute as recomputed

    with at_hand(project, by_files=True) as (service, _), shown_progress() as progress:
        found = recomputed(service, collection, progress)
    left = [one for one in found.differing if one.why is not None]
    if as_json:
        items = [
            {
                "collection": one.collection,
                "key": one.key,
                "fields": {name: {"held": was, "comes_to": now} for name, (was, now) in one.fields.items()},
                "why": one.why,
            }
            for one in found.differing
        ]
        print_json({"records": found.records, "differing": items})
    else:
        for one in found.differing:
            told = ", ".join(
                f"{name} {_shown(was)} → {_shown(now)}" for name, (was, now) in one.fields.items()
            )
            mark = "[green]✓[/]" if one.why is None else "[red]✗[/]"
            out.print(f"{mark} {escape(one.collection)} {escape(str(one.key))}: {escape(told)}")
            if one.why is not None:
                out.print(f"  {escape(one.why)}")
        if not found.differing:
            out.print(f"[green]✓[/] Nothing differs in {counted(found.records, 'record')}.")
    if left:
        raise typer.Exit(Exit.INVALID)


def _shown(value: object) -> str:
    return "nothing" if value is None else str(value)


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command()(consequences)
    app.command(rich_help_panel=PROJECTS)(recompute)
