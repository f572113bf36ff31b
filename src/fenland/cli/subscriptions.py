"""`subscription`: which other systems are sent what, and what became of it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import typer
from rich.table import Table

from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import Exit, counted, escape, fail, json_option, moment, out, print_json

commands = typer.Typer(
    help="Have what you may see sent to other systems, signed, and again until it is taken.",
    no_args_is_help=True,
)

_NAME = typer.Argument(help="The subscription's name, such as board-map.")
_JSON = json_option()
_ACCOUNT = typer.Option(None, help="With whose rights it is judged what is sent; for who manages accounts.")
_COLLECTIONS = typer.Option(
    [], "--collection", help="A collection whose changes are sent; repeat for several, * for all."
)
_WHERE = typer.Option(None, help="A condition over records of the one collection; '' for none.")
_DATA = typer.Option(None, help="What stands beside each event: none, changes (the usual) or record.")
_NOTICES = typer.Option(
    [],
    "--notice",
    help="A notice of effects that is sent; repeat for several, * for all. For who manages accounts.",
)
_STATES = {"waiting": "yellow", "sent": "green", "parked": "red", "void": "dim"}


def _members(
    account: str | None, collection: list[str], where: str | None, data: str | None, notice: list[str]
) -> dict[str, Any]:
    """What was named of a subscription."""
    given = {
        "account": account,
        "collections": collection or None,
        "where": where,
        "data": data,
        "notices": notice or None,
    }
    return {name: value for name, value in given.items() if value is not None}


def _table(*titles: str) -> Table:
    return Table(*titles, box=None, header_style="bold", pad_edge=False, padding=(0, 2, 0, 0))


def _what(one: Mapping[str, Any]) -> str:
    followed = ", ".join("all collections" if name == "*" else name for name in one["collections"])
    parts = [f"{followed} where {one['where']}" if one["where"] else followed]
    if one["notices"]:
        parts.append(
            "notices " + ", ".join("of all effects" if name == "*" else name for name in one["notices"])
        )
    return "; ".join(part for part in parts if part)


def _state(one: Mapping[str, Any]) -> str:
    if one["paused"]:
        return f"[yellow]paused[/] {escape(one['why'] or '')}".rstrip()
    if one["failing_since"]:
        return f"[red]failing since {moment(one['failing_since'])}[/]"
    return "[green]sending[/]"


def _tell(one: Mapping[str, Any]) -> None:
    out.print(f"[bold]{escape(one['name'])}[/] → {escape(one['url'])}")
    out.print(f"  {_state(one)}, {one['waiting']} waiting, {one['parked']} parked")
    out.print(f"  {escape(_what(one))}; with each event: {one['data']}; as {escape(one['account'])}")


@commands.command("list")
def listed(timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """List the subscriptions that you may manage."""
    with signed_in(timeout) as client:
        found = client.subscriptions.all()
    if as_json:
        print_json(found)
    elif not found:
        out.print("No subscriptions. Add one with: fenland subscription add NAME URL")
    else:
        table = _table("Name", "Sent to", "What", "As", "Waiting", "Parked", "State")
        for one in found:
            counts = (str(one["waiting"]), str(one["parked"]))
            texts = (escape(text) for text in (one["name"], one["url"], _what(one), one["account"]))
            table.add_row(*texts, *counts, _state(one))
        out.print(table)


@commands.command()
def show(name: str = _NAME, timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """Show a subscription, and whether it is taken what is sent."""
    with signed_in(timeout) as client:
        found = client.subscriptions.get(name)
    if as_json:
        print_json(found)
    else:
        _tell(found)


@commands.command()
def add(
    name: str = _NAME,
    url: str = typer.Argument(help="Where notices are sent, such as https://map.example/notices."),
    account: str | None = _ACCOUNT,
    collection: list[str] = _COLLECTIONS,
    where: str | None = _WHERE,
    data: str | None = _DATA,
    notice: list[str] = _NOTICES,
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Have what you may see sent to an address from now on, and print the secret that signs it.

    Example: [bold]fenland subscription add board-map https://map.example/in --collection stations[/]
    """
    members = _members(account, collection, where, data, notice)
    with signed_in(timeout) as client:
        made = client.subscriptions.add(name, url, **members)
    if as_json:
        print_json(made)
        return
    _tell(made)
    out.print("The secret that signs what is sent, shown this once:")
    out.print(f"  [bold]{escape(made['secret'])}[/]")
    out.print(f"[dim]Try it: fenland subscription test {escape(name)}[/]")


