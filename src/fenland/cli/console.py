"""Writing to people and to scripts, and the exit codes that both can rely on."""

from __future__ import annotations

import json
from enum import IntEnum
from typing import Any, NoReturn

import typer
from rich.console import Console

out = Console(highlight=False, soft_wrap=True)
err = Console(stderr=True, highlight=False, soft_wrap=True)


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


def fail(message: str, code: Exit = Exit.FAILED) -> NoReturn:
    """Says what is wrong on standard error and ends with this code."""
    err.print(f"[bold red]✗[/] {escape(message)}")
    raise typer.Exit(code)


def escape(text: Any) -> str:
    """Text that rich shows as it is."""
    return str(text).replace("[", "\\[")


def moment(text: str) -> str:
    """A moment as the service gives it, for people: in UTC, and saying so."""
    return f"{text[:10]} {text[11:16]} UTC"


def print_json(value: Any) -> None:
    """JSON for scripts: one value, on standard output, and nothing else there."""
    typer.echo(json.dumps(value, indent=2, ensure_ascii=False, default=str))
