"""`pass`: links for people without an account."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import typer
from rich.table import Table

from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import (
    Exit,
    counted,
    err,
    escape,
    fail,
    json_option,
    moment,
    out,
    print_json,
)

commands = typer.Typer(
    help="Hand out links by which people without an account see their own data, and say what is wrong in it.",
    no_args_is_help=True,
)

_COLLECTION = typer.Argument(help="The collection of the records, such as landholders.")
_TEMPLATE = typer.Argument(help="What the link lets its holder do: a name under passes: in the definition.")
_NUMBER = typer.Argument(help="The number of the pass.")
_DAYS = typer.Option(
    None, min=1, max=3_650, help="For how many days it is good, if not as the template says."
)
_ONLY = typer.Option(None, help="Only those of this template.")
_RUN = typer.Option(None, help="Only those of this letter run.")
_JSON = json_option()
_STATES = {"good": "green", "no link": "dim", "locked": "yellow"}


def _state(one: Mapping[str, Any]) -> str:
    colour = _STATES.get(one["state"], "red")
    return f"[{colour}]{one['state']}[/]"


def _became(one: Mapping[str, Any]) -> str:
    """What has become of it."""
    if one["sent"]:
        return f"sent {counted(one['sent'], 'time')}, last {moment(one['sent_at'])}"
    return f"opened {moment(one['opened_at'])}" if one["opened_at"] else "never opened"


def _tell(one: Mapping[str, Any]) -> None:
    of = "a list" if one["key"] is None else escape(one["key"])
    out.print(
        f"Pass [bold]{one['number']}[/]: {escape(one['template'])} of {escape(one['collection'])}, for {of}"
    )
    made_by = one["maker"] or f"the rule at {one['rule']}"
    out.print(f"  {_state(one)}, good until {moment(one['expires_at'])}, {_became(one)}")
    out.print(f"  made {moment(one['made_at'])} by {escape(made_by)}")


def _tell_link(one: Mapping[str, Any]) -> None:
    _tell(one)
    out.print("The link, shown this once:")
    out.print(f"  [bold]{escape(one['link'])}[/]")


@commands.command()
def make(
    collection: str = _COLLECTION,
    template: str = _TEMPLATE,
    key: str | None = typer.Argument(None, help="The key of the record; none where the template lists."),
    days: int | None = _DAYS,
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Make a link for somebody, and print it.

    [bold]fenland pass make landholders own_details L0042[/]
    """
    with signed_in(timeout) as client:
        found = client.passes.make(collection, template, key, days=days)
    if as_json:
        print_json(found)
    else:
        _tell_link(found)


@commands.command()
def letters(
    collection: str = _COLLECTION,
    template: str = _TEMPLATE,
    where: str | None = typer.Option(None, metavar="EXPRESSION", help="Which records, such as 'by_post'."),
    file: Path | None = typer.Option(
        None, "--out", metavar="FILE", help="Where to. Standard output if left out."
    ),
    days: int | None = _DAYS,
    timeout: float = TIMEOUT,
) -> None:
    """Make a link for each record of a list, and write them into a CSV file: a letter to everybody.

    Each line has the pass, the key and the name of its record, the link and until when it is good. Made
    again, everybody gets another link beside the first: end a run with [bold]fenland pass revoke-all[/].

    [bold]fenland pass letters landholders own_details --where by_post --out letters.csv[/]
    """
    if file is not None and file.exists():
        fail(f"{file} is there already, and nothing is written over. Name another.", Exit.USAGE)
    with signed_in(timeout) as client:
        pieces = client.passes.letters(collection, template, where=where, days=days)
        if file is None:
            for piece in pieces:
                sys.stdout.buffer.write(piece)
                sys.stdout.flush()
            return
        try:
            made = _write(file, pieces)
        except OSError as error:
            fail(f"{file} cannot be written: {error.strerror}. Links that were made are in it so far.")
    out.print(f"[green]✓[/] {counted(made, 'link')} in [bold]{escape(file)}[/]. Whoever has one can use it.")


