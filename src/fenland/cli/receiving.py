"""`receiver`: a stand-in for another system that notices are sent to."""

from __future__ import annotations

from contextlib import suppress
from datetime import UTC, datetime
from typing import TYPE_CHECKING

import typer

from fenland.cli.projects import PANEL
from fenland.cli.terminal import escape, fail, json_option, out, print_json, shown

if TYPE_CHECKING:
    from fenland.demo.receiver import Received


def receiver(
    secret: list[str] = typer.Option(
        ...,
        envvar="FENLAND_SECRET",
        help="What signs the notices, as it was shown; repeat while it is rotated.",
    ),
    port: int = typer.Option(8480, min=1, max=65535, help="The port to listen on."),
    fail_first: int = typer.Option(0, "--fail", min=0, help="Answer the first so many with 503."),
    status: int = typer.Option(200, min=200, max=599, help="Answer with this status."),
    stall: float = typer.Option(0.0, min=0.0, metavar="SECONDS", help="Wait so long before each answer."),
    odd: bool = typer.Option(
        False, "--odd", help="Answer what nobody should, in turn: redirects, garbage, without end."
    ),
    as_json: bool = json_option("A line of JSON for each that comes."),
) -> None:
    """Run a stand-in for another system: it verifies what is sent to it, and shows it.

    The service must be allowed to send there: notice_plain_http = true, notice_networks = \\["127.0.0.0/8"].

    Example: [bold]fenland receiver --secret whsec_… --fail 2[/]
    """
    from fenland.client import verified
    from fenland.demo.receiver import Behaviour, ReceiverServer

    def heard(received: Received) -> None:
        if as_json:
            print_json(received._asdict())
        else:
            out.print(_line(received), soft_wrap=True)

    try:
        server = ReceiverServer(
            lambda headers, body: verified(headers, body, secret),
            port,
            Behaviour(fail_first, stall, status, odd),
            heard,
        )
    except OSError as error:
        fail(f"Port {port} cannot be listened on: {error.strerror}. Choose another with --port.")
    if not as_json:
        out.print(f"[green]✓[/] A receiver takes notices at [bold]{server.address}[/]  (Ctrl-C stops it)")
    with suppress(KeyboardInterrupt):
        server.serve_forever()


def _line(received: Received) -> str:
    event = received.event
    mark = f"[red]✗ {escape(received.why)}[/]" if received.why else "[green]✓[/]"
    said = shown(event["data"]) if event.get("data") else ""
    about = f"{event.get('type', '')} [bold]{escape(event.get('subject', ''))}[/]"
    now = datetime.now(UTC).strftime("%H:%M:%S")
    return f"{now} {mark} {about} {escape(said)} [dim]answered {received.answered}[/]"


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command(rich_help_panel=PANEL)(receiver)
