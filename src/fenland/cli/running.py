"""`start`, `demo` and `issuer`: running the service, and what stands in for an outside issuer."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import typer
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

from fenland.cli.projects import PANEL, open_project
from fenland.cli.terminal import err, escape, fail, out

if TYPE_CHECKING:
    from fenland.service.project import Project

_HOST = typer.Option(None, help="The address to listen on, in place of the setting.")
_PORT = typer.Option(None, min=1, max=65535, help="The port to listen on, in place of the setting.")
_WORKERS = typer.Option(None, min=1, max=64, help="Processes that answer, in place of the setting.")


@contextmanager
def _telling() -> Iterator[None]:
    from fenland.storage.door import DatabaseRefused
    from fenland.web.serving.serve import StartRefused

    try:
        yield
    except (StartRefused, DatabaseRefused) as error:
        fail(str(error))
    except OSError as error:
        fail(_unusable(error))


def _unusable(error: OSError) -> str:
    return f"{error.filename or 'The project folder'} cannot be used: {error.strerror}."


def _with(project: Project, host: str | None, port: int | None, workers: int | None) -> Project:
    given = {"host": host, "port": port, "workers": workers}
    settings = project.settings.model_copy(
        update={name: value for name, value in given.items() if value is not None}
    )
    return replace(project, settings=settings)


def start(
    folder: Path = typer.Argument(Path("."), help="The project's folder."),
    host: str | None = _HOST,
    port: int | None = _PORT,
    workers: int | None = _WORKERS,
    reload: bool = typer.Option(
        False,
        "--reload",
        help="Begin anew whenever a file of the project is saved, for who writes definitions and rules.",
    ),
) -> None:
    """Start the service of a project, until Ctrl-C or a TERM signal: running requests are finished first.

    With --reload, what is wrong with a file that was saved is told here, and the service goes on with what it
    had; else it finishes what it is doing and begins anew, by what the files say now.
    """
    from fenland.web.serving.serve import run

    project = _with(open_project(folder), host, port, workers)
    if reload:
        from fenland.cli.reloading import serve_anew
        from fenland.service.project import load_project

        def read() -> Project:
            return _with(load_project(folder), host, port, workers)

        raise typer.Exit(serve_anew(folder, project, read, _serve))
    with _telling():
        run(project, lambda address: _ready(project, address))


def _serve(project: Project, begun: Callable[[], None]) -> None:
    """Serves a project; tells once it answers. Raises `StartRefused`."""
    from fenland.web.serving.serve import StartRefused, run

    def ready(address: str) -> None:
        _ready(project, address)
        begun()

    try:
        run(project, ready)
    except OSError as error:
        raise StartRefused(_unusable(error)) from None


def demo(
    folder: Path = typer.Argument(Path("fenland-demo"), help="Where the sample is laid, and found again."),
    host: str | None = _HOST,
    port: int | None = _PORT,
    workers: int | None = _WORKERS,
    fill_only: bool = typer.Option(
        False, "--fill-only", help="Lay and fill the sample, and do not start it."
    ),
) -> None:
    """Start a sample service: a made-up drainage board with a few thousand records.

    The first start lays the project into a folder and fills its database; later starts find it there.
    """
    from fenland.web.serving.serve import run

    with _telling():
        project, count = _laid(folder)
        scripts = project.settings.log_format == "json"
        if count is not None and not scripts:
            out.print(f"[green]✓[/] {count} records are in [bold]{escape(project.settings.database)}[/]")
        if not fill_only:
            run(
                _with(project, host, port, workers),
                lambda address: _ready(project, address) if scripts else _introduce(address),
            )


def _ready(project: Project, address: str) -> None:
    """Says that the service answers; in JSON where its log is."""
    if project.settings.log_format == "json":
        typer.echo(json.dumps({"event": "answers", "title": project.settings.title, "address": address}))
    else:
        out.print(f"[green]✓[/] {escape(project.settings.title)} answers at {address}")


def _laid(folder: Path) -> tuple[Project, int | None]:
    from fenland.demo.sample import lay_sample

    columns = (TextColumn("Filling the sample"), BarColumn(), MofNCompleteColumn())
    with Progress(*columns, console=err, transient=True) as progress:
        task = progress.add_task("filling", total=None)
        return lay_sample(folder, lambda done, total: progress.update(task, completed=done, total=total))


def _introduce(address: str) -> None:
    from fenland.demo.data import ACCOUNTS, PASSWORD

    out.print(f"\n[green]✓[/] The sample answers at [bold]{address}[/]  (Ctrl-C stops it)\n")
    out.print(f"  Sign in to the console with one of these names and the password [bold]{PASSWORD}[/];")
    out.print("  programs send the token as Authorization: Bearer TOKEN")
    for one in ACCOUNTS:
        out.print(f"    [bold]{one.name:<15}[/] {one.token:<18} {one.title} ({one.role})")
    token = ACCOUNTS[0].token
    out.print(f"\n  curl -H 'Authorization: Bearer {token}' {address}/v1/records/stations/PS-014\n")


def issuer(port: int = typer.Option(8470, min=1, max=65535, help="The port to listen on.")) -> None:
    """Run a stand-in for an outside issuer of JSON Web Tokens, to try signing in with one.

    It believes everybody: [bold]curl 127.0.0.1:8470/token -d '{"sub": "ada", "roles": ["crew"]}'[/]
    """
    from fenland.demo.issuer import AUDIENCE, IssuerServer

    try:
        server = IssuerServer(port)
    except OSError as error:
        fail(f"Port {port} cannot be listened on: {error.strerror}. Choose another with --port.")
    out.print(f"[green]✓[/] A stand-in issuer answers at [bold]{server.address}[/]  (Ctrl-C stops it)")
    out.print("  For fenland.toml:")
    out.print(f'    issuer = "{server.address}"')
    out.print(f'    issuer_audience = "{AUDIENCE}"')
    with suppress(KeyboardInterrupt):
        server.serve_forever()


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    app.command(rich_help_panel=PANEL)(start)
    app.command(rich_help_panel=PANEL)(demo)
    app.command(rich_help_panel=PANEL)(issuer)
