"""`proposals`: what came in through passes, to be looked at, applied or refused."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import typer
from rich.table import Table

from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import Exit, err, escape, fail, json_option, moment, out, print_json, shown

commands = typer.Typer(
    help="Look at what people without an account sent, and apply or refuse it, field by field.",
    no_args_is_help=True,
)

_NUMBER = typer.Argument(help="The number of the proposal.")
_NUMBERS = typer.Argument(help="Numbers of proposals.")
_FIELDS = typer.Option([], "--field", help="Only this field; repeat for several. All that wait if left out.")
_JSON = json_option()
_STATES = {"waiting": "yellow", "applied": "green", "partly": "green", "refused": "red"}
_KINDS = {"change": "change", "create": "new record", "confirm": "all is right", "delete": "deletion"}


def _state(state: str) -> str:
    return f"[{_STATES.get(state, 'dim')}]{state}[/]"


def _of(one: Mapping[str, Any]) -> str:
    return f"{one['of']} {one['key']}"


def _which(one: Mapping[str, Any]) -> str:
    names = ", ".join(one["fields"])
    return f"{_KINDS[one['kind']]}: {names}" if names else _KINDS[one["kind"]]


def _tell(one: Mapping[str, Any]) -> None:
    out.print(f"Proposal [bold]{one['number']}[/] for {escape(_of(one))}: {_state(one['state'])}")
    came = f", from {one['from']}" if one["from"] else ""
    out.print(f"  {_KINDS[one['kind']]}, by pass {one['pass']}, {moment(one['time'])}{came}")
    if one["note"]:
        out.print(f"  [italic]“{escape(one['note'])}”[/]")
    if one["fields"]:
        table = Table(
            "Field", "As seen", "Now", "Proposed", "State",
            box=None, header_style="bold", pad_edge=False, padding=(0, 2, 0, 0),
        )  # fmt: skip
        for name, field in one["fields"].items():
            for part, *values in _rows(name, field):
                table.add_row(escape(part), *values, _stands(field))
        out.print(table)
    if one["created"] is not None:
        out.print(f"  It created {escape(one['collection'])} {escape(one['created'])}.")
    for problem in one.get("problems", []):
        err.print(f"[red]✗[/] {escape(problem['pointer'] or 'It')}: {escape(problem['detail'])}")


def _rows(name: str, field: Mapping[str, Any]) -> list[tuple[str, ...]]:
    """What is proposed for a field; of an object, the parts in which it differs from what is there."""
    if field.get("hidden"):
        return [(name, "[dim]not yours to see[/]", "", "")]
    base, proposed = field["base"], field["proposed"]
    now = field.get("current", base)
    if not isinstance(proposed, dict) or not isinstance(now, dict):
        then = shown(field["current"]) if "current" in field else ""
        return [(name, escape(shown(base)), escape(then), escape(shown(proposed)))]
    seen = base if isinstance(base, dict) else {}
    parts = [part for part in {**now, **proposed} if now.get(part) != proposed.get(part)]
    return [
        (f"{name}/{part}", *(escape(shown(each.get(part))) for each in (seen, now, proposed)))
        for part in parts
    ] or [(name, *(escape(shown(each)) for each in (base, now, proposed)))]


def _stands(field: Mapping[str, Any]) -> str:
    conflict = ", [red]changed meanwhile[/]" if field.get("conflict") else ""
    reason = f": {escape(field['reason'])}" if field["reason"] else ""
    return f"{_state(field['state'])}{conflict}{reason}"


@commands.command("list")
def listed(
    state: str = typer.Option(
        "waiting", help="waiting, applied, partly, refused, withdrawn, overtaken; or all."
    ),
    collection: str | None = typer.Option(None, help="Only what came by passes of this collection."),
    key: str | None = typer.Option(None, help="Only what came by passes for the record with this key."),
    by_pass: int | None = typer.Option(None, "--pass", help="Only what came by this pass."),
    newest: bool = typer.Option(False, "--newest", help="The last first, in place of the oldest."),
    limit: int = typer.Option(30, min=1, help="How many at most."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """List what came in and waits, the oldest first."""
    which = None if state == "all" else state
    with signed_in(timeout) as client:
        wanted = client.proposals.all(
            state=which, collection=collection, key=key, by_pass=by_pass, newest=newest, limit=limit
        )
        found = list(wanted)
    if as_json:
        print_json(found)
    elif not found:
        out.print("Nothing waits." if which == "waiting" else "Nothing there.")
    else:
        table = Table(
            "No.", "When", "For", "What", "State", "Note",
            box=None, header_style="bold", pad_edge=False, padding=(0, 2, 0, 0),
        )  # fmt: skip
        for one in found:
            note = one["note"].replace("\n", " ")
            table.add_row(
                str(one["number"]), moment(one["time"]), escape(_of(one)), escape(_which(one)),
                _state(one["state"]), escape(note[:40] + ("…" if len(note) > 40 else "")),
            )  # fmt: skip
        out.print(table)


@commands.command()
def show(number: int = _NUMBER, timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """Show a proposal: of each field what stood there, stands there and is proposed; and what is wrong."""
    with signed_in(timeout) as client:
        found = client.proposals.get(number)
    if as_json:
        print_json(found)
    else:
        _tell(found)


@commands.command()
def apply(
    numbers: list[int] = _NUMBERS,
    field: list[str] = _FIELDS,
    base: int | None = typer.Option(
        None, help="The version of the record that you saw: then what others changed up to it is no conflict."
    ),
    reason: str | None = typer.Option(None, help="Why."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Apply proposals, or some fields of one: an ordinary change, made for who sent it.

    [bold]fenland proposals apply 12 --field address[/]
    """
    if len(numbers) > 1 and (field or base is not None):
        fail("--field and --base are about one proposal. Name one.", Exit.USAGE)
    with signed_in(timeout) as client:
        if len(numbers) > 1:
            _tell_all(client.proposals.apply_all(numbers, reason=reason), as_json)
            return
        found = client.proposals.apply(numbers[0], fields=field or None, base=base, reason=reason)
    _told(found, as_json)


