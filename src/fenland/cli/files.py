"""`import` and `export`: records that come from files, and go into them."""

from __future__ import annotations

import sys
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeElapsedColumn

from fenland.cli.completing import COLLECTION
from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import Exit, counted, err, escape, fail, json_option, out, print_json
from fenland.core.changes.rules import BLANKS

if TYPE_CHECKING:
    from fenland.cli.portions import Portion
    from fenland.cli.portions import Progress as Done
    from fenland.client import Client

#: Refused rows that are told one by one.
_TOLD = 20


def _match(given: list[str]) -> dict[str, str | None]:
    found: dict[str, str | None] = {}
    for one in given:
        column, equals, name = one.partition("=")
        if not equals or not column:
            fail(f"--map {one} is no COLUMN=FIELD.", Exit.USAGE)
        found[column] = name or None
    return found


def import_file(
    collection: str = COLLECTION,
    file: Path = typer.Argument(help="CSV with a header, JSON Lines, or a spreadsheet (.xlsx).", exists=True),
    mode: str = typer.Option("both", help="create: new ones alone; update: only those there; or both."),
    by: str | None = typer.Option(None, metavar="FIELD", help="The unique field that tells which record."),
    match: list[str] = typer.Option(
        [], "--map", metavar="COLUMN=FIELD", help="What a column stands for; empty for nothing. Repeat."
    ),
    blank: str | None = typer.Option(None, help="What an empty cell means: keep, clear, store or reject."),
    all_or_nothing: bool = typer.Option(False, "--all-or-nothing", help="Keep nothing if a row is refused."),
    preview: bool = typer.Option(False, "--preview", help="Say what would become of the rows; save nothing."),
    resume: bool = typer.Option(False, "--resume", help="Go on with an import that was broken off."),
    reason: str | None = typer.Option(None, help="Why; kept in the history."),
    timeout: float = TIMEOUT,
    as_json: bool = json_option(),
) -> None:
    """Bring in the rows of a file: each is created, or brought up to date where it is there.

    Columns are matched to fields by name or title. Rows that are refused are written beside the file with
    their reasons: correct them there, and import that file.

    [bold]fenland import stations survey.csv --preview[/]

    [bold]fenland import stations survey.xlsx --by code --map "Pump count=pumps" --map Remarks=[/]
    """
    if mode not in ("create", "update", "both"):
        fail(f"--mode is {mode}. It must be create, update or both.", Exit.USAGE)
    if blank is not None and blank not in BLANKS:
        fail(f"--blank is {blank}. It must be one of {', '.join(BLANKS)}.", Exit.USAGE)
    if resume and (preview or all_or_nothing):
        fail("Only an import row by row can be broken off, and gone on with.", Exit.USAGE)
    asked = {"mode": mode, "by": by, "match": _match(match), "blank": blank, "reason": reason}
    with signed_in(timeout) as client:
        if all_or_nothing:
            _at_once(client, collection, file, {**asked, "atomic": True, "preview": preview}, as_json=as_json)
        else:
            run = _Run(client, collection, file, asked, preview=preview)
            run.all(resume=resume)
            _conclude(run.done, run.problems, run.refused_path, preview=preview, as_json=as_json)


def _at_once(client: Client, collection: str, file: Path, asked: Mapping[str, Any], *, as_json: bool) -> None:
    from fenland.cli.portions import Progress as Done
    from fenland.cli.portions import portions_of

    for portion in portions_of(file, 10**9):
        with err.status("Sending the file, and waiting for all of it"):
            answer = client.import_rows(collection, portion.content, form=portion.form, **asked)
        done = Done("", "")
        done.take(answer)
        problems = [{**one, "row": _number(portion, one["row"])} for one in answer["problems"]]
        _tell_repeats(portion, answer)
        if problems and not asked["preview"]:
            done.created = done.updated = 0
        _conclude(done, problems, None, preview=bool(asked["preview"]), as_json=as_json, atomic=True)


def _number(portion: Portion, row: int) -> int:
    place = row - (1 if portion.form == "jsonl" else 2)
    return portion.numbers[place] if 0 <= place < len(portion.numbers) else row


def _tell_repeats(portion: Portion, answer: Mapping[str, Any]) -> None:
    """Says which rows are of one record: people seldom mean it."""
    for one in answer["repeats"][:_TOLD]:
        row, earlier = _number(portion, one["row"]), _number(portion, one["earlier"])
        err.print(f"[yellow]![/] row {row} is of the same record as row {earlier}, and has the last word.")


