"""`sign-in`, `sign-out` and `who`: which service the other commands talk to, and as whom."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import platformdirs
import typer

from fenland.cli.console import Exit, escape, fail, out, print_json

if TYPE_CHECKING:
    from fenland.client import Client

PANEL = "A running service"
DEFAULT_ADDRESS = "http://127.0.0.1:8460"

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


@contextmanager
def signed_in() -> Iterator[Client]:
    """A client for the service signed in to, whose errors end the command with their exit code.

    FENLAND_ADDRESS and FENLAND_TOKEN in the environment win over what `sign-in` kept.
    """
    from fenland.client import Client

    kept = _kept()
    address = os.environ.get("FENLAND_ADDRESS") or kept.get("address") or DEFAULT_ADDRESS
    token = os.environ.get("FENLAND_TOKEN") or kept.get("token")
    with telling(), Client(address, token, via="command-line") as client:
        yield client


@contextmanager
def telling() -> Iterator[None]:
    """Ends the command with what the client's error says, and the exit code of its kind."""
    from fenland.client import ProblemError, UnreachableError

    try:
        yield
    except UnreachableError as error:
        fail(f"{error} Is it running? Start one with: fenland demo", Exit.UNREACHABLE)
    except ProblemError as error:
        code = _CODES.get(error.status, Exit.FAILED)
        hint = " Sign in with: fenland sign-in" if code is Exit.NOT_SIGNED_IN else ""
        fail(f"{error}{hint}", code)


def sign_in(
    address: str = typer.Option(DEFAULT_ADDRESS, help="Where the service answers."),
    token: str = typer.Option(..., prompt=True, hide_input=True, help="Asked for when left out."),
) -> None:
    """Sign in to a service: the address and the token are kept for the other commands."""
    from fenland.client import Client

    if not address.startswith(("http://", "https://")):
        fail(f"{address!r} is not an address. Write it with http:// or https://.", Exit.USAGE)
    with telling(), Client(address, token, via="command-line") as client:
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


def who(as_json: bool = typer.Option(False, "--json", help="Answer with JSON, for scripts.")) -> None:
    """Say who you are signed in as, and with which roles."""
    with signed_in() as client:
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
