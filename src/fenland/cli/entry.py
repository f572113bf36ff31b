"""The entry point of `fenland`: what programs ask often is answered before anything is loaded."""

from __future__ import annotations

import sys

import fenland


def run() -> None:
    """Runs the command that stands in `sys.argv`."""
    if sys.argv[1:] == ["--version"]:
        print(f"fenland {fenland.__version__}")  # noqa: T201
        return
    from fenland.cli.main import run

    run()
