"""Writing to people and to scripts, and the exit codes that both can rely on."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Mapping
from enum import IntEnum
from typing import Any, NoReturn

import typer
from rich.console import Console

from fenland.core.values.plain import write_json

out = Console(highlight=False, soft_wrap=True)
err = Console(stderr=True, highlight=False, soft_wrap=True)


#: What is said of a record whose change took it out of one's sight.
UNSEEN = "[green]✓[/] Done. You may not see the record any more."


class Exit(IntEnum):
    """What a command's exit code says; docs/commands.md lists them."""

    DONE = 0
    FAILED = 1
    USAGE = 2
    NOT_SIGNED_IN = 3
    NOT_FOUND = 4
    NOT_PERMITTED = 5
    CONFLICT = 6
    INVALID = 7
    UNREACHABLE = 8
    DEFINITIONS = 9


class _Answering:
    """How the command that runs answers; set by its `--json`."""

    as_json = False


def answer_json(asked: bool) -> bool:
    """Notes whether the command answers with JSON: then its errors are JSON too."""
    _Answering.as_json = asked
    return asked


def json_option(words: str = "Answer with JSON, for scripts; errors too.") -> Any:
    """The `--json` that commands have."""
    return typer.Option(False, "--json", help=words, callback=answer_json, is_eager=True)


def error_json(message: str, code: int, problem: Mapping[str, Any] | None = None) -> None:
    """An error as JSON on standard output, on one line; `problem` is what the service answered."""
    error: dict[str, Any] = {"exit_code": int(code), "detail": message}
    print_json({"error": {**error, "problem": problem} if problem else error})


def fail(message: str, code: Exit = Exit.FAILED, problem: Mapping[str, Any] | None = None) -> NoReturn:
    """Says what is wrong on standard error, as JSON on standard output too, and ends with this code."""
    if _Answering.as_json:
        error_json(message, code, problem)
    tell(message)
    raise typer.Exit(code)


def tell(message: str) -> None:
    """Says what is wrong to people, on standard error."""
    err.print(f"[bold red]✗[/] {escape(message)}")


def log_to_stderr() -> None:
    """Has what the service would log go to standard error: standard output is the command's answer."""
    import structlog

    # The stream as it is by then.
    structlog.configure(logger_factory=lambda *_: structlog.PrintLogger(sys.stderr))


def counted(number: int, noun: str) -> str:
    """So many of something: `1 field`, `3 fields`."""
    return f"{number} {noun}" if number == 1 else f"{number} {noun}s"


def escape(text: Any) -> str:
    """Text that rich shows as it is."""
    return str(text).replace("[", "\\[")


def shown(value: Any) -> str:
    """A value as text for people."""
    if value is None:
        return "–"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, (list, dict)):
        return write_json(value).decode()
    return str(value)


def moment(text: str) -> str:
    """A moment as the service gives it, for people: in UTC, and saying so."""
    return f"{text[:10]} {text[11:16]} UTC"


def print_json(value: object) -> None:
    """JSON for scripts: one value on one line of standard output, every number as exact as it is kept."""
    # Not by the standard encoder, which would turn exact decimals into floats.
    typer.echo(write_json(value).decode())


def tell_copies(names: Iterable[str]) -> None:
    """Names the copies of a database that hold still what was erased, on standard error."""
    listed = list(names)
    if listed:
        err.print("Copies of the database that were made before hold it still, until they are removed:")
    for name in listed:
        err.print(f"  {escape(name)}")
