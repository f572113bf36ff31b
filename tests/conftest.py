"""What every test may use: a small project, the service over it in this process, and one on loopback."""

from __future__ import annotations

import fcntl
import gc
import os
import shutil
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
import structlog
from playwright.sync_api import Browser, Page, sync_playwright

import postgres as postgres_server
from browser import chromium, opened_page
from fenland.core.definitions.model import Definitions
from fenland.core.definitions.reading import definitions_from
from fenland.core.limits import Limits
from fenland.service.opening import open_service
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.storage.postgres.database import open_postgres
from fenland.web.serving.app import create_app
from fenland.web.serving.serve import COLLECTED_AT
from support import STARTED, TOKENS, Running, add_accounts, make_workshop, new_project, start

# As a worker has it: looking for circles as often as is usual takes a good part of the time.
gc.set_threshold(*COLLECTED_AT)

# What goes wrong is told plainly: pictures of frames take seconds each.
structlog.configure(
    processors=[structlog.dev.ConsoleRenderer(exception_formatter=structlog.dev.plain_traceback)]
)

WORKSHOP = {
    "benches": {
        "key": "code",
        "access": {"read": ["everyone"], "create": ["office"], "update": ["office"], "delete": ["office"]},
        "fields": {
            "code": {"type": "string", "required": True, "unique": True, "fixed": True},
            "name": {"type": "string", "search": True},
        },
    },
    "tools": {
        "title": "Tools",
        "key": "code",
        "owner": "holder",
        "access": {
            "read": ["everyone"],
            "create": ["crew", "office"],
            "update": ["owner", "office"],
            "delete": ["owner", "office"],
            "transfer": ["office"],
        },
        "fields": {
            "code": {"type": "string", "required": True, "unique": True, "fixed": True, "pattern": "^[A-Z]"},
            "name": {"type": "string", "required": True, "minLength": 2, "maxLength": 40, "search": True},
            "serial": {"type": "integer", "unique": True},
            "weight": {"type": "number", "multipleOf": "0.01", "minimum": 0},
            "spin": {"type": "number"},
            "sharp": {"type": "boolean", "required": True, "default": False},
            "note": {"type": "string", "maxLength": 50},
            "kept": {"type": "string", "blank": "keep"},
            "cleared": {"type": "string", "blank": "clear"},
            "strict": {"type": "string", "blank": "reject"},
            "bought_on": {"type": "string", "format": "date"},
            "seen_at": {"type": "string", "format": "date-time"},
            "labels": {"type": "array", "items": {"type": "string"}, "maxItems": 3, "uniqueItems": True},
            "maker": {
                "type": "object",
                "properties": {"name": {"type": "string"}, "town": {"type": "string", "maxLength": 9}},
            },
            "stamped": {"type": "string", "readOnly": True},
            "secret": {"type": "string", "writeOnly": True},
            "bench": {"references": "benches", "on_delete": "clear"},
            "holder": {"type": "string", "required": True},
        },
    },
    "jobs": {
        "key": "number",
        "owner": "worker",
        "access": {
            "read": ["owner", "office"],
            "create": ["crew"],
            "update": ["owner"],
            "delete": ["owner"],
            "transfer": ["office"],
        },
        "if_match": "required",
        "fields": {
            "number": {"type": "integer", "required": True, "unique": True, "fixed": True},
            "tool": {"references": "tools", "on_delete": "restrict"},
            "worker": {"type": "string", "required": True},
            "parent": {"references": "jobs", "on_delete": "cascade"},
        },
    },
}


#: The files that take longest. They begin first, so that at the end no process works alone at one of them.
LONGEST = (
    "test_console.py", "test_console_live.py", "test_verifying.py", "test_streams.py", "test_faults.py", "test_answers.py", "test_console_keys.py",
    "test_migrating.py", "test_running.py", "test_generated_clients.py", "test_guides.py", "test_bounds.py",
    "test_past_tools.py", "test_patches.py", "test_records.py", "test_wheel.py", "test_ways_to_write.py",
)  # fmt: skip


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """See `LONGEST`."""
    places = {name: place for place, name in enumerate(LONGEST)}
    items.sort(key=lambda item: places.get(item.path.name, len(places)))