@commands.command()
def refuse(
    numbers: list[int] = _NUMBERS,
    reason: str = typer.Option(..., help="Why; who sent it may be told."),
    field: list[str] = _FIELDS,
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Refuse proposals, or some fields of one, for a reason."""
    if len(numbers) > 1 and field:
        fail("--field is about one proposal. Name one.", Exit.USAGE)
    with signed_in(timeout) as client:
        if len(numbers) > 1:
            _tell_all(client.proposals.refuse_all(numbers, reason), as_json)
            return
        found = client.proposals.refuse(numbers[0], reason, fields=field or None)
    _told(found, as_json)


@commands.command()
def withdraw(
    number: int = _NUMBER,
    field: list[str] = _FIELDS,
    reason: str | None = typer.Option(None, help="Why."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Take back what waits of a proposal, for who sent it and asks for that."""
    with signed_in(timeout) as client:
        found = client.proposals.withdraw(number, fields=field or None, reason=reason)
    _told(found, as_json)


def _told(one: Mapping[str, Any], as_json: bool) -> None:
    if as_json:
        print_json(one)
    else:
        _tell(one)


def _tell_all(found: list[Mapping[str, Any]], as_json: bool) -> None:
    """What has become of each; ends with a code of its own where one was not settled."""
    failed = [one for one in found if one["problem"] is not None]
    if as_json:
        print_json(found)
    else:
        for one in found:
            if one["problem"] is None:
                out.print(f"[green]✓[/] {one['number']}: {_state(one['state'])}")
            else:
                err.print(f"[red]✗[/] {one['number']}: {escape(one['problem']['detail'])}")
    if failed:
        raise typer.Exit(Exit.CONFLICT)


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.add_typer(commands, name="proposals", rich_help_panel=PANEL)
