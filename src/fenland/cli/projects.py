"""`new` and `check`: beginning a project and finding what is wrong with its definitions."""

from __future__ import annotations

import json
import time
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from fenland.cli.terminal import Exit, counted, err, escape, fail, json_option, log_to_stderr, out, print_json

if TYPE_CHECKING:
    from fenland.core.definitions.model import DefinitionMistakes
    from fenland.service.project import Project
    from fenland.service.settings import Settings

PANEL = "A project"

_SETTINGS = """\
# Every setting can also be given as FENLAND_NAME in the environment.
title = "{title}"
roles = ["editor"]
database = "records.db"
"""

#: The schema of the definitions' own files, for editors; where a file of them names it.
_SCHEMA = "collection.schema.json"

_NOTES = """\
# yaml-language-server: $schema=../{schema}
title: Notes
singular: Note
description: A first collection. Change it, or put another file beside it.
key: slug
owner: author

# Who may do what: roles from fenland.toml, owner, everyone. What is not granted is denied.
access:
  read: [everyone]
  create: [editor]
  update: [owner, editor]
  delete: [editor]
  transfer: [editor]

fields:
  slug:
    type: string
    title: Slug
    required: true
    unique: true
    fixed: true
    pattern: "^[a-z0-9-]+$"
    examples: [first-note]
  title: {type: string, title: Title, required: true, maxLength: 120, search: true}
  body: {type: string, title: Body, maxLength: 5000, search: true, blank: clear}
  pinned: {type: boolean, title: Pinned, required: true, default: false}
  due_on: {type: string, format: date, title: Due on}
  author: {type: string, title: Author, required: true}
"""


_VIEWS = """\
# yaml-language-server: $schema=../{schema}
title: Views
singular: View
order: 90
description: How lists are shown, under a name - for oneself, or for all who have a role.
# Its records say what a list is filtered, searched and sorted by, and which columns it has.
views: true
owner: owner
label: title
columns: [title, collection, owner, roles, first]

access:
  read: "record.owner == actor.name || record.roles.exists(role, role in actor.roles)"
  create: "actor.signed_in"
  update: [owner]
  delete: [owner]

fields:
  title: {type: string, title: Title, required: true, minLength: 1, maxLength: 60, search: true}
  collection: {type: string, title: Of, required: true, fixed: true, maxLength: 63, examples: [notes]}
  where: {type: string, title: Filter, maxLength: 2000, blank: clear}
  q: {type: string, title: Words, maxLength: 200, blank: clear}
  sort: {type: string, title: Order, maxLength: 200, blank: clear, examples: [-due_on]}
  columns:
    type: array
    title: Columns
    items: {type: string, maxLength: 80}
    maxItems: 60
    required: true
    default: []
  first: {type: boolean, title: Opens first, required: true, default: false}
  roles:
    type: array
    title: Shared with
    items: {type: string, enum: [editor]}
    uniqueItems: true
    required: true
    default: []
    access: {create: [editor], update: [editor]}
  owner: {type: string, title: Owner, required: true}
"""


#: How often it is looked whether a file was saved, in seconds.
LOOKS_EACH = 0.3


def open_project(folder: Path) -> Project:
    """Reads a project folder, or ends with what is wrong with it."""
    from fenland.core.definitions.model import DefinitionMistakes
    from fenland.service.project import load_project

    log_to_stderr()
    try:
        return load_project(folder)
    except DefinitionMistakes as error:
        tell_mistakes(error)
        mistakes = counted(len(error.mistakes), "mistake")
        fail(f"{mistakes} in {folder}. Nothing was started.", Exit.DEFINITIONS)


def tell_mistakes(error: DefinitionMistakes) -> None:
    """Says what is wrong with definitions, each where it stands."""
    for mistake in error.mistakes:
        where = f"[bold]{escape(mistake.place)}[/]"
        err.print(f"[red]✗[/] {where}  {escape(mistake.what)} [dim]{escape(mistake.hint)}[/]")
        if mistake.caret:
            err.print(escape("    " + mistake.caret.replace("\n", "\n    ")), style="dim")


def open_settings(folder: Path) -> Settings:
    """The settings of a project, whatever its definitions are; or ends with what is wrong with them."""
    from fenland.core.definitions.model import DefinitionMistakes
    from fenland.service.settings import read_settings

    try:
        return read_settings(folder)
    except DefinitionMistakes as error:
        for mistake in error.mistakes:
            err.print(
                f"[red]✗[/] [bold]{escape(mistake.place)}[/]  {escape(mistake.what)} {escape(mistake.hint)}"
            )
        fail(f"The settings in {folder} cannot be used.", Exit.DEFINITIONS)


def schema_text() -> str:
    """The JSON Schema of the definitions' own files, to be written into one."""
    from fenland.core.definitions.schema import definition_schema

    return json.dumps(definition_schema(), indent=1, ensure_ascii=False) + "\n"


