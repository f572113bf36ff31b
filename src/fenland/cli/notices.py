"""Notices that rules left for other systems, for who manages accounts."""

from __future__ import annotations

import typer
from rich.table import Table

from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import counted, escape, json_option, out, print_json, shown


def notices(
    after: int | None = typer.Option(
        None,
        min=0,
        metavar="NUMBER",
        help="In order, and only those behind this one; 0 is from the first on.",
    ),
    limit: int = typer.Option(50, min=1, help="How many at most."),
    timeout: float = TIMEOUT,
    as_json: bool = json_option(),
) -> None:
    """Show the notices that effects left for other systems, the newest first.

    A notice is written with the change that it comes of, and kept for notice_days. For who manages accounts.

    Example: [bold]fenland notices --after 120 --json[/]
    """
    with signed_in(timeout) as client:
        found = list(client.notices(after=after, limit=limit))
    if as_json:
        print_json(found)
        return
    if not found:
        out.print("No notices." if not after else f"No notices behind {after}.")
        return
    table = Table(
        "No.",
        "Time",
        "Notice",
        "Of",
        "Says",
        box=None,
        header_style="bold",
        pad_edge=False,
        padding=(0, 2, 0, 0),
    )
    for one in found:
        says = ", ".join(f"{name}: {shown(value)}" for name, value in one["data"].items())
        of = f"{one['collection']} {one['key']}"
        table.add_row(str(one["number"]), one["time"][:19], escape(one["notice"]), escape(of), escape(says))
    out.print(table)
    if after is not None and len(found) == limit:
        out.print(f"[dim]{counted(limit, 'notice')} shown. The next: --after {found[-1]['number']}[/]")


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command(rich_help_panel=PANEL)(notices)
