"""`history`, `difference`, `restore`, `undo`, `erase`: the past of records of a running service, and back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from itertools import groupby
from typing import TYPE_CHECKING, Any

import typer
from rich.text import Text

from fenland.cli.completing import (
    COLLECTION,
    KEY,
    complete_collection,
    complete_field,
    complete_key,
)
from fenland.cli.fields import read_fields
from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import (
    UNSEEN,
    Exit,
    counted,
    err,
    escape,
    fail,
    json_option,
    moment,
    out,
    print_json,
    shown,
    tell_copies,
)

if TYPE_CHECKING:
    from fenland.client import Client, Entry

_REASON = typer.Option(None, help="Why; kept in the history.")
_PREVIEW = typer.Option(False, "--preview", help="Show what would change, and save nothing.")
_JSON = json_option()
VERSION = typer.Option(None, "--version", metavar="NUMBER", min=1, help="As it was at this version.")
AT = typer.Option(None, metavar="TIME", help="As it was at this time: 2031-04-09T12:00:00Z, or a day.")


def history(
    collection: str | None = typer.Argument(
        None, help="The collection; left out, all of them.", autocompletion=complete_collection
    ),
    key: str | None = typer.Argument(
        None, help="The record's key; left out, all records.", autocompletion=complete_key
    ),
    where: str | None = typer.Option(
        None,
        metavar="EXPRESSION",
        help='Only entries for which this holds: \'after.status == "closed" && via == "console"\'.',
    ),
    actor: str | None = typer.Option(None, help="Only by this account."),
    action: str | None = typer.Option(None, help="Only create, update, delete, restore, erase, sign_in, …"),
    field: str | None = typer.Option(None, help="Only where this field changed."),
    reason: str | None = typer.Option(None, metavar="TEXT", help="Only with this in their reason."),
    batch: str | None = typer.Option(None, help="Only of this batch."),
    since: str | None = typer.Option(None, metavar="TIME", help="Not before this time."),
    until: str | None = typer.Option(None, metavar="TIME", help="Not after this time."),
    limit: int = typer.Option(20, min=1, help="How many changes to show at most."),
    derived: bool = typer.Option(False, "--derived", help="Show each change that is merely derived."),
    timeout: float = TIMEOUT,
    as_json: bool = json_option("Answer with JSON Lines, one entry a line."),
) -> None:
    """Show who changed what, newest first: in one record, also after it was deleted, or in all.

    [bold]fenland history tickets T-0042[/]

    [bold]fenland history --actor ada.reed --since 2031-04-01 --field status[/]
    """
    searched = {"where": where, "action": action, "reason": reason, "batch": batch, "since": since}
    with signed_in(timeout) as client:
        if collection is not None and key is not None:
            wrong = [name for name, value in {**searched, "until": until}.items() if value is not None]
            if wrong:
                fail(f"--{wrong[0]} searches all records: leave out KEY, and add --where.", Exit.USAGE)
            found = client.history(collection, key, field=field, actor=actor, limit=limit)
        else:
            found = client.past.entries(
                collection=collection, actor=actor, field=field, until=until, limit=limit, **searched
            )
        if as_json:
            for entry in found:
                print_json(entry.raw)
        else:
            _entries(found, folded=not derived and action != "derive", everything=key is None)


def _entries(found: Iterable[Entry], *, folded: bool, everything: bool) -> None:
    none = True
    for merely, run in groupby(found, lambda one: folded and one.action == "derive"):
        entries, none = list(run), False
        if merely and len(entries) > 1:
            out.print(f"        [dim]{counted(len(entries), 'derived change')}[/]")
            continue
        _lines(entries, everything=everything)
    if none:
        out.print("No entries found.")


def _lines(entries: Iterable[Entry], *, everything: bool) -> None:
    for entry in entries:
        number = entry.sequence if everything else entry.version
        line = Text.assemble((f"{number:>6}  ", "bold"), (f"{moment(entry.time)}  ", "dim"))
        if everything and entry.action != "migrate":
            line.append(f"{entry.raw['collection'].removeprefix('fenland_')} {entry.key}: ", style="dim")
        line.append(entry.sentence)
        if entry.reason:
            line.append(f" ({entry.reason})", style="italic")
        out.print(line)


def difference(
    collection: str = COLLECTION,
    key: str = KEY,
    older: int = typer.Argument(help="The older version.", min=1),
    newer: int | None = typer.Argument(None, help="The newer one; left out, the newest.", min=1),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Show what differs between two versions of a record."""
    with signed_in(timeout) as client:
        found = client.past.difference(collection, key, older, newer)
    if as_json:
        print_json(found)
        return
    if not found["changes"]:
        out.print("Nothing differs.")
    _changes(found["changes"])


def _changes(changes: Mapping[str, Mapping[str, Any]]) -> None:
    for name, change in changes.items():
        before, after = shown(change.get("before")), shown(change.get("after"))
        out.print(f"  {name}  {escape(before)} → [bold]{escape(after)}[/]")