@commands.command()
def change(
    name: str = _NAME,
    url: str | None = typer.Option(None, help="Where notices are sent from now on."),
    account: str | None = _ACCOUNT,
    collection: list[str] = _COLLECTIONS,
    where: str | None = _WHERE,
    data: str | None = _DATA,
    notice: list[str] = _NOTICES,
    no_collections: bool = typer.Option(False, "--no-collections", help="Send no changes any more."),
    no_notices: bool = typer.Option(False, "--no-notices", help="Send no notices of effects any more."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Change a subscription; what is not named stays. Where it follows others then, it is told to read all
    again.
    """
    members = _members(account, collection, where, data, notice) | ({} if url is None else {"url": url})
    members |= {"collections": []} if no_collections else {}
    members |= {"notices": []} if no_notices else {}
    if not members:
        fail(
            "Nothing to change. Name --url, --collection, --where, --data, --notice or --account.", Exit.USAGE
        )
    _changed(name, members, timeout, as_json)


@commands.command()
def pause(name: str = _NAME, timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """Send nothing for now. What comes meanwhile is sent afterwards."""
    _changed(name, {"paused": True}, timeout, as_json)


@commands.command()
def resume(name: str = _NAME, timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """Go on sending, from where it stopped."""
    _changed(name, {"paused": False}, timeout, as_json)


def _changed(name: str, members: Mapping[str, Any], timeout: float, as_json: bool) -> None:
    with signed_in(timeout) as client:
        found = client.subscriptions.change(name, **members)
    if as_json:
        print_json(found)
    else:
        _tell(found)


@commands.command()
def remove(
    name: str = _NAME,
    yes: bool = typer.Option(False, "--yes", help="Do not ask."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Send nothing any more, and forget what was sent."""
    if not yes and not as_json:
        typer.confirm(f"Send nothing to {name} any more, and forget what was sent?", abort=True)
    with signed_in(timeout) as client:
        client.subscriptions.remove(name)
    if as_json:
        print_json({"removed": name})
    else:
        out.print(f"[green]✓[/] Nothing is sent to {escape(name)} any more.")


@commands.command()
def rotate(
    name: str = _NAME,
    hours: float = typer.Option(24, min=0, max=720, help="For how long the last secret signs as well."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Sign with another secret, and print it; for a while the last one signs as well."""
    with signed_in(timeout) as client:
        secret = client.subscriptions.rotate(name, hours)
    if as_json:
        print_json({"secret": secret})
    else:
        out.print(f"Another secret for [bold]{escape(name)}[/], shown this once:")
        out.print(f"  [bold]{escape(secret)}[/]")


@commands.command("test")
def send_test(name: str = _NAME, timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """Send a test, and say what it is answered."""
    with signed_in(timeout) as client:
        number = client.subscriptions.test(name)["number"]
        found = _settled(client, name, number, timeout)
    if as_json:
        print_json(found)
    else:
        _tell_delivery(found)
    if found["state"] != "sent":
        raise typer.Exit(Exit.FAILED)


def _settled(client: Any, name: str, number: int, timeout: float) -> Mapping[str, Any]:
    """A delivery, once it was tried, or as it stands after a while."""
    import time

    until = time.monotonic() + timeout
    while True:
        found: Mapping[str, Any] = client.subscriptions.delivery(name, number)
        if found["state"] != "waiting" or time.monotonic() > until:
            return found
        time.sleep(0.1)


@commands.command()
def deliveries(
    name: str = _NAME,
    state: str | None = typer.Option(None, help="Only those that are waiting, sent, parked or void."),
    limit: int = typer.Option(30, min=1, help="How many at most."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """List what was sent, and is to be sent, the newest first."""
    with signed_in(timeout) as client:
        found = list(client.subscriptions.deliveries(name, state=state, limit=limit))
    if as_json:
        print_json(found)
    elif not found:
        out.print("Nothing yet.")
    else:
        table = _table("No.", "When", "What", "Of", "State", "Tried", "Answer")
        for one in found:
            of = " ".join(part for part in (one["collection"], one["key"]) if part)
            table.add_row(
                str(one["number"]), f"{one['time'][:10]} {one['time'][11:19]}", _type(one), escape(of),
                _stands(one), str(one["attempts"]), escape(_answer(one["last"])),
            )  # fmt: skip
        out.print(table)


def _type(one: Mapping[str, Any]) -> str:
    kind: str = one["type"]
    return escape(kind.removeprefix("fenland.").removeprefix("record."))


def _stands(one: Mapping[str, Any]) -> str:
    due = f", next {one['due'][11:19]}" if one["due"] and one["attempts"] else ""
    return f"[{_STATES[one['state']]}]{one['state']}[/]{due}"


def _answer(attempt: Mapping[str, Any] | None) -> str:
    if attempt is None:
        return ""
    status = "" if attempt["status"] is None else str(attempt["status"])
    return " ".join(
        part for part in (status, attempt["why"], attempt["answer"][:60].replace("\n", " ")) if part
    )


@commands.command()
def delivery(
    name: str = _NAME,
    number: int = typer.Argument(help="The number of the delivery."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Show a delivery, and each attempt at it."""
    with signed_in(timeout) as client:
        found = client.subscriptions.delivery(name, number)
    if as_json:
        print_json(found)
    else:
        _tell_delivery(found)


def _tell_delivery(one: Mapping[str, Any]) -> None:
    of = " ".join(part for part in (one["collection"], one["key"]) if part)
    out.print(f"{one['number']}  {_type(one)} [bold]{escape(of)}[/] {_stands(one)}")
    for each in one["tried"]:
        took = f"{each['milliseconds']} ms"
        out.print(f"  {each['time'][:19]}Z  {took:>9}  {escape(_answer(each))}")


@commands.command()
def resend(
    name: str = _NAME,
    number: int | None = typer.Argument(None, help="The number of one delivery."),
    since: str | None = typer.Option(None, help="All that came since then, such as 2031-04-09 or a time."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Send again: one delivery, or all since a moment, also from before the subscription was there."""
    if (number is None) == (since is None):
        fail("Name the number of a delivery, or --since.", Exit.USAGE)
    with signed_in(timeout) as client:
        if number is not None:
            found: Mapping[str, Any] = client.subscriptions.resend(name, number)
        else:
            found = {"after": client.subscriptions.resend_since(name, str(since))}
    if as_json:
        print_json(found)
    else:
        what = counted(1, "delivery") if number is not None else f"All since {escape(since)}"
        out.print(
            f"[green]✓[/] {what} will be sent again. See: fenland subscription deliveries {escape(name)}"
        )


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.add_typer(commands, name="subscription", rich_help_panel=PANEL)
