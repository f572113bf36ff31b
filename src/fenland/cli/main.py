"""The `fenland` command.

The files of commands import what is slow to load (the database, the server, HTTP) inside the
functions that need it, so that help and small commands answer at once.
"""

from __future__ import annotations

import sys

import typer

import fenland
from fenland.cli import (
    access,
    accounts,
    backups,
    batch,
    describing,
    evaluating,
    files,
    history,
    migrating,
    projects,
    proof,
    records,
    running,
    signing,
)
from fenland.cli.terminal import Exit, answer_json, error_json

app = typer.Typer(
    name="fenland",
    help=(
        "Describe record types once; get an API, a client, this command line and a web console over them.\n\n"
        "Try it: [bold]fenland demo[/] starts a sample service. "
        "Begin your own with [bold]fenland new DIR[/], "
        "check it with [bold]fenland check DIR[/], run it with [bold]fenland start DIR[/]."
    ),
    no_args_is_help=True,
    rich_markup_mode="rich",
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
)


def _version(asked: bool) -> None:
    if asked:
        typer.echo(f"fenland {fenland.__version__}")
        raise typer.Exit


@app.callback()
def main(
    version: bool = typer.Option(
        False, "--version", callback=_version, is_eager=True, help="Print the version and end."
    ),
) -> None:
    """Runs before every command; the options of all commands are on the commands themselves."""
    answer_json(False)


projects.register(app)
running.register(app)
migrating.register(app)
describing.register(app)
backups.register(app)
accounts.register(app)
signing.register(app)
records.register(app)
history.register(app)
proof.register(app)
batch.register(app)
files.register(app)
access.register(app)
evaluating.register(app)


def run() -> None:
    """The entry point. Asked for JSON, it answers with JSON when the words of the command are wrong, too."""
    if "--json" not in sys.argv[1:]:
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
