"""Running the app in granian, the production WSGI server (docs/decisions/001-server.md says why).

The parent process checks what can be checked before it starts workers; each worker then opens the
project itself, told where it lies by `PROJECT_VARIABLE`.
"""

from __future__ import annotations

import multiprocessing
import os
import socket
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from pathlib import Path

import structlog
from flask import Flask
from granian import Granian
from granian.constants import Interfaces
from granian.log import LogLevels

from fenland.service.project import Project, load_project
from fenland.service.service import open_service
from fenland.storage.database import DatabaseRefused, fold
from fenland.web.app import create_app
from fenland.web.logs import configure

PROJECT_VARIABLE = "FENLAND_PROJECT"


class StartRefused(Exception):
    """The service cannot start; the message says why and what to do."""


def worker_app() -> Flask:
    """The app of one worker process."""
    project = load_project(Path(os.environ[PROJECT_VARIABLE]))
    configure(project.settings)
    settings = project.settings
    service = open_service(project.definitions, settings.database, settings.limits())
    return create_app(service, settings)


def _check_port(host: str, port: int) -> None:
    # Workers share the port, so they would start beside a stranger who shares it too: ask alone first.
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    with socket.socket(family) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            raise StartRefused(
                f"{host}:{port} cannot be used: {error.strerror}. "
                "Stop what listens there, or choose another port with --port."
            ) from None


def _tell_when_ready(address: str, tell: Callable[[str], None]) -> None:
    for _ in range(600):
        try:
            with urllib.request.urlopen(f"{address}/healthz", timeout=1):  # noqa: S310 - our own http
                tell(address)
                return
        except (urllib.error.URLError, OSError):
            time.sleep(0.05)


def run(project: Project, ready: Callable[[str], None]) -> None:
    """Serves a project until it is told to stop; running requests are finished first.

    Calls `ready` with the address once the service answers. Raises `StartRefused`.
    """
    settings = project.settings
    _check_port(settings.host, settings.port)
    try:
        open_service(project.definitions, settings.database).close()
    except DatabaseRefused as error:
        raise StartRefused(str(error)) from None
    os.environ[PROJECT_VARIABLE] = str(project.folder.resolve())
    configure(settings)
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    address = f"http://{host}:{settings.port}"
    # A process, not a thread: a worker forked beside a thread could inherit a lock that it holds.
    multiprocessing.Process(target=_tell_when_ready, args=(address, ready), daemon=True).start()
    server = Granian(
        "fenland.web.serve:worker_app",
        address=settings.host,
        port=settings.port,
        interface=Interfaces.WSGI,
        workers=settings.workers,
        blocking_threads=settings.threads,
        backpressure=max(settings.threads * 8, 128),
        workers_kill_timeout=settings.stop_timeout,
        respawn_failed_workers=True,
        factory=True,
        websockets=False,
        log_level=LogLevels.error,
    )
    server.serve()
    fold(settings.database)
    structlog.get_logger().info("stopped")
