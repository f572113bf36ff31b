"""Starting and stopping the real service, as a person would from a shell."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.request import urlopen

import httpx

from commands import Beside, fenland
from fenland.core.definitions.model import Definitions
from fenland.core.definitions.reading import definitions_from
from fenland.core.limits import DEFAULTS, Limits
from fenland.core.values.plain import write_json
from fenland.demo.data import Size
from fenland.service.accounts.accounts import NewAccount, add_account
from fenland.service.accounts.tokens import NewToken, issue_token
from fenland.service.opening import open_service
from fenland.service.own.loading import load_functions
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.web.serving.app import create_app

#: As little of the sample as shows all of it, for tests that go through the whole history again and again.
SMALL = Size(20, 50, 100, 80, (80, 30, 20, 10))
#: Whether tests that can be as long as one likes are to be long. Taken out of the environment, since the
#: services that tests start refuse variables of theirs that they do not know.
NIGHTLY = os.environ.pop("FENLAND_TESTS", "") == "nightly" or "DEEP_TESTS" in os.environ
if NIGHTLY:
    # Services take it for no setting of theirs, and the processes that tests are spread over hear of it.
    os.environ["DEEP_TESTS"] = "1"

#: Every service that was started, so that none outlives a test that failed.
STARTED: list[Running] = []

FENLAND = str(Path(sys.executable).with_name("fenland"))

#: name → role and token of the workshop's accounts.
TOKENS = {
    "olga": ("office", "token-olga"),
    "carl": ("crew", "token-carl"),
    "cora": ("crew", "token-cora"),
    "vic": ("", "token-vic"),
}


def bearer(name: str) -> dict[str, str]:
    return {"Authorization": f"Bearer {TOKENS[name][1]}"}


#: What rules can use of the workshop's accounts.
ATTRIBUTES: dict[str, dict[str, Any]] = {
    "olga": {"level": 5},
    "carl": {"area": "north", "level": 2},
    "cora": {"area": "south"},
    "vic": {},
}


def add_accounts(service: Service) -> None:
    """Adds the usual accounts."""
    for name, (role, token) in TOKENS.items():
        add_account(service, NewAccount(name, name.capitalize(), [role] if role else [], ATTRIBUTES[name]))
        issue_token(service, name, NewToken(secret=token))


#: A database for each of these definitions, as it is before its first record: to be copied.
_MADE: dict[bytes, bytes] = {}


def make_workshop(definitions: Definitions, path: Path, *, copied: bool = True) -> None:
    """Makes a database with the usual accounts; of definitions that had one before, it is copied."""
    described = write_json(dict(definitions.data))
    if described not in _MADE or not copied:
        service = open_service(definitions, path)
        add_accounts(service)
        service.close()
        _MADE[described] = path.read_bytes()
        return
    path.write_bytes(_MADE[described])


@contextmanager
def workshop_of(
    described: Mapping[str, Any], path: Path, limits: Limits = DEFAULTS, rules: str = "", **settings: Any
) -> Iterator[tuple[Service, httpx.Client]]:
    """A service over other collections, with the usual accounts, and the app as olga of the office.

    `rules` is the text of a `rules.py`.
    """
    chosen = Settings(title="Workshop", **settings)
    path.with_name("rules.py").write_text(rules)
    functions = load_functions(path.parent, chosen.rule_seconds)
    definitions = definitions_from(described, ["office", "crew"], functions)
    if not path.exists():
        make_workshop(definitions, path)
    service = open_service(definitions, path, limits, chosen.ways_in())
    service.outward, service.outsiders = chosen.outward(), chosen.outsiders()
    transport = httpx.WSGITransport(create_app(service, chosen))
    with httpx.Client(transport=transport, base_url="http://workshop", headers=bearer("olga")) as http:
        yield service, http
    service.close()


def new_project(folder: Path) -> Path:
    """A new project with the account ada, an editor, whose token is in its file `token`."""
    fenland("new", str(folder))
    # What it keeps is notes alone.
    (folder / "collections" / "views.yaml").unlink()
    added = fenland("account", "add", "ada", "--role", "editor", "--project", str(folder), "--json")
    (folder / "token").write_text(json.loads(added.stdout)["token"])
    return folder


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@dataclass
class Running:
    process: Beside | subprocess.Popen[bytes]
    address: str
    folder: Path
    log: Path

    def client(self, token: str = "sample-office") -> httpx.Client:
        headers = {"Authorization": f"Bearer {token}"}
        return httpx.Client(base_url=self.address, headers=headers, timeout=30)

    def kill(self) -> None:
        """Kills every process of the service at once, as a power cut would."""
        with suppress(ProcessLookupError):
            os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()

    def stop(self, timeout: float = 30) -> int:
        """Asks the service to stop and returns its exit code."""
        self.process.terminate()
        return self.process.wait(timeout)


#: Begins a command in a process group of its own, its words given, and where it writes.
Beginning = Callable[[Sequence[str], Path], Beside | subprocess.Popen[bytes]]


def start(command: str, folder: Path, log: Path, *options: str, begin: Beginning = Beside) -> Running:
    """Runs `fenland start` or `fenland demo` and waits for an answer."""
    port = free_port()
    process = begin([command, str(folder), "--port", str(port), *options], log)
    running = Running(process, f"http://127.0.0.1:{port}", folder, log)
    STARTED.append(running)
    until = time.monotonic() + 120
    while time.monotonic() < until:
        if process.poll() is not None:
            break
        try:
            # Not by httpx, which reads all certificates before it sends anything.
            with urlopen(f"{running.address}/healthz", timeout=2):
                return running
        except OSError:
            time.sleep(0.02)
    raise AssertionError(f"The service did not start:\n{log.read_text()}")
