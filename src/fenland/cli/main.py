"""The `fenland` command.

Of the files of commands only that of the command which was asked for is loaded, and all of them to tell what
there is. They import what is slow to load (the database, the server, HTTP) inside the functions that need it.
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from importlib import import_module

import typer

from fenland.cli.entry import version_line
from fenland.cli.terminal import Exit, answer_json, error_json, tell

#: The files here, in the order of the help, and the commands that each registers.
COMMANDS = {
    "projects": "new check",
    "consequences": "consequences recompute",
    "notices": "notices",
    "subscriptions": "subscription",
    "receiving": "receiver",
    "feed": "follow present",
    "running": "start demo issuer",
    "migrating": "migrate",
    "describing": "describe seed",
    "backups": "backup restore-backup",
    "accounts": "account",
    "signing": "sign-in sign-out who",
    "records": "collections calls list show create update edit delete",
    "history": "history difference restore undo erase",
    "proof": "head evidence export-history verify archive erase-removed new-key",
    "inspecting": "requests",
    "batch": "batch",
    "files": "import export",
    "passes": "pass",
    "proposals": "proposals",
    "access": "explain rules update-many delete-many",
    "evaluating": "evaluate",
}
_FILES = {command: file for file, commands in COMMANDS.items() for command in commands.split()}


def command_line(words: Sequence[str] = ()) -> typer.Typer:
    """The command line: of these words if the first is a command, else all of it."""
    file = _FILES.get(words[0]) if words else None
    app = _bare()
    for name in COMMANDS if file is None else [file]:
        import_module(f"fenland.cli.{name}").register(app)
    return app


def _bare() -> typer.Typer:
    app = typer.Typer(
        name="fenland",
        help=(
            "Describe record types once; get an API, a client, this command line and a web console "
            "over them.\n\n"
            "Try it: [bold]fenland demo[/] starts a sample service. "
            "Begin your own with [bold]fenland new DIR[/], "
            "check it with [bold]fenland check DIR[/], run it with [bold]fenland start DIR[/]."
        ),
        no_args_is_help=True,
        rich_markup_mode="rich",
        pretty_exceptions_enable=False,
        context_settings={"help_option_names": ["-h", "--help"]},
    )
    app.callback()(main)
    return app


def _version(asked: bool) -> None:
    if asked:
        typer.echo(version_line())
        raise typer.Exit


def main(
    version: bool = typer.Option(
        False, "--version", callback=_version, is_eager=True, help="Print the version and end."
    ),
) -> None:
    """Runs before every command; the options of all commands are on the commands themselves."""
    answer_json(False)


def run() -> None:
    """The entry point. Asked for JSON, it answers with JSON when the words of the command are wrong, too."""
    words = sys.argv[1:]
    try:
        _run(words)
    except Exception as error:
        # What works on the database itself can be refused by it, and by functions of the project's own.
        if error.__class__.__module__ != "fenland.core.problems":
            raise
        if "--json" in words:
            error_json(str(error), Exit.FAILED)
        tell(str(error))
        sys.exit(Exit.FAILED)


def _run(words: Sequence[str]) -> None:
    app = command_line(words)
    if "--json" not in words:
        app()
    try:
        sys.exit(app(standalone_mode=False))
    except typer.TyperException as error:
        error_json(error.format_message(), Exit.USAGE)
        sys.exit(Exit.USAGE)
    except typer.Abort:
        sys.exit(Exit.FAILED)


if __name__ == "__main__":
    run()
