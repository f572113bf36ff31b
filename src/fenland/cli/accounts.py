"""`account`: who may sign in, kept in the project's database by whoever can reach its folder."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import typer
from rich.table import Table

from fenland.cli.console import Exit, escape, fail, out, print_json
from fenland.cli.projects import PANEL, open_project
from fenland.core.problems import Invalid, NotFound

if TYPE_CHECKING:
    from fenland.service.service import Service

commands = typer.Typer(help="Keep the accounts of a project and their tokens.", no_args_is_help=True)

_PROJECT = typer.Option(Path("."), "--project", help="The project's folder.")
_JSON = typer.Option(False, "--json", help="Answer with JSON, for scripts.")


@contextmanager
def _service(folder: Path) -> Iterator[Service]:
    from fenland.service.service import open_service
    from fenland.storage.database import DatabaseRefused

    project = open_project(folder)
    try:
        service = open_service(project.definitions, project.settings.database)
    except DatabaseRefused as error:
        fail(str(error))
    try:
        yield service
    except NotFound as error:
        fail(error.detail, Exit.NOT_FOUND)
    except Invalid as error:
        fail(" ".join(f"{one.pointer[1:]}: {one.detail}" for one in error.problems), Exit.INVALID)
    finally:
        service.close()


def _told(account: str, token: str, as_json: bool) -> None:
    if as_json:
        print_json({"account": account, "token": token})
        return
    out.print(f"[green]✓[/] A token for [bold]{account}[/], shown this once:")
    out.print(f"  [bold]{token}[/]")


@commands.command()
def add(
    name: str = typer.Argument(help="The account's name, such as ada.marsh."),
    title: str = typer.Option("", help="What people call them; the name if left out."),
    role: list[str] = typer.Option([], help="A role from fenland.toml; repeat for several."),
    project: Path = _PROJECT,
    as_json: bool = _JSON,
) -> None:
    """Add an account and print its first token. For one that is there: set its title and roles."""
    from fenland.service.accounts import issue_token, list_accounts, put_account

    with _service(project) as service:
        known = name in [account.name for account in list_accounts(service)]
        account = put_account(service, name, title, role)
        if known:
            out.print(f"[green]✓[/] {escape(account.title)} now has the roles: {', '.join(role) or 'none'}.")
            return
        _told(name, issue_token(service, name, label="first"), as_json)


@commands.command()
def token(
    name: str = typer.Argument(help="The account's name."),
    label: str = typer.Option("", help="What the token is for."),
    project: Path = _PROJECT,
    as_json: bool = _JSON,
) -> None:
    """Print a new token for an account. Only its hash is kept, so it cannot be shown again."""
    from fenland.service.accounts import issue_token

    with _service(project) as service:
        _told(name, issue_token(service, name, label=label), as_json)


@commands.command()
def revoke(name: str = typer.Argument(help="The account's name."), project: Path = _PROJECT) -> None:
    """Revoke every token of an account, from this moment on."""
    from fenland.service.accounts import revoke_tokens

    with _service(project) as service:
        out.print(f"[green]✓[/] {revoke_tokens(service, name)} revoked.")


@commands.command("list")
def list_all(project: Path = _PROJECT, as_json: bool = _JSON) -> None:
    """List the accounts and their roles."""
    from fenland.service.accounts import list_accounts

    with _service(project) as service:
        found = list_accounts(service)
    if as_json:
        print_json([{"name": one.name, "title": one.title, "roles": sorted(one.roles)} for one in found])
        return
    table = Table("Name", "Title", "Roles", box=None, header_style="bold", pad_edge=False)
    for one in found:
        table.add_row(one.name, one.title, ", ".join(sorted(one.roles)))
    out.print(table if found else "There are no accounts. Add one with: fenland account add NAME --role ROLE")


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.add_typer(commands, name="account", rich_help_panel=PANEL)
