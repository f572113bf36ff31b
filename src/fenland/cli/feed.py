"""Following the feed of changes, and who has a record open."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from typing import Any

import typer

from fenland.cli.completing import COLLECTION, KEY
from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import err, escape, json_option, moment, out, print_json, shown

_RESET = "What you may see is another now: read the list again."


def follow(
    collection: str | None = typer.Argument(None, help="Only this collection; without it, all of them."),
    where: str | None = typer.Option(
        None, help="Only records for which this holds, as lists take it; the others leave."
    ),
    after: str | None = typer.Option(
        None, metavar="ID", help="Go on behind this event; without it, from now on."
    ),
    once: bool = typer.Option(
        False, "--once", help="End once there are no more, instead of waiting for them."
    ),
    data: str = typer.Option(
        "changes", help="With --json, what stands beside each event: none, changes or record."
    ),
    timeout: float = TIMEOUT,
    as_json: bool = json_option(),
) -> None:
    """Show changes as they are saved, a line each, until Ctrl+C.

    A record that comes to be yours to see, or meets the condition, arrives; one that does no more leaves.
    Where the service cannot be reached it is asked again, and nothing is missed. With --json a line is an
    event.

    Example: [bold]fenland follow tickets --where 'state == "open"'[/]
    """
    last = after
    with signed_in(timeout) as client, suppress(KeyboardInterrupt):
        wait, data = 0 if once else 20, data if as_json else "changes"
        for event in client.changes(after, collection=collection, where=where, data=data, wait=wait):
            last = event["id"]
            if as_json:
                print_json(event)
            else:
                out.print(_line(event), soft_wrap=True)
    if last is not None and not as_json:
        err.print(f"[dim]To go on from here: --after {escape(last)}[/]")


def _line(event: Mapping[str, Any]) -> str:
    time, did = moment(event["time"]), event["type"].rpartition(".")[2]
    if did == "reset":
        return f"{time}  [yellow]{_RESET}[/]"
    name = event["source"].rpartition("/")[2]
    who = f" by {escape(event['actor'])}" if "actor" in event else ""
    # What merely follows from a change of another record is nobody's own doing.
    told = "derived" if event.get("action") == "derive" else did
    what = f"{time}  {escape(name)} [bold]{escape(event['subject'])}[/] {told}{who}"
    if did != "updated":
        return what
    changes = event.get("data", {}).get("changes", {})
    said = ", ".join(
        f"{field} {shown(pair['before'])} → {shown(pair['after'])}" for field, pair in changes.items()
    )
    return f"{what}: {escape(said or 'what you may not see')}"


def present(
    collection: str = COLLECTION,
    key: str = KEY,
    timeout: float = TIMEOUT,
    as_json: bool = json_option(),
) -> None:
    """Say who has a record open now, and who edits it: of those who may read it.

    Example: [bold]fenland present stations PS-014[/]
    """
    with signed_in(timeout) as client:
        found = client.presence(collection, key)
    if as_json:
        print_json(found)
        return
    if not found:
        out.print("Nobody else has it open.")
    for one in found:
        what = "is editing it" if one["editing"] else "has it open"
        out.print(f"[bold]{escape(one['title'])}[/] ({escape(one['account'])}) {what}.")


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command(rich_help_panel=PANEL)(follow)
    app.command(rich_help_panel=PANEL)(present)
