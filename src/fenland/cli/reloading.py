"""`start --reload`: the service in a process of its own, begun anew whenever a file of the project is saved.

What was read last and is right is kept here: with it the service goes on where what is there now cannot be
read, or cannot be started with, as where it takes a migration.
"""

from __future__ import annotations

import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from multiprocessing import active_children, get_context
from multiprocessing.context import ForkProcess
from multiprocessing.process import BaseProcess
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING

import typer

from fenland.cli.projects import LOOKS_EACH, state_of
from fenland.cli.terminal import Exit, err

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
    running: ForkProcess | None = None
    try:
        with _heeding():
            seen = state_of(folder)
            running = _started(project, serve)
            while running is not None and running.exitcode is None:
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
                running = _started(newer, serve)
                if running is not None:
                    project = newer
                else:
                    err.print("[dim]The service goes on with what it had.[/]")
                    running = _started(project, serve)
    except _Stopped:
        return Exit.DONE
    finally:
        # Whatever ended this, nothing of it goes on.
        _end(*active_children())
    return Exit.FAILED if running is None or running.exitcode else Exit.DONE


def _started(project: Project, serve: Serve) -> ForkProcess | None:
    """The process that serves, once it has begun to; None where it ended before."""
    sys.stdout.flush()
    told, tell = os.pipe()
    running = get_context("fork").Process(target=_child, args=(project, serve, told, tell))
    running.start()
    os.close(tell)
    try:
        # Nothing comes where it ends before it has begun.
        if os.read(told, 1):
            return running
    finally:
        os.close(told)
    running.join()
    return None


def _child(project: Project, serve: Serve, told: int, tell: int) -> None:
    os.close(told)
    threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()
    for each in (signal.SIGTERM, signal.SIGINT):
        signal.signal(each, signal.SIG_DFL)

    def begun() -> None:
        os.write(tell, b".")
        os.close(tell)

    try:
        serve(project, begun)
    except typer.Exit as end:
        sys.exit(end.exit_code)


def _end_with(parent: int) -> None:
    """Ends this process once the one that began it is gone, however that went."""
    while os.getppid() == parent:
        time.sleep(1)
    os.kill(os.getpid(), signal.SIGTERM)


def _end(*processes: BaseProcess) -> None:
    """Has them finish what they are doing, and end."""
    for one in processes:
        if one.exitcode is None:
            one.terminate()
        one.join()


@contextmanager
def _heeding() -> Iterator[None]:
    """Has the first signal to end raise `_Stopped`, so that the service ends before this does."""

    def stop(_number: int, _frame: FrameType | None) -> None:
        for each in ending:
            signal.signal(each, signal.SIG_IGN)
        raise _Stopped

    ending = (signal.SIGTERM, signal.SIGINT)
    for each in ending:
        signal.signal(each, stop)
    yield
