"""`describe` and `seed`: what definitions say, in open formats, and the records a project brings along."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from fenland.cli.migrating import shown_progress
from fenland.cli.projects import PANEL, open_project, schema_text
from fenland.cli.terminal import Exit, counted, err, escape, fail, json_option, out, print_json
from fenland.core.values.plain import write_json

if TYPE_CHECKING:
    from fenland.service.files.seeding import Seeded

#: Records that are told one by one.
_LEFT_TOLD = 20


def describe(
    folder: Path = typer.Argument(Path("."), help="The project's folder."),
    kind: str = typer.Option("json-schema", "--as", help="json-schema, openapi, mermaid or definitions."),
    collection: str | None = typer.Option(None, help="With --as openapi: of this collection alone."),
    older: bool = typer.Option(
        False, "--older", help="With --as openapi: in OpenAPI 3.0, for importers that need it."
    ),
    flat: bool = typer.Option(
        False, "--flat", help="With --as openapi and --collection: without references."
    ),
    file: Path | None = typer.Option(None, "--out", metavar="FILE", help="Where to; else standard output."),
) -> None:
    """Write what the definitions say: JSON Schema of every collection, OpenAPI, or a Mermaid diagram.

    [bold]fenland describe --as mermaid --out collections.mmd[/]

    With --as definitions, the JSON Schema of the definitions' own files, by which editors complete and check
    them: the same for every project of this version.
    """
    from fenland.core.access.describing import diagram, schema_bundle
    from fenland.web.describing.simpler import simpler
    from fenland.web.document import document

    if kind not in ("json-schema", "openapi", "mermaid", "definitions"):
        fail(f"--as is {kind}. It must be json-schema, openapi, mermaid or definitions.", Exit.USAGE)
    if kind != "openapi" and (collection is not None or older or flat):
        fail("--collection, --older and --flat go with --as openapi.", Exit.USAGE)
    if flat and collection is None:
        fail("--flat is for one collection. Name it with --collection.", Exit.USAGE)
    if kind == "definitions":
        _write(schema_text(), file)
        return
    project = open_project(folder)
    settings, definitions = project.settings, project.definitions
    if kind == "mermaid":
        text = diagram(definitions)
    else:
        data = schema_bundle(definitions, settings.title)
        if kind == "openapi":
            if collection is not None and collection not in definitions.collections:
                fail(f"There is no collection {collection!r}.", Exit.USAGE)
            data = document(definitions, settings.title, settings.limits(), settings.public_address or "/")
            data = simpler(data, collection, "3.0" if older else "3.1", flat=flat)
        text = write_json(data).decode() + "\n"
    _write(text, file)


def _write(text: str, file: Path | None) -> None:
    if file is None:
        sys.stdout.write(text)
        return
    try:
        with file.open("x", encoding="utf-8") as target:
            target.write(text)
    except FileExistsError:
        fail(f"{file} is there already, and nothing is written over. Name another.", Exit.USAGE)
    except OSError as error:
        fail(f"{file} cannot be written: {error.strerror}.")
    out.print(f"[green]✓[/] Written to [bold]{escape(file)}[/].")


def seed(
    folder: Path = typer.Argument(Path("."), help="The project's folder."),
    update: bool = typer.Option(
        False, "--update", help="Bring records up to date, too, that only seeds have changed."
    ),
    preview: bool = typer.Option(False, "--preview", help="Say what would become of them, and keep nothing."),
    as_json: bool = json_option(),
) -> None:
    """Create the records in a project's folder [bold]seeds/[/]: all of them, or none where one is refused.

    A file is called like its collection, with anything behind a - or a dot: seeds/stations.csv,
    seeds/stations-north.yaml, seeds/areas.json. It can be applied again, as often as you like: what people
    changed, deleted or erased since is left as it is, and listed.
    """
    from fenland.service.files.seeding import SeedRequest, SeedsRefused, by_collection
    from fenland.service.files.seeding import seed as apply_seeds
    from fenland.service.upkeep.migrating import made_now
    from fenland.storage.door import DatabaseRefused

    project = open_project(folder)
    try:
        with shown_progress() as progress:

            def report(done: int, whole: int) -> None:
                progress.report("seeding", done, whole)

            request = SeedRequest(update=update, preview=preview, report=report)
            found = apply_seeds(project, made_now("seed", at_start=False), request)
    except DatabaseRefused as error:
        fail(str(error))
    except SeedsRefused as error:
        fail(str(error), Exit.INVALID)
    if as_json:
        print_json(by_collection(found))
    else:
        _tell_seeded(found, preview=preview)
    if not found and not as_json:
        out.print(f"There are no seeds in {escape(project.folder / 'seeds')}.")
    if any(one.refused for one in found):
        if not as_json and not preview:
            err.print("Nothing was kept.")
        raise typer.Exit(Exit.INVALID)


def _tell_seeded(found: list[Seeded], *, preview: bool) -> None:
    would = "would be " if preview else ""
    for one in found:
        counts = f"{one.created} {would}created, {one.updated} {would}updated, {one.unchanged} unchanged"
        left = f", {len(one.left)} left" if one.left else ""
        out.print(f"{escape(one.file)}: {counted(one.rows, 'record')}, {counts}{left}.")
        for kept in one.left[:_LEFT_TOLD]:
            out.print(f"[yellow]![/] {escape(one.collection)} {escape(kept.key)} is left: {kept.why}.")
        if len(one.left) > _LEFT_TOLD:
            out.print(f"[dim]and {len(one.left) - _LEFT_TOLD} more; --json tells all[/]")
        for row in one.refused:
            err.print(f"[red]✗[/] {escape(one.file)}, {row.row}: {escape(row.detail)}")


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command(rich_help_panel=PANEL)(describe)
    app.command(rich_help_panel=PANEL)(seed)
