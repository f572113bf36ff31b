"""The entry point of `fenland`: what programs ask often is answered before anything is loaded."""

from __future__ import annotations

import sys

import fenland


def version_line() -> str:
    """What `--version` prints."""
    return f"fenland {fenland.__version__}"


def run() -> None:
    """Runs the command that stands in `sys.argv`."""
    if sys.argv[1:] == ["--version"]:
        print(version_line())  # noqa: T201
        return
    # Nobody asks for the command line of httpx, which loads as much again as all of httpx.
    sys.modules.setdefault("httpx._main", None)  # type: ignore[arg-type]
    from fenland.cli.main import run

    run()
