"""`account`: who may sign in, kept in the project's database by whoever can reach its folder."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING

import typer
from rich.table import Table

from fenland.cli.projects import PANEL, open_project
from fenland.cli.terminal import Exit, counted, escape, fail, json_option, moment, out, print_json
from fenland.core.problems import Conflict, Invalid, NotFound

if TYPE_CHECKING:
    from fenland.service.service import Service
    from fenland.storage.door import Account

commands = typer.Typer(help="Keep the accounts of a project and their tokens.", no_args_is_help=True)

_PROJECT = typer.Option(Path("."), "--project", envvar="FENLAND_PROJECT", help="The project's folder.")
_JSON = json_option()


@contextmanager
def project_service(folder: Path) -> Iterator[Service]:
    """The service over a project's own database; what it refuses ends the command."""
    from fenland.service.opening import open_project_service
    from fenland.service.upkeep.migrating import as_kept, made_now
    from fenland.storage.door import DatabaseRefused

    project = open_project(folder)
    try:
        made = made_now("command-line", at_start=False)
        service = open_project_service(project, made, as_kept(project))
    except DatabaseRefused as error:
        fail(str(error))
    try:
        yield service
    except NotFound as error:
        fail(error.detail, Exit.NOT_FOUND)
    except Conflict as error:
        fail(error.detail, Exit.CONFLICT)
    except Invalid as error:
        fail(" ".join(f"{one.pointer[1:]}: {one.detail}" for one in error.problems), Exit.INVALID)
    finally:
        service.close()


def _account_json(account: Account) -> dict[str, object]:
    return {
        "name": account.name,
        "title": account.title,
        "roles": sorted(account.roles),
        "attributes": account.attributes,
        "disabled": account.disabled,
    }


_ATTRIBUTE = typer.Option(
    [], "--attribute", metavar="NAME=VALUE", help="An attribute for rules to use; repeat for several."
)
_PASSWORD = typer.Option(False, "--password", help="Ask for a password, for signing in with a browser.")


def _attributes(given: list[str]) -> dict[str, object]:
    """Attributes as they are given: values are JSON where they can be, else texts; empty takes one away."""
    found: dict[str, object] = {}
    for one in given:
        name, equals, text = one.partition("=")
        if not equals or not name:
            fail(f"--attribute {one} is no NAME=VALUE.", Exit.USAGE)
        try:
            found[name] = json.loads(text) if text else None
        except ValueError:
            found[name] = text
    return found