class _Run:
    """An import, portion by portion."""

    def __init__(
        self, client: Client, collection: str, file: Path, asked: dict[str, Any], *, preview: bool
    ) -> None:
        self._client, self._collection, self._file, self._asked = client, collection, file, asked
        self._preview = preview
        self.problems: list[dict[str, Any]] = []
        self.refused_path: Path | None = None

    def all(self, *, resume: bool) -> None:
        """Sends what is not sent yet."""
        from fenland.cli.portions import Progress as Done
        from fenland.cli.portions import RefusedFile, begin, keep, portions_of, progress_file

        self.done = Done("", "") if self._preview else begin(self._file, self._asked, resume=resume)
        refused = RefusedFile(self._file)
        columns = (TextColumn("{task.description}"), BarColumn(), TaskProgressColumn(), TimeElapsedColumn())
        with Progress(*columns, console=err, transient=True) as progress:
            task = progress.add_task("Importing", total=self._file.stat().st_size)
            for place, portion in enumerate(portions_of(self._file)):
                if place >= self.done.portions:
                    answer = self._send(portion)
                    if answer["problems"] and not self._preview:
                        refused.add(portion, answer["problems"])
                        self.refused_path = refused.path
                    self.done.take(answer)
                    if not self._preview:
                        keep(self._file, self.done)
                words = f"{'Looking at' if self._preview else 'Importing'} row {self.done.rows}"
                known = portion.position > 0
                progress.update(
                    task, description=words, completed=portion.position if known else 0,
                    total=self._file.stat().st_size if known else None,
                )  # fmt: skip
        if not self._preview:
            progress_file(self._file).unlink(missing_ok=True)

    def _send(self, portion: Portion) -> Mapping[str, Any]:
        key = None if self._preview else f"{self.done.id}-{self.done.portions}"
        answer = self._client.import_rows(
            self._collection,
            portion.content,
            form=portion.form,
            preview=self._preview,
            idempotency_key=key,
            batch=None if self._preview else self.done.batch,
            **self._asked,
        )
        for one in answer["problems"][: _TOLD - len(self.problems)]:
            self.problems.append({**one, "row": _number(portion, one["row"])})
        _tell_repeats(portion, answer)
        if answer["unmatched"] and self._preview and not self.done.portions:
            names = ", ".join(answer["unmatched"])
            err.print(f"[yellow]![/] No field is called like: {escape(names)}. Say with --map what they are.")
        return answer


def _conclude(
    done: Done,
    problems: list[dict[str, Any]],
    refused_path: Path | None,
    *,
    preview: bool,
    as_json: bool,
    atomic: bool = False,
) -> None:
    """Says what became of the rows, and ends with the code for it."""
    names = ("rows", "created", "updated", "unchanged", "refused")
    counts = {name: getattr(done, name) for name in names}
    if as_json:
        path = str(refused_path) if refused_path is not None else None
        batch = None if preview else done.batch
        print_json({**counts, "preview": preview, "batch": batch, "problems": problems, "refused_file": path})
    else:
        would = "would be " if preview else ""
        words = ", ".join(f"{counts[name]} {would}{name}" for name in names[1:])
        sign = "" if preview or done.refused else "[green]✓[/] "
        out.print(f"{sign}Of {counted(done.rows, 'row')}: {words}.")
        for one in problems:
            err.print(f"[red]✗[/] row {one['row']}: {escape(one['detail'])}")
        if done.refused > len(problems):
            err.print(f"[dim]and {done.refused - len(problems)} more[/]")
        if refused_path is not None:
            out.print(
                f"The refused rows are in [bold]{escape(refused_path)}[/]: correct and import that file."
            )
        if done.batch and not preview and done.created + done.updated:
            err.print(f"[dim]All of it can be undone: fenland undo --each --batch {done.batch}[/]")
        if atomic and done.refused and not preview:
            err.print("Nothing was kept.")
    if done.refused:
        raise typer.Exit(Exit.INVALID)


def export_file(
    collection: str = COLLECTION,
    file: Path | None = typer.Option(
        None, "--out", metavar="FILE", help="Where to; its ending says what. Standard output if left out."
    ),
    form: str | None = typer.Option(None, "--as", metavar="KIND", help="csv, jsonl or xlsx."),
    where: str | None = typer.Option(None, metavar="EXPRESSION", help="Which records, such as 'pumps > 2'."),
    q: str | None = typer.Option(None, help="Words to find."),
    sort: str | None = typer.Option(None, help="Fields by comma; - before one for descending."),
    fields: str | None = typer.Option(None, help="The columns, by comma."),
    timeout: float = TIMEOUT,
) -> None:
    """Write the records of a list into a file, however many there are.

    [bold]fenland export tickets --where 'state == "open"' --out open.csv[/]
    """
    from fenland.cli.portions import form_of

    kind = form or (form_of(file) if file is not None else "csv")
    if kind not in ("csv", "jsonl", "xlsx"):
        fail(f"--as is {kind}. It must be csv, jsonl or xlsx.", Exit.USAGE)
    if file is not None and file.exists():
        fail(f"{file} is there already, and nothing is written over. Name another.", Exit.USAGE)
    if file is None and kind == "xlsx":
        fail("A spreadsheet needs a file: give --out.", Exit.USAGE)
    names = [one.strip() for one in fields.split(",")] if fields else []
    with signed_in(timeout) as client:
        pieces = client.export(collection, form=kind, fields=names, where=where, q=q, sort=sort)
        if file is None:
            for piece in pieces:
                sys.stdout.buffer.write(piece)
            sys.stdout.flush()
            return
        part = file.with_name(file.name + ".part")
        try:
            written = _write(part, pieces)
            part.replace(file)
        except OSError as error:
            fail(f"{file} cannot be written: {error.strerror}.")
        finally:
            part.unlink(missing_ok=True)
    out.print(f"[green]✓[/] {written:,} bytes are in [bold]{escape(file)}[/].")


def _write(part: Path, pieces: Any) -> int:
    written = 0
    columns = (TextColumn("{task.description}"), BarColumn(), TimeElapsedColumn())
    with part.open("wb") as target, Progress(*columns, console=err, transient=True) as progress:
        task = progress.add_task("Exporting", total=None)
        for piece in pieces:
            written += target.write(piece)
            progress.update(task, description=f"Exporting, {written / 1e6:.1f} MB")
    return written


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command("import", rich_help_panel=PANEL)(import_file)
    app.command("export", rich_help_panel=PANEL)(export_file)
