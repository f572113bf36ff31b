"""Running commands as a shell would, each in a process of its own, without waiting for Python to begin each time.

One process has imported what commands need, and splits off another for each: what runs is the command itself, with
its words, folder, environment and streams.
"""

from __future__ import annotations

import atexit
import json
import os
import secrets
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

#: What is imported beforehand. Nothing of the command line itself: some of it looks at the environment.
_READY = (
    "fenland.client fenland.service.files.seeding fenland.service.upkeep.migrating "
    "fenland.service.proof.verifying_accounts fenland.web.serving.app fenland.web.serving.front "
    "fenland.web.serving.supervisor fenland.service.proof.publishing uvloop typer rich.table rich.progress"
)


class _Splitter:
    """The process that the others are split off from; begun with the first command."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None
        self._guard = threading.Lock()

    def run(self, asked: Mapping[str, Any]) -> int:
        """The exit code of a command, or its process id where it runs beside us."""
        with self._guard:
            if self._process is None:
                self._process = subprocess.Popen(
                    [sys.executable, __file__], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
                )
                atexit.register(self.end)
            assert self._process.stdin is not None
            assert self._process.stdout is not None
            self._process.stdin.write(json.dumps(asked) + "\n")
            self._process.stdin.flush()
            return int(self._process.stdout.readline())

    def end(self) -> None:
        """Ends it."""
        if self._process is not None:
            self._process.communicate()


_SPLITTER = _Splitter()


def fenland(
    *words: str,
    cwd: Path | None = None,
    env: Mapping[str, str] | None = None,
    code: int | None = 0,
    text: str = "",
) -> subprocess.CompletedProcess[str]:
    """What `fenland` with these words wrote, and its exit code, which must be `code` unless that is None."""
    with tempfile.TemporaryDirectory() as place:
        streams = {name: str(Path(place) / name) for name in ("stdin", "stdout", "stderr")}
        Path(streams["stdin"]).write_text(text)
        asked = {
            "words": words,
            "cwd": str(cwd or Path.cwd()),
            "env": dict(os.environ if env is None else env),
        }
        found = _SPLITTER.run(asked | streams)
        told = [Path(streams[name]).read_text() for name in ("stdout", "stderr")]
    assert code is None or found == code, (words, found, *told)
    return subprocess.CompletedProcess(["fenland", *words], found, *told)


class Beside:
    """A command that runs on beside us, in a process group of its own: what `Popen` is for another's child."""

    def __init__(self, words: Sequence[str], log: Path) -> None:
        self._ended = log.with_name(f"{log.name}-{secrets.token_hex(4)}")
        asked = {"words": words, "cwd": str(Path.cwd()), "env": dict(os.environ), "ended": str(self._ended)}
        streams = {"stdin": os.devnull, "stdout": str(log), "stderr": str(log)}
        self.pid = _SPLITTER.run(asked | streams)

    def poll(self) -> int | None:
        """Its exit code, once it has ended."""
        return int(self._ended.read_text()) if self._ended.exists() else None

    def wait(self, timeout: float = 120) -> int:
        """Its exit code. Raises `TimeoutError`."""
        until = time.monotonic() + timeout
        while (code := self.poll()) is None:
            if time.monotonic() > until:
                raise TimeoutError("It does not end.")
            time.sleep(0.005)
        return code

    def send_signal(self, number: int) -> None:
        """Sends it a signal, unless it has ended."""
        if self.poll() is None:
            with suppress(ProcessLookupError):
                os.kill(self.pid, number)

    def terminate(self) -> None:
        """Asks it to end."""
        self.send_signal(signal.SIGTERM)

    def kill(self) -> None:
        """Ends it."""
        self.send_signal(signal.SIGKILL)


#: What stands for the command in a shell: it hands all it was given on, and ends as that ended.
_STAND_IN = """#!{python} -SE
import json, os, socket, sys
asked = {{"words": sys.argv[1:], "cwd": os.getcwd(), "env": dict(os.environ)}}
for number, name in enumerate(("stdin", "stdout", "stderr")):
    asked[name] = f"/proc/{{os.getpid()}}/fd/{{number}}"
with socket.socket(socket.AF_UNIX) as sent:
    sent.connect({address!r})
    sent.sendall(json.dumps(asked).encode() + b"\\n")
    sys.exit(int(sent.makefile().readline()))
"""


@contextmanager
def in_shells() -> Iterator[Path]:
    """A folder for the PATH of shells, in which `fenland` is run as by `fenland` here."""
    with tempfile.TemporaryDirectory() as place, socket.socket(socket.AF_UNIX) as listening:
        folder, address = Path(place), str(Path(place) / "asked")
        command = folder / "fenland"
        command.write_text(_STAND_IN.format(python=sys.executable, address=address))
        command.chmod(0o755)
        listening.bind(address)
        listening.listen()

        def serve() -> None:
            while True:
                try:
                    connection, _ = listening.accept()
                except OSError:
                    return
                with connection, connection.makefile("rw") as lines:
                    lines.write(f"{_SPLITTER.run(json.loads(lines.readline()))}\n")

        thread = threading.Thread(target=serve, daemon=True)
        thread.start()
        yield folder
        listening.shutdown(socket.SHUT_RDWR)
        thread.join()


# --- within the process that splits ------------------------------------------------------------------------


def _become(asked: Mapping[str, Any]) -> None:
    """Runs a command in this process, and ends it."""
    # Whoever runs the tests beside something else may have it ignored, which a command at a terminal has not.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    for number, name in enumerate(("stdin", "stdout", "stderr")):
        flags = os.O_RDONLY if number == 0 else os.O_WRONLY | os.O_CREAT | os.O_APPEND
        os.dup2(os.open(asked[name], flags, 0o600), number)
    os.chdir(asked["cwd"])
    os.environ.clear()
    os.environ.update(asked["env"])
    sys.argv = ["fenland", *asked["words"]]
    code: Any = 1
    try:
        from fenland.cli.entry import run

        run()
        code = 0
    except SystemExit as end:
        code = end.code
    except BaseException:
        traceback.print_exc()
    for stream in (sys.stdout, sys.stderr):
        stream.flush()
    os._exit(code if isinstance(code, int) else int(code is not None))


def _stand_beside(asked: Mapping[str, Any]) -> int:
    """Runs a command beside us: the process id; a process between waits for its end, and notes it."""
    told, tell = os.pipe()
    if os.fork() == 0:
        child = os.fork()
        if child == 0:
            os.setsid()
            os.close(tell)
            _become(asked)
        os.write(tell, str(child).encode())
        # Whoever waits for the end of what we write must not wait for this process.
        nowhere = os.open(os.devnull, os.O_RDWR)
        for number in range(3):
            os.dup2(nowhere, number)
        os.closerange(3, 256)
        _, status = os.waitpid(child, 0)
        ended = Path(asked["ended"])
        ended.with_name("part").write_text(str(os.waitstatus_to_exitcode(status)))
        ended.with_name("part").rename(ended)
        os._exit(0)
    os.close(tell)
    with os.fdopen(told) as lines:
        return int(lines.read())


def _serve() -> None:
    for name in _READY.split():
        __import__(name)
    for line in sys.stdin:
        asked = json.loads(line)
        if "ended" in asked:
            answer = _stand_beside(asked)
        else:
            child = os.fork()
            if child == 0:
                _become(asked)
            _, status = os.waitpid(child, 0)
            answer = os.waitstatus_to_exitcode(status)
        sys.stdout.write(f"{answer}\n")
        sys.stdout.flush()


if __name__ == "__main__":
    _serve()
