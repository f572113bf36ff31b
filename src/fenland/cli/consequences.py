"""What follows from a change in a project: told, drawn, or for scripts."""

from __future__ import annotations

from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING

import typer
from rich.markup import escape

from fenland.cli.projects import open_project
from fenland.cli.terminal import json_option, out, print_json

if TYPE_CHECKING:
    from fenland.core.consequences.telling import Consequence

_WORDS = {
    "derived": "is derived from",
    "default": "begins as",
    "series": "gets",
    "effect": "is set to",
    "deletion": "",
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

    found = consequences_of(open_project(folder).definitions)
    if as_json:
        print_json([one.as_json() for one in found])
    elif as_mermaid:
        typer.echo(mermaid(found), nl=False)
    elif not found:
        out.print("Nothing follows from a change here. See docs/consequences.md for what can.")
    else:
        for name, ones in groupby(found, lambda one: one.place.partition(".")[0]):
            out.print(f"[bold]{escape(name)}[/]")
            for one in ones:
                field = one.place.partition(".")[2]
                words = " ".join(filter(None, (_WORDS[one.kind], one.does)))
                out.print(f"  [bold]{escape(field)}[/] {escape(words)}")
                told = " · ".join(filter(None, (_when(one), f"{one.file}:{one.line}" if one.file else "")))
                out.print(f"      [dim]{escape(told)}[/]")


def _when(one: Consequence) -> str:
    if one.kind == "deletion":
        return f"when the record of {one.sources[0].partition('.')[0]} is deleted"
    when = f"on {' and '.join(one.on)}" if one.on else ""
    return f"{when}, if {one.condition}" if one.condition else when


def register(app: typer.Typer) -> None:
    """Adds the command of this file."""
    app.command()(consequences)