def new(folder: Path = typer.Argument(help="The folder to begin the project in; made if need be.")) -> None:
    """Begin a project: settings and a first collection, ready to run."""
    from fenland.service.project import COLLECTIONS
    from fenland.service.settings import FILE_NAME

    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        fail(f"{folder} is not an empty folder. Name another, so that nothing is overwritten.", Exit.USAGE)
    try:
        (folder / COLLECTIONS).mkdir(parents=True)
        title = folder.resolve().name.replace("-", " ").replace("_", " ").capitalize().replace('"', "'")
        (folder / FILE_NAME).write_text(_SETTINGS.format(title=title), encoding="utf-8")
        for name, text in (("notes", _NOTES), ("views", _VIEWS)):
            file = folder / COLLECTIONS / f"{name}.yaml"
            file.write_text(text.replace("{schema}", _SCHEMA), encoding="utf-8")
        (folder / _SCHEMA).write_text(schema_text(), encoding="utf-8")
    except OSError as error:
        fail(f"{folder} cannot be written: {error.strerror}.")
    out.print(f"[green]✓[/] A project is in [bold]{escape(folder)}[/]. Next:")
    out.print(f"  fenland check {escape(folder)}")
    out.print(f"  fenland account add ada --role editor --project {escape(folder)}")
    out.print(f"  fenland start {escape(folder)}")


def check(
    folder: Path = typer.Argument(Path("."), help="The project's folder."),
    records: bool = typer.Option(
        False, "--records", help="Check what is stored as well: list records that break newer rules."
    ),
    watch: bool = typer.Option(
        False, "--watch", help="Check again whenever a file of the project is saved, until Ctrl+C."
    ),
    as_json: bool = json_option(),
) -> None:
    """Check a project: every mistake at once, with its file and line and what to do about it.

    With --records, also the records in its database: those that could not be saved today as they are. They
    can be edited elsewhere all the same.

    Ends with 0 when all is well, with 9 when a definition is wrong, and with 7 when a record is.
    """
    if watch and (records or as_json):
        fail("--watch tells people of the definitions. Leave out --records and --json.", Exit.USAGE)
    if watch:
        _watch(folder)
        return
    if records:
        _check_records(folder, as_json=as_json)
        return
    if as_json:
        _check_json(folder)
        return
    _tell(folder)


def _tell(folder: Path) -> None:
    from fenland.core.definitions.advice import advise

    project = open_project(folder)
    for name, one in project.definitions.collections.items():
        out.print(f"[green]✓[/] [bold]{name}[/]  {counted(len(one.fields), 'field')}, key {one.key}")
    for advice in advise(project.definitions):
        err.print(f"[yellow]![/] {escape(str(advice))}")
    out.print("No mistakes.")


def _watch(folder: Path) -> None:
    seen: object = None
    while True:
        now = state_of(folder)
        if now != seen:
            if seen is not None:
                out.rule(time.strftime("%H:%M:%S"), style="dim")
            seen = now
            try:
                _tell(folder)
            except typer.Exit:
                err.print("[dim]Save a correction, and it is checked again.[/]")
        time.sleep(LOOKS_EACH)


def state_of(folder: Path) -> object:
    """What changes when a file of the project is saved, comes or goes."""
    from fenland.service.project import COLLECTIONS, MESSAGES

    found = []
    for place in (folder, folder / COLLECTIONS, folder / MESSAGES):
        for file in sorted(place.glob("*.*")) if place.is_dir() else ():
            if file.suffix in (".yaml", ".yml", ".toml", ".py"):
                # An editor puts a new file in the place of one as it saves.
                with suppress(OSError):
                    stat = file.stat()
                    found.append((file.name, stat.st_mtime_ns, stat.st_size, stat.st_ino))
    return found


def _check_records(folder: Path, *, as_json: bool) -> None:
    from fenland.cli.accounts import project_service
    from fenland.cli.migrating import shown_progress
    from fenland.service.upkeep.checking import broken_records

    with project_service(folder) as service, shown_progress() as progress:
        found = list(broken_records(service, lambda done, whole: progress.report("checking", done, whole)))
    if as_json:
        print_json(
            [
                {"collection": one.collection, "key": one.key, "errors": [p.as_json() for p in one.problems]}
                for one in found
            ]
        )
    for one in found if not as_json else ():
        out.print(f"[yellow]![/] [bold]{escape(one.collection)} {escape(one.key)}[/]")
        for problem in one.problems:
            out.print(f"    {escape(problem.pointer[1:] or 'the record')}: {escape(problem.detail)}")
    if found:
        if not as_json:
            out.print(f"{counted(len(found), 'record')} could not be saved today as they are.")
        raise typer.Exit(Exit.INVALID)
    if not as_json:
        out.print("[green]✓[/] Every record fits the definitions.")


def _check_json(folder: Path) -> None:
    from fenland.core.definitions.advice import advise
    from fenland.core.definitions.model import DefinitionMistakes
    from fenland.service.project import load_project

    try:
        project = load_project(folder)
    except DefinitionMistakes as error:
        print_json({"mistakes": [one.as_json() for one in error.mistakes], "notes": []})
        raise typer.Exit(Exit.DEFINITIONS) from None
    print_json({"mistakes": [], "notes": [str(one) for one in advise(project.definitions)]})


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command(rich_help_panel=PANEL)(new)
    app.command(rich_help_panel=PANEL)(check)
