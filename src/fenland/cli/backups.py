"""`backup` and `restore-backup`: copies of a project's database, and putting one in its place."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from fenland.cli.migrating import shown_progress
from fenland.cli.projects import PANEL, open_settings
from fenland.cli.terminal import Exit, counted, escape, fail, json_option, out, print_json

if TYPE_CHECKING:
    from fenland.storage.door import Copied

_PROJECT = typer.Option(Path("."), "--project", envvar="FENLAND_PROJECT", help="The project's folder.")


def backup(
    file: Path = typer.Argument(help="The file to write, which must not be there."),
    project: Path = _PROJECT,
    as_json: bool = json_option(),
) -> None:
    """Copy a project's database into one file, while the service runs, and look through the copy.

    It holds every change that was answered before it began. With it come accounts and history, but not the
    definitions' files: keep those with your code.
    """
    from fenland.storage.door import DatabaseRefused, back_up

    settings = open_settings(project)
    try:
        with shown_progress() as progress:
            found = back_up(settings.database, file, progress)
    except DatabaseRefused as error:
        fail(str(error))
    if as_json:
        print_json({"file": str(file), **_copied_json(found)})
    else:
        out.print(f"[green]✓[/] {_words(found)} are in [bold]{escape(file)}[/], which was looked through.")


def restore_backup(
    file: Path = typer.Argument(help="A file that backup, a schedule or migrate has written."),
    project: Path = _PROJECT,
    replace: bool = typer.Option(False, "--replace", help="Move the database that is there aside."),
    as_it_is: bool = typer.Option(
        False, "--as-it-is", help="Also one of another database, or not as its history has it."
    ),
    as_json: bool = json_option(),
) -> None:
    """Put a backup in the place of a project's database, once it was seen to be whole, and of this database.

    Stop the service first: one that runs notices, and saves nothing any more until it is started anew.
    """
    from fenland.core.definitions.model import DefinitionMistakes
    from fenland.service.project import load_project
    from fenland.service.upkeep.putting_back import look_into
    from fenland.storage.door import DatabaseRefused, put_back

    settings, definitions = open_settings(project), None
    with suppress(DefinitionMistakes):
        definitions = load_project(project).definitions
    if settings.database.exists() and not replace:
        fail(
            f"A database is at {settings.database}. With --replace it is moved aside, and kept.",
            Exit.CONFLICT,
        )
    try:
        with shown_progress() as progress:

            def look(found: Path) -> None:
                if not as_it_is:
                    look_into(found, settings, definitions, progress)

            found, aside = put_back(file, settings.database, replace=replace, progress=progress, look=look)
    except DatabaseRefused as error:
        fail(str(error))
    if as_json:
        places = {"database": str(settings.database), "replaced": str(aside) if aside else None}
        print_json({**places, **_copied_json(found)})
        return
    out.print(f"[green]✓[/] {_words(found)} are in [bold]{escape(settings.database)}[/].")
    if aside is not None:
        out.print(f"  What was there is in {escape(aside)}.")


def _words(found: Copied) -> str:
    entries = f"{found.entries} {'entry' if found.entries == 1 else 'entries'}"
    return f"{counted(found.records, 'record')} and {entries} of their history"


def _copied_json(found: Copied) -> dict[str, object]:
    return {
        "records": found.records,
        "entries": found.entries,
        "definitions": found.definitions,
        "layout": found.layout,
        "bytes": found.bytes,
    }


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command(rich_help_panel=PANEL)(backup)
    app.command("restore-backup", rich_help_panel=PANEL)(restore_backup)