def _write(file: Path, pieces: Iterator[bytes]) -> int:
    """Writes a file as it comes, so that no link that was made is lost; how many lines there are."""
    from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

    lines = -1
    columns = (TextColumn("{task.description}"), BarColumn(), TimeElapsedColumn())
    # Nobody else is to read them.
    file.touch(mode=0o600)
    with file.open("wb") as target, Progress(*columns, console=err, transient=True) as progress:
        task = progress.add_task("Making links", total=None)
        for piece in pieces:
            target.write(piece)
            target.flush()
            lines += piece.count(b"\r\n")
            progress.update(task, description=f"Making links, {max(lines, 0):,}")
    return max(lines, 0)


@commands.command("list")
def listed(
    collection: str = _COLLECTION,
    template: str | None = _ONLY,
    key: str | None = typer.Option(None, help="Only those for the record with this key."),
    run: str | None = _RUN,
    limit: int = typer.Option(30, min=1, help="How many at most."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """List what was handed out, the newest first, and what has become of it."""
    with signed_in(timeout) as client:
        found = list(client.passes.all(collection, template=template, key=key, run=run, limit=limit))
    if as_json:
        print_json(found)
    elif not found:
        out.print("No passes. Make one with: fenland pass make COLLECTION TEMPLATE KEY")
    else:
        table = Table(
            "No.", "Template", "For", "State", "Good until", "What became of it",
            box=None, header_style="bold", pad_edge=False, padding=(0, 2, 0, 0),
        )  # fmt: skip
        for one in found:
            of = "a list" if one["key"] is None else escape(one["key"])
            until = "–" if one["state"] == "no link" else one["expires_at"][:10]
            table.add_row(str(one["number"]), escape(one["template"]), of, _state(one), until, _became(one))
        out.print(table)


@commands.command()
def show(number: int = _NUMBER, timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """Show a pass: how it stands, whether it was opened, and whether anything was sent by it."""
    with signed_in(timeout) as client:
        found = client.passes.get(number)
    if as_json:
        print_json(found)
    else:
        _tell(found)


@commands.command()
def renew(
    number: int = _NUMBER, days: int | None = _DAYS, timeout: float = TIMEOUT, as_json: bool = _JSON
) -> None:
    """Give a pass another link, and print it; the last one is good no more."""
    with signed_in(timeout) as client:
        found = client.passes.renew(number, days=days)
    if as_json:
        print_json(found)
    else:
        _tell_link(found)


@commands.command()
def unlock(number: int = _NUMBER, timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """Have answers taken again, where too many were wrong."""
    with signed_in(timeout) as client:
        found = client.passes.unlock(number)
    if as_json:
        print_json(found)
    else:
        _tell(found)


@commands.command()
def revoke(number: int = _NUMBER, timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """End a pass for good, at once."""
    with signed_in(timeout) as client:
        client.passes.revoke(number)
    if as_json:
        print_json({"revoked": number})
    else:
        out.print(f"[green]✓[/] Pass {number} is good no more.")


@commands.command("revoke-all")
def revoke_all(
    collection: str = _COLLECTION,
    template: str | None = _ONLY,
    run: str | None = _RUN,
    yes: bool = typer.Option(False, "--yes", help="Do not ask."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """End all passes of a template, or of a letter run, for good."""
    if template is None and run is None:
        fail("Say which: --template, --run, or both.", Exit.USAGE)
    if not yes and not as_json:
        which = f"of {template}" if run is None else f"of the run {run}"
        typer.confirm(f"End all passes {which} for good?", abort=True)
    with signed_in(timeout) as client:
        count = client.passes.revoke_all(collection, template=template, run=run)
    if as_json:
        print_json({"revoked": count})
    else:
        out.print(f"[green]✓[/] {counted(count, 'pass').replace('passs', 'passes')} good no more.")


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.add_typer(commands, name="pass", rich_help_panel=PANEL)