def pytest_generate_tests(metafunc: pytest.Metafunc) -> None:
    """A module with `ENGINES` runs all its tests of the workshop over each of them."""
    if "service" in metafunc.fixturenames:
        engines = getattr(metafunc.module, "ENGINES", ["sqlite"])
        metafunc.parametrize("engine", engines, indirect=True, ids=None if len(engines) > 1 else [""])


@pytest.fixture(scope="session")
def postgres() -> Iterator[postgres_server.Server]:
    """A server of the second engine, for the whole session."""
    with postgres_server.server() as found:
        yield found


@pytest.fixture(autouse=True)
def _nothing_left_running() -> Iterator[None]:
    """A test that fails takes the services it started with it, so that no later one fails for them."""
    before = len(STARTED)
    yield
    for running in STARTED[before:]:
        if running.process.poll() is None:
            running.kill()


@pytest.fixture
def engine(request: pytest.FixtureRequest) -> str:
    """The name of the engine the workshop is kept in."""
    return str(request.param)


@pytest.fixture(scope="session")
def definitions() -> Definitions:
    """The workshop's."""
    return definitions_from(_exact(WORKSHOP), ["office", "crew"])


@pytest.fixture
def service(
    engine: str, definitions: Definitions, tmp_path: Path, request: pytest.FixtureRequest
) -> Iterator[Service]:
    """The workshop's service over a new database, with the usual accounts."""
    limits = Limits(body=20_000)
    if engine == "postgres":
        address = request.getfixturevalue("postgres").new_database()
        found = Service(definitions, open_postgres(address, definitions, limits), limits)
        add_accounts(found)
    else:
        make_workshop(definitions, tmp_path / "workshop.db")
        found = open_service(definitions, tmp_path / "workshop.db", limits)
    yield found
    found.close()


@pytest.fixture
def transport(service: Service) -> httpx.WSGITransport:
    """The app, called without a socket."""
    return httpx.WSGITransport(create_app(service, Settings(title="Workshop")))


@pytest.fixture
def http(transport: httpx.WSGITransport) -> Iterator[httpx.Client]:
    """The whole app, called without a socket, as olga of the office."""
    headers = {"Authorization": f"Bearer {TOKENS['olga'][1]}"}
    with httpx.Client(transport=transport, base_url="http://workshop", headers=headers) as client:
        yield client


@pytest.fixture
def project(tmp_path: Path) -> Path:
    """A new project with an account whose token is in the file `token`."""
    return new_project(tmp_path / "notes")


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    """One for all tests of a file: while it is there, no other event loop can run in this thread."""
    with sync_playwright() as playwright:
        found = chromium(playwright)
        yield found
        found.close()


@pytest.fixture
def page(browser: Browser, sample: Running) -> Iterator[Page]:
    """A browser's page of the sample's console."""
    with opened_page(browser, sample.address) as found:
        yield found


@pytest.fixture(scope="session")
def sample(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Running]:
    """The sample service with its data, running on loopback for the whole session."""
    folder = tmp_path_factory.mktemp("sample")
    base = tmp_path_factory.getbasetemp()
    shared = base.parent if "PYTEST_XDIST_WORKER" in os.environ else base
    shutil.copytree(_sample_made(shared), folder, dirs_exist_ok=True)
    running = _started(folder)
    yield running
    running.stop()
    shutil.rmtree(folder, ignore_errors=True)


def _started(folder: Path) -> Running:
    """The sample's service over a folder, which is of no test: it outlives the one that asked for it first."""
    running = start("demo", folder, folder / "service.log")
    STARTED.remove(running)
    return running


def _sample_made(shared: Path) -> Path:
    """A folder with the sample as it is at first, which whichever process comes first makes for all."""
    made = shared / "sample-as-it-is"
    with (shared / "sample.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not made.exists():
            part = shared / "sample-part"
            part.mkdir()
            _started(part).stop()
            part.rename(made)
    return made


def _exact(data: object) -> dict:
    from decimal import Decimal

    def turn(value: object) -> object:
        if isinstance(value, dict):
            return {k: Decimal(v) if k == "multipleOf" else turn(v) for k, v in value.items()}
        return value

    found = turn(data)
    assert isinstance(found, dict)
    return found
