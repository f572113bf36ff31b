"""What proves the history: `head`, `evidence`, `export-history`; of a database at hand `verify`, `archive`,
`erase-removed`, `new-key`.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from contextlib import closing, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeElapsedColumn

from fenland.cli.completing import complete_collection, complete_key
from fenland.cli.migrating import shown_progress
from fenland.cli.projects import PANEL as PROJECTS
from fenland.cli.projects import open_project, open_settings
from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import (
    Exit,
    counted,
    err,
    escape,
    fail,
    json_option,
    log_to_stderr,
    out,
    print_json,
    tell,
    tell_copies,
)

if TYPE_CHECKING:
    from fenland.service.history.erasing_removed import Held
    from fenland.service.proof.reports import Report
    from fenland.service.service import Service
    from fenland.service.settings import Settings

_PROJECT = typer.Option(Path("."), "--project", envvar="FENLAND_PROJECT", help="The project's folder.")
#: Faults that people are told one by one.
_TOLD = 50


def entries_of(number: int) -> str:
    """So many entries, in words."""
    return f"{number} {'entry' if number == 1 else 'entries'}"


def head(
    file: Path | None = typer.Option(None, "--write", help="Add it to this file, with the keys that sign."),
    above: int | None = typer.Option(None, help="Wait until there are more entries than this.", min=0),
    wait: int = typer.Option(20, help="With --above: for so many seconds at most.", min=0, max=60),
    timeout: float = TIMEOUT,
    as_json: bool = json_option(),
) -> None:
    """Show the signed head of the history: how many entries there are, and the root of their tree.

    Keep heads where nobody who can change the database can change them: with [bold]fenland verify --head[/]
    they show that nothing was rewritten since. With [bold]--above[/] it waits for the history to grow.

    [bold]fenland head --write kept-elsewhere.jsonl[/]

    [bold]fenland head --above 120 --wait 60[/]
    """
    with signed_in(timeout if above is None else max(timeout, wait + 10)) as client:
        found = dict(client.past.head(above=above, wait=None if above is None else wait))
        if file is not None:
            line = json.dumps({**found, "keys": client.past.keys()["keys"]})
            with file.open("a", encoding="utf-8") as kept:
                kept.write(line + "\n")
    if as_json:
        print_json(found)
        return
    out.print(f"{entries_of(found['size'])}, root {found['root']}")
    out.print(f"[dim]signed at {found['time']}[/]")
    if file is not None:
        out.print(f"[green]✓[/] Added to {escape(file)}.")


def evidence(
    collection: str = typer.Argument(help="The collection.", autocompletion=complete_collection),
    key: str = typer.Argument(help="The record's key.", autocompletion=complete_key),
    file: Path = typer.Argument(help="The file to write, which must not be there."),
    size: int | None = typer.Option(None, min=1, help="Under the kept head of so many entries."),
    timeout: float = TIMEOUT,
    as_json: bool = json_option(),
) -> None:
    """Write all that shows what became of a record into a file that can be checked without the service."""
    with signed_in(timeout) as client:
        found = client.past.evidence(collection, key, size)
    from fenland.core.values.plain import write_json

    try:
        with file.open("xb") as kept:
            kept.write(write_json(found) + b"\n")
    except OSError as error:
        fail(f"{file} cannot be written: {error.strerror}.")
    if as_json:
        print_json({"file": str(file), "entries": len(found["entries"]), "head": found["head"]["size"]})
    else:
        out.print(f"[green]✓[/] {entries_of(len(found['entries']))} in {escape(file)}, with proofs.")


def export_history(
    file: Path = typer.Argument(help="The file to write: .jsonl, or .csv."),
    where: str | None = typer.Option(None, metavar="EXPRESSION", help="Only entries for which this holds."),
    collection: str | None = typer.Option(None, help="Only of this collection."),
    since: str | None = typer.Option(None, metavar="TIME", help="Not before this time."),
    until: str | None = typer.Option(None, metavar="TIME", help="Not after this time."),
    resume: bool = typer.Option(False, "--resume", help="Go on where the file ends."),
    timeout: float = TIMEOUT,
    as_json: bool = json_option(),
) -> None:
    """Write the history into a file, oldest first; broken off, it goes on with --resume.

    [bold]fenland export-history history.jsonl[/]
    """
    form = "csv" if file.suffix == ".csv" else "jsonl"
    if file.exists() and not resume:
        fail(f"{file} is there already. Go on with it by --resume, or name another.", Exit.CONFLICT)
    after = _end_of(file, form) if resume and file.exists() else 0
    with signed_in(timeout) as client, _bar() as bar, file.open("ab") as kept:
        whole = client.past.head()["size"]
        task = bar.add_task("entries", total=whole, completed=after)
        pieces = client.past.export(
            form=form, after=after, where=where, collection=collection, since=since, until=until
        )
        for piece in pieces:
            kept.write(piece)
            last = _last_sequence(piece, form)
            if last is not None:
                bar.update(task, completed=last)
        bar.update(task, completed=whole)
    if as_json:
        print_json({"file": str(file), "after": after, "last": _end_of(file, form)})
    else:
        out.print(f"[green]✓[/] The history is in {escape(file)}.")


def _bar() -> Progress:
    columns = (TextColumn("{task.description}"), BarColumn(), TaskProgressColumn(), TimeElapsedColumn())
    return Progress(*columns, console=err, transient=True, disable=not err.is_terminal)


def _last_sequence(piece: bytes, form: str) -> int | None:
    """The sequence of the last whole line in a piece of a file."""
    lines = piece.splitlines()
    for line in reversed(lines[-3:]):
        try:
            return int(json.loads(line)["sequence"] if form == "jsonl" else line.split(b",", 1)[0])
        except (ValueError, KeyError, TypeError):
            continue
    return None


def _end_of(file: Path, form: str) -> int:
    """The sequence of the last entry in a file; what is left of a broken line is cut off."""
    with file.open("r+b") as kept:
        whole = kept.seek(0, 2)
        kept.seek(max(0, whole - (1 << 20)))
        tail = kept.read()
        end = tail.rfind(b"\n") + 1
        kept.truncate(whole - len(tail) + end)
        return _last_sequence(tail[:end], form) or 0


def verify(
    head: Path | None = typer.Option(None, "--head", exists=True, help="Heads that were kept elsewhere."),
    database: Path | None = typer.Option(None, help="The database file; left out, the project's."),
    export: Path | None = typer.Option(None, exists=True, help="Check an export of the history instead."),
    evidence: Path | None = typer.Option(None, exists=True, help="Check an evidence file instead."),
    archive: Path | None = typer.Option(None, exists=True, help="Check an archive instead."),
    archives: Path | None = typer.Option(
        None, exists=True, file_okay=False, help="A folder where archives lie that were moved away."
    ),
    tree_only: bool = typer.Option(False, "--tree-only", help="Entries and heads alone, and no records."),
    project: Path = _PROJECT,
    as_json: bool = json_option(),
) -> None:
    """Check that the history is whole and unchanged, and that it gives just the records that stand there.

    The service may run meanwhile. Ends with code 1 where anything is wrong, and tells which entry, of what
    kind, and since when. docs/verifying.md says how to do this without this program.

    [bold]fenland verify --head kept-elsewhere.jsonl[/]
    """
    from fenland.storage.door import DatabaseRefused

    try:
        with shown_progress() as progress:
            report = _report(
                progress, {"export": export, "evidence": evidence, "archive": archive, "archives": archives},
                head, database, project, tree_only=tree_only,
            )  # fmt: skip
    except (DatabaseRefused, ValueError) as error:
        fail(str(error), Exit.USAGE if isinstance(error, ValueError) else Exit.FAILED)
    if as_json:
        print_json(report.as_json())
    else:
        _tell(report)
    if not report.sound:
        raise typer.Exit(Exit.FAILED)


def _report(
    progress: Any,
    files: dict[str, Path | None],
    head: Path | None,
    database: Path | None,
    project: Path,
    *,
    tree_only: bool,
) -> Report:
    from fenland.service.own.loading import own_functions
    from fenland.service.proof import reports, verifying_files
    from fenland.service.proof.archiving import read_archive
    from fenland.service.proof.verifying import Around, verify_database

    text = None if head is None else head.read_text(encoding="utf-8")
    heads = [] if text is None else reports.read_heads(text, [])
    if files["evidence"] is not None:
        return verifying_files.verify_evidence(json.loads(files["evidence"].read_bytes()), heads)
    if files["archive"] is not None:
        if head is not None:
            fail("An archive holds a head itself. Leave --head out, or check the database.", Exit.USAGE)
        found = read_archive(files["archive"])
        return reports.Report(found.last - found.first + 1, found.root.hex(), heads=1)
    if files["export"] is not None:
        with files["export"].open("rb") as lines:
            return verifying_files.verify_export(lines, heads, progress)
    path = database or open_settings(project).database
    log_to_stderr()
    folders = () if files["archives"] is None else (files["archives"],)
    around = Around(folders, own_functions(project))
    return verify_database(path, text, tree_only=tree_only, around=around, progress=progress)


def _tell(report: Report) -> None:
    for fault in report.faults[:_TOLD]:
        since = f" [dim](since {fault.time})[/]" if fault.time else ""
        err.print(f"[bold red]✗[/] {fault.kind}: {escape(fault.sentence)}{since}")
    if len(report.faults) > _TOLD:
        tell(f"And {len(report.faults) - _TOLD} more; --json tells all.")
    what = f"{entries_of(report.entries)}, root {report.root or 'unknown'}"
    if report.sound:
        records = f" They give the {report.records} records that are there." if report.records else ""
        heads = f"{counted(report.heads, 'head')} checked."
        out.print(f"[green]✓[/] Whole and unchanged: {what}; {heads}{records}")
    else:
        err.print(f"{counted(len(report.faults), 'fault')} in {what}.")


@contextmanager
def at_hand(project: Path, *, by_files: bool = False) -> Iterator[tuple[Service, Settings]]:
    """The project's service without its server, which may run meanwhile; what it refuses ends the command.

    By the definitions that the database is under; with `by_files`, those of the files must be the same.
    """
    from fenland.core.problems import Refusal
    from fenland.service.opening import open_project_service
    from fenland.service.upkeep.migrating import as_kept
    from fenland.storage.door import DatabaseRefused

    found = open_project(project)
    try:
        service = open_project_service(found, definitions=None if by_files else as_kept(found))
        with closing(service):
            yield service, found.settings
    except (DatabaseRefused, Refusal, ValueError, OSError) as error:
        fail(getattr(error, "detail", str(error)))


def archive(
    before: str = typer.Option(..., metavar="TIME", help="Move entries from before this: a day, or a time."),
    project: Path = _PROJECT,
    as_json: bool = json_option(),
) -> None:
    """Move older entries of the history into a file, which proves that it is the beginning of it.

    The service may run meanwhile. Timelines say where older entries are; keep the file as long as you must.
    """
    from datetime import UTC, datetime

    from fenland.core.values.identity import timestamp
    from fenland.service.proof.archiving import archive as move

    try:
        moment = datetime.fromisoformat(before)
    except ValueError:
        fail(
            f"--before is {before}. It must be a time such as 2031-04-09, or 2031-04-09T12:00:00Z.",
            Exit.USAGE,
        )
    moment = moment if moment.tzinfo else moment.replace(tzinfo=UTC)
    with at_hand(project) as (service, settings), shown_progress() as progress:
        path, moved = move(service, settings.archive_folder, timestamp(moment), progress)
    if as_json:
        print_json({"file": str(path), "first": moved.first, "last": moved.last, "root": moved.root.hex()})
    else:
        out.print(f"[green]✓[/] Entries {moved.first} to {moved.last} are in [bold]{escape(path)}[/].")


def erase_removed(
    collection: str | None = typer.Argument(None, help="The collection that was removed; none lists them."),
    reason: str | None = typer.Option(None, help="Why; kept in the history for good."),
    yes: bool = typer.Option(False, "--yes", help="Do not ask."),
    project: Path = _PROJECT,
    as_json: bool = json_option(),
) -> None:
    """Erase what the history still holds of sensitive fields of a collection that was removed.

    Nobody can bring it back. The service may run meanwhile. Copies that migrations made and backups hold it
    still, and are named; what entries say in clear, from before a field was sensitive, stays. Do it before
    another collection takes the name.

    [bold]fenland erase-removed[/]

    [bold]fenland erase-removed volunteers --reason "No longer ours to keep"[/]
    """
    from fenland.service.history import erasing_removed
    from fenland.service.upkeep.copies import names_of

    with at_hand(project) as (service, settings):
        if collection is None:
            _list_removed(erasing_removed.removed(service), as_json=as_json)
            return
        if reason is None:
            fail("Say why with --reason: it is kept in the history.", Exit.USAGE)
        if not yes and as_json:
            fail("With --json nothing is asked. Send --yes to erase.", Exit.USAGE)
        if not yes:
            what = f"what the history holds of {collection}"
            typer.confirm(f"Erase {what} for good? It cannot be undone.", abort=True)
        done = erasing_removed.erase_removed(service, collection, reason)
        copies = names_of(settings)
    if as_json:
        counts = {"records": len(done.records), "values": done.values}
        print_json({"collection": collection, **counts, "copies": copies})
        return
    what = f"{counted(done.values, 'value')} of {counted(len(done.records), 'record')}"
    out.print(f"[green]✓[/] Erased {what} of {escape(collection)} for good.")
    tell_copies(copies)


def _list_removed(found: Mapping[str, Held], *, as_json: bool) -> None:
    if as_json:
        items = [
            {"collection": name, "records": len(one.records), "values": one.values}
            for name, one in found.items()
        ]
        print_json({"items": items})
    elif not found:
        out.print("The history holds nothing of sensitive fields of collections that were removed.")
    else:
        for name, one in found.items():
            out.print(
                f"{escape(name)}  {counted(one.values, 'value')} of {counted(len(one.records), 'record')}"
            )


def new_key(project: Path = _PROJECT, as_json: bool = json_option()) -> None:
    """Sign heads of the history with a new key from now on. The old public key stays known; its file goes."""
    from fenland.service.proof.proving import newest_head, signing_key
    from fenland.service.proof.signing_keys import make_key

    with at_hand(project) as (service, settings):
        # What the old key signed last, so that its public half is kept.
        newest_head(service)
        settings.key_file.unlink()
        make_key(settings.key_file)
        key = signing_key(service).public
    if as_json:
        print_json(key)
    else:
        out.print(f"[green]✓[/] Heads are signed with the key {key['kid']} from now on.")


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command(rich_help_panel=PANEL)(head)
    app.command(rich_help_panel=PANEL)(evidence)
    app.command("export-history", rich_help_panel=PANEL)(export_history)
    app.command(rich_help_panel=PROJECTS)(verify)
    app.command(rich_help_panel=PROJECTS)(archive)
    app.command("erase-removed", rich_help_panel=PROJECTS)(erase_removed)
    app.command("new-key", rich_help_panel=PROJECTS)(new_key)
