"""`migrate`: newer definitions for a database that holds records already."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import typer
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

from fenland.cli.projects import PANEL, open_project
from fenland.cli.terminal import Exit, counted, err, escape, fail, json_option, out, print_json

if TYPE_CHECKING:
    from fenland.storage.door import Migration
    from fenland.storage.door import Progress as Told


@contextmanager
def shown_progress() -> Iterator[Told]:
    """A bar for each part of long work, on standard error."""
    from fenland.storage.door import Progress as Told

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn())
    with Progress(*columns, console=err, transient=True) as progress:
        tasks: dict[str, object] = {}

        def report(what: str, done: int, whole: int) -> None:
            if what not in tasks:
                tasks[what] = progress.add_task(what.capitalize(), total=whole)
            progress.update(tasks[what], completed=done, total=whole)  # type: ignore[arg-type]

        yield Told(report)


def migrate(
    folder: Path = typer.Argument(Path("."), help="The project's folder."),
    preview: bool = typer.Option(False, "--preview", help="Say what would be done, and do nothing."),
    write: Path | None = typer.Option(
        None,
        "--write",
        metavar="FILE",
        help="With --preview: write it, with its SQL, to review; - prints.",
    ),
    reviewed: Path | None = typer.Option(
        None, "--reviewed", metavar="FILE", help="Do it only if it is what this file says."
    ),
    lose: list[str] = typer.Option(
        [], "--lose", metavar="PLACE", help="A collection, or COLLECTION.FIELD, that may be lost; repeat."
    ),
    as_json: bool = json_option(),
) -> None:
    """Bring a database under the project's newer definitions: a copy first, then all of it or nothing.

    Say what a field or a collection was called with [bold]was:[/], and what gives a new field its value with
    [bold]default:[/] or [bold]fill:[/]. What would be lost must be named.

    [bold]fenland migrate --preview[/]

    [bold]fenland migrate --lose stations.fax[/]
    """
    from fenland.service.upkeep import migrating
    from fenland.storage.door import DatabaseRefused

    if write is not None and not preview:
        fail("--write needs --preview.", Exit.USAGE)
    if preview and (lose or reviewed is not None):
        fail("--lose and --reviewed say what may be done, and --preview does nothing.", Exit.USAGE)
    project = open_project(folder)
    try:
        if preview:
            with shown_progress() as progress:
                plan = migrating.preview(project, progress)
            if write is not None:
                _write(write, migrating.review_text(plan, project.definitions))
            if write is None or str(write) != "-":
                _show(plan, None, as_json=as_json)
            if plan.blocked:
                raise typer.Exit(Exit.INVALID)
            return
        text = None if reviewed is None else _read(reviewed)
        with shown_progress() as progress:
            plan, copy = migrating.carry_out(project, migrating.Agreement(tuple(lose), text), progress)
    except migrating.Blocked as error:
        fail(f"{error}\nNothing was changed. See more with --preview.", Exit.INVALID)
    except migrating.Changed as error:
        fail(str(error), Exit.CONFLICT)
    except migrating.NotAgreed as error:
        fail(f"{error}\nNothing was changed.", Exit.USAGE)
    except DatabaseRefused as error:
        fail(str(error))
    _show(plan, copy, as_json=as_json, done=True)


def _read(path: Path) -> str:
    try:
        return path.read_text(encoding="utf-8")
    except (OSError, UnicodeError) as error:
        fail(f"{path} cannot be read: {error}.", Exit.USAGE)


def _write(path: Path, text: str) -> None:
    if str(path) == "-":
        typer.echo(text, nl=False)
        return
    try:
        path.write_text(text, encoding="utf-8")
    except OSError as error:
        fail(f"{path} cannot be written: {error.strerror}.")


def _show(plan: Migration, copy: Path | None, *, as_json: bool, done: bool = False) -> None:
    if as_json:
        print_json({**_plan_json(plan), "done": done and plan.needed, "copy": str(copy) if copy else None})
        return
    if not plan.needed:
        out.print(f"Nothing to do: the database is under these definitions, number {plan.number}.")
        return
    out.print(f"[bold]{'Done' if done else 'To do'}, to definitions {plan.number}[/]")
    for sentence in plan.steps:
        out.print(f"  • {escape(sentence)}")
    for place, count in plan.losses.items():
        held = f"{counted(count, 'record')} {'hold' if count != 1 else 'holds'} something there"
        out.print(f"  [red]lost[/] [bold]{escape(place)}[/]: {held}")
    for one in plan.impossible:
        out.print(f"  [red]✗[/] {escape(one)}")
    for found in plan.obstacles:
        sign = "[red]✗[/]" if found.blocks else "[yellow]![/]"
        words = f"{escape(found.place)}: {counted(found.count, 'record')}: {escape(found.words)}."
        out.print(f"  {sign} {words}")
        for key, shown in found.first:
            out.print(f"      [dim]{escape(key)}  {escape(shown)}[/]")
    if done:
        out.print(f"[green]✓[/] The database as it was is in [bold]{escape(copy)}[/]")
    elif plan.blocked:
        out.print("It cannot be done before what is marked ✗ is mended.")
    elif plan.free:
        out.print("The next start does it by itself; so does: fenland migrate")
    else:
        losing = "".join(f" --lose {place}" for place in plan.losses)
        out.print(f"Do it with: [bold]fenland migrate{escape(losing)}[/]")


def _plan_json(plan: Migration) -> dict[str, object]:
    return {
        "number": plan.number,
        "needed": plan.needed,
        "blocked": plan.blocked,
        "at_start": plan.free,
        "steps": list(plan.steps),
        "losses": dict(plan.losses),
        "impossible": list(plan.impossible),
        "obstacles": [
            {
                "place": one.place,
                "what": one.words,
                "count": one.count,
                "blocks": one.blocks,
                "first": [{"key": key, "value": shown} for key, shown in one.first],
            }
            for one in plan.obstacles
        ],
        "sql": plan.sql,
    }


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command(rich_help_panel=PANEL)(migrate)
