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
from contextlib import contextmanager, suppress
from dataclasses import replace
from multiprocessing import active_children, get_context
from multiprocessing.context import ForkProcess
from multiprocessing.process import BaseProcess
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING

from fenland.cli.projects import LOOKS_EACH, state_of, tell_mistakes
from fenland.cli.terminal import Exit, err, tell

if TYPE_CHECKING:
    from fenland.core.definitions.model import Mistake
    from fenland.service.mistakes import Mistakes
    from fenland.service.project import Project

#: Serves a project until this process is told to stop; calls what it is given once it answers. Raises
#: `StartRefused` where it cannot.
Serve = Callable[["Project", Callable[[], None]], None]
#: What comes of a process once it answers.
_BEGUN = "."
#: Bytes of what else comes: why it does not.
_LONGEST = 4096


class _Stopped(Exception):
    """The command is told to end."""


def serve_anew(folder: Path, project: Project, read: Callable[[], Project], serve: Serve) -> int:
    """Serves a project, anew whenever its files change; the exit code to end with.

    `read` gives the project as its files are now, or raises `DefinitionMistakes`.
    """
    from fenland.service.mistakes import Mistakes

    running: ForkProcess | None = None
    try:
        with _heeding():
            seen, mistakes = state_of(folder), Mistakes()
            project = replace(project, mistakes=mistakes)
            running = _started(project, serve, mistakes)
            while running is not None and running.exitcode is None:
                time.sleep(LOOKS_EACH)
                now = state_of(folder)
                if now == seen:
                    continue
                seen = now
                newer = _read(read, mistakes)
                if newer is None:
                    err.print("[dim]The service goes on with what it had. Save a correction.[/]")
                    continue
                newer = replace(newer, mistakes=mistakes)
                _end(running)
                mistakes.tell("")
                running = _started(newer, serve, mistakes)
                if running is not None:
                    project = newer
                else:
                    err.print("[dim]The service goes on with what it had.[/]")
                    why = mistakes.told
                    running = _started(project, serve, mistakes)
                    mistakes.tell(why)
    except _Stopped:
        return Exit.DONE
    finally:
        # Whatever ended this, nothing of it goes on.
        _end(*active_children())
    return Exit.FAILED if running is None or running.exitcode else Exit.DONE


def _read(read: Callable[[], Project], mistakes: Mistakes) -> Project | None:
    """The project as its files are now; None, with what is wrong told, where they cannot be read."""
    from fenland.core.definitions.model import DefinitionMistakes

    try:
        return read()
    except DefinitionMistakes as error:
        tell_mistakes(error)
        mistakes.tell("\n".join(map(_as_text, error.mistakes)))
    except OSError as error:
        # Such as while an editor puts another file in the place of one.
        why = f"{error.filename or 'The project folder'} cannot be read: {error.strerror}."
        tell(why)
        mistakes.tell(why)
    return None


def _as_text(mistake: Mistake) -> str:
    lines = [f"{mistake.place}  {mistake.what} {mistake.hint}".strip()]
    return "\n    ".join(lines + mistake.caret.splitlines())


def _started(project: Project, serve: Serve, mistakes: Mistakes) -> ForkProcess | None:
    """The process that serves, once it has begun to; None, with why told, where it ended before."""
    sys.stdout.flush()
    told, telling = os.pipe()
    running = get_context("fork").Process(target=_child, args=(project, serve, told, telling))
    running.start()
    os.close(telling)
    try:
        # Nothing comes where it ends before it has begun, and did not tell why.
        why = os.read(told, _LONGEST).decode(errors="replace")
    finally:
        os.close(told)
    if why == _BEGUN:
        return running
    running.join()
    if why:
        tell(why)
        mistakes.tell(why)
    return None


def _child(project: Project, serve: Serve, told: int, telling: int) -> None:
    from fenland.web.serving.serve import StartRefused

    os.close(told)
    threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()
    for each in (signal.SIGTERM, signal.SIGINT):
        signal.signal(each, signal.SIG_DFL)

    def begun() -> None:
        os.write(telling, _BEGUN.encode())
        os.close(telling)

    try:
        serve(project, begun)
    except StartRefused as error:
        with suppress(OSError):
            # Whoever began it tells why, if it waits still.
            os.write(telling, str(error).encode()[:_LONGEST])
        sys.exit(Exit.FAILED)


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
