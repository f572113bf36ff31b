"""`start --reload`: the service in a process of its own, begun anew whenever a file of the project is saved.

What was read last and is right is kept here: with it the service goes on where what is there now cannot be
read, or cannot be started with, as where it takes a migration.
"""

from __future__ import annotations

import os
import signal
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from multiprocessing import get_context
from multiprocessing.context import ForkProcess
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING

import typer

from fenland.cli.projects import LOOKS_EACH, state_of
from fenland.cli.terminal import err

if TYPE_CHECKING:
    from fenland.service.project import Project

#: Serves a project until this process is told to stop; calls what it is given once it answers.
Serve = Callable[["Project", Callable[[], None]], None]


class _Stopped(Exception):
    """The command is told to end."""


def serve_anew(folder: Path, project: Project, read: Callable[[], Project], serve: Serve) -> int:
    """Serves a project, anew whenever its files change; the exit code to end with.

    `read` gives the project as its files are now, or raises `typer.Exit` once it has told what is wrong.
    """
    with _heeding():
        seen = state_of(folder)
        running, begun = _begin(project, serve)
        if not begun:
            return running.exitcode or 1
        try:
            while running.exitcode is None:
                time.sleep(LOOKS_EACH)
                now = state_of(folder)
                if now == seen:
                    continue
                seen = now
                try:
                    newer = read()
                except typer.Exit:
                    err.print("[dim]The service goes on with what it had. Save a correction.[/]")
                    continue
                _end(running)
                running, begun = _begin(newer, serve)
                if begun:
                    project = newer
                else:
                    err.print("[dim]The service goes on with what it had.[/]")
                    running, _ = _begin(project, serve)
        except _Stopped:
            _end(running)
        return running.exitcode or 0


def _begin(project: Project, serve: Serve) -> tuple[ForkProcess, bool]:
    """The process that serves, and whether it has begun to."""
    sys.stdout.flush()
    told, tell = os.pipe()
    running = get_context("fork").Process(target=_child, args=(project, serve, told, tell))
    running.start()
    os.close(tell)
    try:
        # Nothing comes where it ends before it has begun.
        return running, os.read(told, 1) != b"" or _ended(running)
    finally:
        os.close(told)


def _ended(running: ForkProcess) -> bool:
    running.join()
    return False


def _child(project: Project, serve: Serve, told: int, tell: int) -> None:
    os.close(told)
    for each in (signal.SIGTERM, signal.SIGINT):
        signal.signal(each, signal.SIG_DFL)

    def begun() -> None:
        os.write(tell, b".")
        os.close(tell)

    try:
        serve(project, begun)
    except typer.Exit as end:
        sys.exit(end.exit_code)


def _end(running: ForkProcess) -> None:
    """Has it finish what it is doing, and end."""
    if running.exitcode is None:
        running.terminate()
    running.join()


@contextmanager
def _heeding() -> Iterator[None]:
    """Has signals to end raise `_Stopped`, so that the service ends before this does."""

    def stop(_number: int, _frame: FrameType | None) -> None:
        raise _Stopped

    before = {each: signal.signal(each, stop) for each in (signal.SIGTERM, signal.SIGINT)}
    try:
        yield
    finally:
        for each, handler in before.items():
            signal.signal(each, handler)