def _asked_password() -> str:
    """A password, asked for twice on a terminal, or the first line of the standard input."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    password: str = typer.prompt("Password", hide_input=True, confirmation_prompt=True)
    return password


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
    attribute: list[str] = _ATTRIBUTE,
    password: bool = _PASSWORD,
    project: Path = _PROJECT,
    as_json: bool = _JSON,
) -> None:
    """Add an account and print its first token. One that is there is left as it is, and told of."""
    from fenland.service.accounts.accounts import NewAccount, add_account
    from fenland.service.accounts.tokens import NewToken, issue_token

    attributes, secret = _attributes(attribute), _asked_password() if password else None
    with project_service(project) as service:
        add_account(service, NewAccount(name, title, role, attributes, secret))
        _told(name, issue_token(service, name, NewToken("first"))[0], as_json)


@commands.command()
def change(
    name: str = typer.Argument(help="The account's name."),
    title: str | None = typer.Option(None, help="What people call them from now on."),
    role: list[str] = typer.Option([], help="The roles it has from now on; repeat for several."),
    no_roles: bool = typer.Option(False, "--no-roles", help="Take every role away."),
    attribute: list[str] = _ATTRIBUTE,
    password: bool = _PASSWORD,
    disabled: bool | None = typer.Option(
        None, "--disable/--enable", help="Keep the account from everything, or let it in again."
    ),
    project: Path = _PROJECT,
    as_json: bool = _JSON,
) -> None:
    """Change an account from this moment on; what is not named stays."""
    from fenland.core.changes.patches import merge
    from fenland.core.values.plain import MISSING
    from fenland.service.accounts.accounts import AccountChange, change_account, find_account

    if role and no_roles:
        fail("--role and --no-roles are both given. Use one of them.", Exit.USAGE)
    nothing = title is None and disabled is None and not (role or no_roles or attribute or password)
    if nothing:
        what = "--title, --role, --no-roles, --attribute, --password or --disable"
        fail(f"Nothing to change. Name {what}.", Exit.USAGE)
    attributes, secret = _attributes(attribute), _asked_password() if password else MISSING
    with project_service(project) as service:
        kept = merge(find_account(service, name).attributes, attributes) if attribute else MISSING
        wanted = AccountChange(
            MISSING if title is None else title,
            role if role or no_roles else MISSING,
            kept,
            MISSING if disabled is None else disabled,
            secret,
        )
        account = change_account(service, name, wanted)
    if as_json:
        print_json(_account_json(account))
        return
    named = ", ".join(sorted(account.roles)) or "none"
    out.print(f"[green]✓[/] {escape(name)} is {escape(account.title)}, roles: {escape(named)}.")


@commands.command()
def token(
    name: str = typer.Argument(help="The account's name."),
    label: str = typer.Option("", help="What the token is for."),
    days: int | None = typer.Option(None, min=1, max=36500, help="Let it end after so many days."),
    right: list[str] = typer.Option(
        [], help="Lend this right alone: read, create, update, delete, transfer; repeat for several."
    ),
    collection: list[str] = typer.Option([], help="Reach this collection alone; repeat for several."),
    project: Path = _PROJECT,
    as_json: bool = _JSON,
) -> None:
    """Print a new token for an account. Only its hash is kept, so it cannot be shown again."""
    from fenland.service.accounts.tokens import NewToken, issue_token, read_scope

    sent = {"rights": right or None, "collections": collection or None} if right or collection else None
    with project_service(project) as service:
        lifetime = None if days is None else timedelta(days=days)
        new = NewToken(label, lifetime, read_scope(service, sent))
        _told(name, issue_token(service, name, new)[0], as_json)


@commands.command()
def tokens(
    name: str = typer.Argument(help="The account's name."),
    project: Path = _PROJECT,
    as_json: bool = _JSON,
) -> None:
    """List an account's tokens: what each is for, and when it ends. The tokens themselves are not kept."""
    from fenland.service.accounts.tokens import list_tokens

    with project_service(project) as service:
        found = list_tokens(service, name)
    if as_json:
        print_json([{**asdict(one), "scope": one.scope and one.scope.as_json()} for one in found])
        return
    columns = ("Id", "Kind", "For", "Made", "Last used", "Ends")
    table = Table(*columns, box=None, header_style="bold", pad_edge=False)
    for one in found:
        ends = "never" if one.expires_at is None else moment(one.expires_at)
        used = "never" if one.used_at is None else moment(one.used_at)
        table.add_row(one.id, one.kind, escape(one.label), moment(one.created_at), used, ends)
    out.print(
        table if found else f"{escape(name)} has no tokens. Make one with: fenland account token {name}"
    )


@commands.command()
def revoke(
    name: str = typer.Argument(help="The account's name."),
    token_id: str | None = typer.Option(
        None, "--token", metavar="ID", help="Only the token with this id, as `account tokens` lists it."
    ),
    project: Path = _PROJECT,
    as_json: bool = _JSON,
) -> None:
    """Revoke every token of an account, or one of them, from this moment on."""
    from fenland.service.accounts.tokens import revoke_tokens

    with project_service(project) as service:
        count = revoke_tokens(service, name, token_id)
    if as_json:
        print_json({"account": name, "revoked": count})
        return
    out.print(f"[green]✓[/] {counted(count, 'token')} of {escape(name)} revoked.")


@commands.command("list")
def list_all(project: Path = _PROJECT, as_json: bool = _JSON) -> None:
    """List the accounts and their roles."""
    from fenland.service.accounts.accounts import list_accounts

    with project_service(project) as service:
        found = list_accounts(service)
    if as_json:
        print_json([_account_json(one) for one in found])
        return
    table = Table("Name", "Title", "Roles", "Attributes", box=None, header_style="bold", pad_edge=False)
    for one in found:
        attributes = ", ".join(f"{name}={value}" for name, value in one.attributes.items())
        title = f"{one.title} (disabled)" if one.disabled else one.title
        table.add_row(one.name, escape(title), ", ".join(sorted(one.roles)), escape(attributes))
    out.print(table if found else "There are no accounts. Add one with: fenland account add NAME --role ROLE")


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.add_typer(commands, name="account", rich_help_panel=PANEL)
