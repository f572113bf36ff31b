"""`requests`: one's own last requests, what each meant field by field, and why it was refused."""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import Any

import typer
from rich.table import Table

from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import counted, err, escape, json_option, moment, out, print_json, shown

commands = typer.Typer(
    help=(
        "See what your account's own requests said and came to, whichever tool sent them.\n\n"
        "[bold]fenland requests on[/] has the service note them for a while; "
        "[bold]fenland requests follow[/] shows each as it comes."
    ),
    no_args_is_help=True,
)

_JSON = json_option()
_ERRORS = 400
#: Seconds between two looks.
_EACH = 1.0
_COLOURS = {
    "set": "green",
    "cleared": "green",
    "followed": "cyan",
    "ignored": "yellow",
    "left": "yellow",
    "refused": "red",
    "not saved": "red",
}


@commands.command("on")
def on(
    minutes: int = typer.Option(15, min=1, max=1440, help="For how long."),
    console: bool = typer.Option(False, "--console", help="Those of the web console, too."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Have your requests noted for a while. No secrets are kept."""
    with signed_in(timeout) as client:
        found = client.inspect_requests(minutes, console=console)
    if as_json:
        print_json(found)
    else:
        out.print(f"[green]✓[/] Your requests are noted until {moment(found['until'])}.")
        out.print("  See them: [bold]fenland requests follow[/]")


@commands.command("off")
def off(timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """Have none noted any more, and forget those that were."""
    with signed_in(timeout) as client:
        client.forget_requests()
    if as_json:
        print_json({"until": None})
    else:
        out.print("[green]✓[/] Your requests are not noted any more, and those that were are forgotten.")


@commands.command("list")
def listed(
    limit: int = typer.Option(30, min=1, max=200, help="How many at most."),
    refused: bool = typer.Option(False, "--refused", help="Only those that were refused."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """List your last requests, the newest last."""
    with signed_in(timeout) as client:
        found = client.requests(limit=200 if refused else limit)
    items = [one for one in found["items"] if not refused or one["status"] >= _ERRORS][:limit]
    if as_json:
        print_json({**found, "items": items})
        return
    if items:
        table = Table(
            "No.", "UTC", "Request", "Answer", "ms", "What it meant",
            box=None, header_style="bold", pad_edge=False, padding=(0, 2, 0, 0),
        )  # fmt: skip
        for one in reversed(items):
            table.add_row(
                str(one["number"]), one["time"][11:19], _asked(one), _status(one),
                _took(one), _meant(one),
            )  # fmt: skip
        out.print(table)
    else:
        out.print("None was refused." if refused and found["items"] else "None was noted yet.")
    _tell_state(found)


@commands.command("show")
def show(
    number: int = typer.Argument(help="The number of the request, as list shows it.", min=1),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Show a request: what was sent, what it meant field by field, and why it was refused."""
    with signed_in(timeout) as client:
        found = client.request(number)
    if as_json:
        print_json(found)
    else:
        _tell(found)


@commands.command("follow")
def follow(
    minutes: int = typer.Option(15, min=1, max=1440, help="Switch it on for so long, where it is off."),
    refused: bool = typer.Option(False, "--refused", help="Only those that are refused."),
    timeout: float = TIMEOUT,
    as_json: bool = json_option("A line of JSON for each request, for scripts."),
) -> None:
    """Show each of your requests in full as it comes, until Ctrl-C or the time is over."""
    with signed_in(timeout) as client:
        found = client.requests(limit=1)
        if found["until"] is None:
            found = {**client.inspect_requests(minutes), "items": found["items"]}
        if not as_json:
            err.print(f"[dim]Your requests are noted until {moment(found['until'])}; Ctrl-C ends this.[/]")
        after = found["items"][0]["number"] if found["items"] else 0
        try:
            while found["until"] is not None:
                time.sleep(_EACH)
                found = client.requests(after=after, limit=200)
                for one in reversed(found["items"]):
                    if refused and one["status"] < _ERRORS:
                        continue
                    if as_json:
                        out.out(_json(one))
                    else:
                        _tell(one)
                after = found["items"][0]["number"] if found["items"] else after
        except KeyboardInterrupt:
            return
    if not as_json:
        err.print("[dim]The time is over.[/]")


def _asked(one: Mapping[str, Any]) -> str:
    query = "&".join(f"{name}={shown(value)}" for name, value in one.get("query", {}).items())
    whole = f"{one['path']}?{query}" if query else one["path"]
    return f"[bold]{one['method']}[/] {escape(whole if len(whole) <= 60 else whole[:59] + '…')}"


def _status(one: Mapping[str, Any]) -> str:
    status = one["status"]
    return f"[{'red' if status >= _ERRORS else 'green'}]{status}[/]"


def _took(one: Mapping[str, Any]) -> str:
    return f"{one['microseconds'] / 1000:.1f}"


def _meant(one: Mapping[str, Any]) -> str:
    """In a line: why it was refused, or what became of fields."""
    if "problem" in one and one["status"] >= _ERRORS:
        wrong = [f"{row['field']}: {row['code']}" for row in one.get("fields", []) if "code" in row]
        others = one["problem"].get("errors", [])
        wrong += [f"{error['pointer'].strip('/') or 'record'}: {error['code']}" for error in others]
        return escape(", ".join(wrong) or one["problem"].get("detail", one["problem"]["title"]))
    if "counts" in one:
        return escape(", ".join(f"{count} {name}" for name, count in one["counts"].items()))
    if "items" in one:
        refused = sum(item.get("status", 0) >= _ERRORS for item in one["items"])
        return counted(len(one["items"]), "item") + (f", {refused} refused" if refused else "")
    outcomes: dict[str, list[str]] = {}
    for row in one.get("fields", []):
        if "outcome" in row and row["outcome"] != "same":
            outcomes.setdefault(row["outcome"], []).append(row["field"])
    told = "; ".join(f"{outcome} {', '.join(names)}" for outcome, names in outcomes.items())
    return escape(told if len(told) <= 60 else told[:59] + "…")


def _tell(one: Mapping[str, Any]) -> None:
    out.print(f"[bold]{one['number']}[/]  {_asked(one)}  {_status(one)}  {_took(one)} ms")
    for name, value in one.get("headers", {}).items():
        out.print(f"  [dim]{name}: {escape(value)}[/]")
    if "problem" in one:
        problem = one["problem"]
        out.print(f"  [red]✗[/] {escape(problem['title'])}. {escape(problem.get('detail', ''))}")
        for error in problem.get("errors", []):
            out.print(f"    {escape(error['pointer'] or 'The record')}: {escape(error['detail'])}")
    if one.get("repeated"):
        out.print("  [yellow]The kept outcome of an earlier request with the same Idempotency-Key.[/]")
    _tell_fields(one.get("fields", []), "  ")
    for item in one.get("items", []):
        what = " ".join(escape(shown(item[name])) for name in ("action", "collection", "key") if name in item)
        problem = item.get("problem", {})
        why = f"  {escape(problem.get('detail', problem.get('title', '')))}" if problem else ""
        out.print(f"  {_status(item) if 'status' in item else ''} {what}{why}")
        _tell_fields(item.get("fields", []), "      ")
    if "counts" in one:
        out.print("  " + ", ".join(f"{count} {name}" for name, count in one["counts"].items()))
    if one.get("left_out"):
        out.print("  [dim]There was more than is kept.[/]")
    out.print()


def _tell_fields(rows: list[Mapping[str, Any]], indent: str) -> None:
    if not rows:
        return
    table = Table(box=None, show_header=False, pad_edge=False, padding=(0, 2, 0, 0))
    for row in rows:
        outcome = row.get("outcome", "")
        colour = _COLOURS.get(outcome, "dim")
        said = [escape(row.get("at", row["field"])), _sent(row), f"[{colour}]{outcome}[/]"]
        why = f"{row['code']}: {row.get('detail', '')}" if "code" in row else ""
        now = f"now {_json(row['now'])}" if "now" in row else ""
        table.add_row(indent + said[0], *said[1:], escape(why or now))
    out.print(table)


def _sent(row: Mapping[str, Any]) -> str:
    if row.get("withheld"):
        return "[dim]not kept[/]"
    text = escape(_json(row["sent"])) if "sent" in row else "[dim]–[/]"
    return f"{row['edit']} {text}" if "edit" in row else text


def _json(value: Any) -> str:
    """A value as it was sent: a text in quotes, so that a number is none."""
    from fenland.client.body import write_json

    return write_json(value).decode()


def _tell_state(found: Mapping[str, Any]) -> None:
    if found["until"] is None:
        err.print("[dim]They are not noted now: [bold]fenland requests on[/] has that done for a while.[/]")
    else:
        err.print(f"[dim]Noted until {moment(found['until'])}.[/]")


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.add_typer(commands, name="requests", rich_help_panel=PANEL)