def restore(
    collection: str = COLLECTION,
    key: str = KEY,
    version: int | None = VERSION,
    at: str | None = AT,
    preview: bool = _PREVIEW,
    reason: str | None = _REASON,
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Bring a deleted record back, or take a record back to how it was.

    [bold]fenland restore tickets T-0042[/]

    [bold]fenland restore stations PS-014 --version 3 --preview[/]
    """
    with signed_in(timeout) as client:
        if preview:
            _preview(client, collection, key, {"version": version, "at": at}, as_json=as_json)
            return
        record = client.past.restore(collection, key, version=version, at=at, reason=reason)
    if as_json:
        print_json(record.fields)
    else:
        sentence = f"[green]✓[/] {escape(key)} is as it was, at version {record.version}."
        out.print(UNSEEN if record.unseen else sentence)


def _preview(client: Client, collection: str, key: str, when: Mapping[str, Any], *, as_json: bool) -> None:
    found = client.past.preview_restoring(collection, key, **when)
    if as_json:
        errors = [{"field": one.field, "detail": one.detail} for one in found.errors]
        print_json({"changes": found.changes, "record": found.record, "errors": errors})
    else:
        _changes(found.changes)
        if not found.changes:
            out.print("Nothing would change.")
    for one in found.errors:
        err.print(f"[red]✗[/] {escape(one.field)}: {escape(one.detail)}")
    if found.errors:
        raise typer.Exit(Exit.INVALID)


def undo(
    sequence: int | None = typer.Argument(None, help="The number of an entry, as history shows it.", min=1),
    batch: str | None = typer.Option(None, help="Undo all of this batch."),
    actor: str | None = typer.Option(None, help="Undo all that this account did; needs --since."),
    since: str | None = typer.Option(None, metavar="TIME", help="From this time on."),
    until: str | None = typer.Option(None, metavar="TIME", help="Up to this time."),
    each: bool = typer.Option(False, "--each", help="Undo what can be undone, and tell of the rest."),
    alone: bool = typer.Option(False, "--alone", help="Leave what rules did because of it."),
    preview: bool = _PREVIEW,
    reason: str | None = _REASON,
    yes: bool = typer.Option(False, "--yes", help="Do not ask."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Undo one save, a batch, or all that an account did in a while: all of it or nothing, unless --each.

    What was changed again since is in conflict, and named. Asks first where there are several.

    [bold]fenland undo 1482[/]

    [bold]fenland undo --actor ada.reed --since 2031-04-09T08:00:00Z --preview[/]
    """
    given = [one for one in (sequence, batch, actor) if one is not None]
    if len(given) != 1:
        fail("Name one thing to undo: a sequence, --batch, or --actor with --since.", Exit.USAGE)
    if actor is not None and since is None:
        fail("With --actor, say since when: --since 2031-04-09T08:00:00Z.", Exit.USAGE)
    asked: dict[str, Any] = {
        "batch": batch,
        "actor": actor,
        "since": since,
        "until": until,
        "atomic": not each,
        "consequences": not alone,
    }
    with signed_in(timeout) as client:
        if sequence is not None:
            found = client.past.undo(sequence, consequences=not alone, preview=preview, reason=reason)
        else:
            if not preview and not yes:
                _agree(client.past.undo_many(**asked, preview=True), as_json=as_json)
            found = client.past.undo_many(**asked, preview=preview, reason=reason)
    if as_json:
        print_json(found)
    else:
        _undone(found)
    if found["refused"] and not found["done"]:
        raise typer.Exit(Exit.CONFLICT)


def _agree(found: Mapping[str, Any], *, as_json: bool) -> None:
    if as_json:
        fail("With --json nothing is asked. Send --yes to undo.", Exit.USAGE)
    _undone(found)
    typer.confirm("Do this?", abort=True)


def _undone(found: Mapping[str, Any]) -> None:
    words = {
        "update": "changed back", "delete": "deleted", "restore": "brought back", "revoke": "revoked",
        "nothing": "as it was",
    }  # fmt: skip
    for one in found["items"]:
        which = f"{one['collection'].removeprefix('fenland_')} {one['key']}"
        what = f"{one['sequence']:>6}  {escape(which)}"
        if "problem" in one:
            err.print(f"[red]✗[/] {what}: {escape(one['problem']['detail'])}")
            for conflict in one["problem"].get("conflicts", []):
                now = f" holds {shown(conflict['current'])} now" if "current" in conflict else ""
                err.print(f"      {escape(conflict['pointer'])}{escape(now)}")
            continue
        out.print(f"[green]✓[/] {what}: {words[one['did']]}")
        _changes(one["changes"])
    if not found["items"]:
        out.print("There is nothing to undo.")
    elif found["preview"]:
        out.print("[dim]This is what it would do; nothing was saved.[/]")
    elif not found["done"]:
        err.print("Nothing was saved.")


def erase(
    collection: str = COLLECTION,
    key: str = KEY,
    fields: list[str] = typer.Argument(
        help="The sensitive fields to erase.", metavar="FIELD...", autocompletion=complete_field
    ),
    reason: str = typer.Option(..., help="Why; kept in the history for good."),
    put: list[str] = typer.Option(
        [], "--put", metavar="NAME=VALUE", help="What is to stand in a field instead of nothing."
    ),
    yes: bool = typer.Option(False, "--yes", help="Do not ask."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Erase what sensitive fields of a record hold and ever held. Nobody can bring it back.

    The values go from the record, from all its history and from the files of the database; that they were
    erased, by whom and why stays. Copies that migrations made and backups of the schedule hold it still,
    and are named; they and files you exported are yours to see to.

    [bold]fenland erase landholders L0042 phone email --reason "Asked to be forgotten"[/]
    """
    with signed_in(timeout) as client:
        values = read_fields(client.schema(collection), put, [])
        if not yes and as_json:
            fail("With --json nothing is asked. Send --yes to erase.", Exit.USAGE)
        if not yes:
            what = f"{', '.join(fields)} of {collection} {key}"
            typer.confirm(f"Erase {what} for good? It cannot be undone.", abort=True)
        record = client.past.erase(collection, key, fields, reason, values=values)
    if as_json:
        print_json(record.fields)
    else:
        out.print(f"[green]✓[/] Erased {counted(len(fields), 'field')} of {escape(key)} for good.")
    tell_copies(record.copies)


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    for command in (history, difference, restore, undo, erase):
        app.command(rich_help_panel=PANEL)(command)
