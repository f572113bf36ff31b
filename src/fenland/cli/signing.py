"""`sign-in`, `sign-out` and `who`: which service the other commands talk to, and as whom."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import platformdirs
import typer

from fenland.cli.terminal import Exit, err, escape, fail, json_option, out, print_json, shown

if TYPE_CHECKING:
    from rich.table import Table

    from fenland.client import Client, ConflictError

PANEL = "A running service"
DEFAULT_ADDRESS = "http://127.0.0.1:8460"

#: How long the service may take to answer; every command that asks it has this.
TIMEOUT = typer.Option(
    30.0,
    "--timeout",
    envvar="FENLAND_TIMEOUT",
    min=0.1,
    metavar="SECONDS",
    help="How long to wait for an answer, and to try again when none comes.",
)

#: The exit code of each refusal, by the status it comes with.
_CODES = {
    401: Exit.NOT_SIGNED_IN,
    403: Exit.NOT_PERMITTED,
    404: Exit.NOT_FOUND,
    409: Exit.CONFLICT,
    412: Exit.CONFLICT,
    422: Exit.INVALID,
    428: Exit.CONFLICT,
}


def _file() -> Path:
    return Path(platformdirs.user_config_dir("fenland")) / "sign-in.json"


def _kept() -> dict[str, str]:
    try:
        kept = json.loads(_file().read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return kept if isinstance(kept, dict) else {}


def client_for(timeout: float) -> Client:
    """A client for the service signed in to.

    FENLAND_ADDRESS and FENLAND_TOKEN in the environment win over what `sign-in` kept.
    """
    from fenland.client import Client

    kept = _kept()
    address = os.environ.get("FENLAND_ADDRESS") or kept.get("address") or DEFAULT_ADDRESS
    token = os.environ.get("FENLAND_TOKEN") or kept.get("token")
    return Client(address, token, via="command-line", timeout=timeout)


@contextmanager
def signed_in(timeout: float) -> Iterator[Client]:
    """The same, its errors ending the command with their exit code."""
    with telling(), client_for(timeout) as client:
        yield client


@contextmanager
def telling() -> Iterator[None]:
    """Ends the command with what the client's error says, and the exit code of its kind."""
    from fenland.client import (
        ConflictError,
        NoAnswerYetError,
        ProblemError,
        UnreachableError,
        UnsendableError,
    )

    try:
        yield
    except UnsendableError as error:
        fail(str(error), Exit.USAGE)
    except NoAnswerYetError as error:
        fail(str(error), Exit.UNREACHABLE)
    except UnreachableError as error:
        fail(f"{error} Is it running? Start one with: fenland demo", Exit.UNREACHABLE)
    except ConflictError as error:
        if error.conflicts:
            err.print(_conflict_table(error))
        message = error.detail if error.conflicts else str(error)
        fail(message, Exit.CONFLICT, error.problem)
    except ProblemError as error:
        code = _CODES.get(error.status, Exit.FAILED)
        hint = " Sign in with: fenland sign-in" if code is Exit.NOT_SIGNED_IN else ""
        fail(f"{error}{hint}", code, error.problem)


def _conflict_table(error: ConflictError) -> Table:
    """What others changed too, side by side with what was sent."""
    from rich.table import Table
    from rich.text import Text

    table = Table(box=None, header_style="bold", pad_edge=False, padding=(0, 2, 0, 0))
    for title in ("Field", "At the base", "Theirs, now", "Yours"):
        table.add_column(title, overflow="fold")
    for one in error.conflicts:
        mine = one.yours if one.only_if is None else f"only if {shown(one.only_if)}"
        table.add_row(one.field, *(Text(shown(value)) for value in (one.base, one.current, mine)))
    return table


def sign_in(
    address: str = typer.Option(DEFAULT_ADDRESS, envvar="FENLAND_ADDRESS", help="Where the service answers."),
    token: str | None = typer.Option(
        None, help="Asked for when left out; read from standard input where that is no terminal."
    ),
    timeout: float = TIMEOUT,
) -> None:
    """Sign in to a service: the address and the token are kept for the other commands."""
    from fenland.client import Client

    if not address.startswith(("http://", "https://")):
        fail(f"{address!r} is not an address. Write it with http:// or https://.", Exit.USAGE)
    if token is None:
        # Where there is no terminal, nothing can be hidden, and asking for it would only warn of that.
        token = typer.prompt("Token", hide_input=True) if sys.stdin.isatty() else sys.stdin.readline()
    token = str(token).strip()
    if not token:
        fail("That is no token. Send the one you were given, on one line.", Exit.USAGE)
    with telling(), Client(address, token, via="command-line", timeout=timeout) as client:
        session = client.session()
    path = _file()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with open(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w", encoding="utf-8") as file:
            json.dump({"address": address, "token": token}, file)
    except OSError as error:
        fail(f"{path} cannot be written: {error.strerror}.")
    out.print(f"[green]✓[/] Signed in to {escape(address)} as [bold]{escape(session['title'])}[/].")


def sign_out() -> None:
    """Sign out: forget the address and the token."""
    _file().unlink(missing_ok=True)
    out.print("[green]✓[/] Signed out.")


def who(timeout: float = TIMEOUT, as_json: bool = json_option()) -> None:
    """Say who you are signed in as, and with which roles."""
    with signed_in(timeout) as client:
        session = client.session()
    if as_json:
        print_json(session)
    else:
        roles = ", ".join(session["roles"]) or "none"
        out.print(f"[bold]{escape(session['title'])}[/] ({escape(session['account'])}), roles: {roles}")


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command("sign-in", rich_help_panel=PANEL)(sign_in)
    app.command("sign-out", rich_help_panel=PANEL)(sign_out)
    app.command("who", rich_help_panel=PANEL)(who)
