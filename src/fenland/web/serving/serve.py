"""Running the app in granian behind the front (docs/decisions/001-server.md and 005-front.md say why).

The parent process checks what can be checked before it starts workers; each worker then opens the
project itself, told where it lies by `PROJECT_VARIABLE`.
"""

from __future__ import annotations

import errno
import gc
import multiprocessing
import os
import resource
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path

import structlog
from granian.constants import HTTPModes, Interfaces, Loops
from granian.http import HTTP1Settings
from granian.log import LogLevels

from fenland.core.problems import Unavailable
from fenland.service.opening import open_project_service
from fenland.service.project import Project, load_project
from fenland.service.proof.proving import signing_key
from fenland.service.proof.publishing import publish_always
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.service.upkeep.backups import make_due
from fenland.service.upkeep.migrating import made_now
from fenland.storage.door import DatabaseRefused, beside, checkpoint
from fenland.web.files import body_limits
from fenland.web.serving.app import create_app
from fenland.web.serving.front import Front, Served
from fenland.web.serving.logs import configure
from fenland.web.serving.short import short_requests
from fenland.web.serving.supervisor import Supervisor, listen

PROJECT_VARIABLE = "FENLAND_PROJECT"
#: Under this name workers are told which process they end with.
PARENT_VARIABLE = "FENLAND_PARENT"

#: Seconds between two times that last uses are kept.
_NOTED_EACH = 20

#: New objects, and collections of younger ones, after which circles of garbage are looked for.
_COLLECTED_AT = (20_000, 20, 20)

#: Set by the first worker that takes connections; made before any is forked.
_STARTED = multiprocessing.Event()
#: Set when the workers are about to be told to stop.
_STOPPING = multiprocessing.Event()


class StartRefused(Exception):
    """The service cannot start; the message says why and what to do."""


def worker() -> Front:
    """What one worker process serves."""
    project = load_project(Path(os.environ[PROJECT_VARIABLE]))
    configure(project.settings)
    settings = project.settings
    try:
        # Begun later, it must not take in what was written since: the others would be under older ones.
        service = open_project_service(project, made_now("start", at_start=False))
    except DatabaseRefused as error:
        structlog.get_logger().error("worker cannot begin", why=str(error))
        raise SystemExit(1) from None
    threading.Thread(target=_note_uses, args=[service], daemon=True).start()
    if settings.backup_hours:
        threading.Thread(target=_back_up, args=[settings], daemon=True).start()
    if settings.head_minutes and settings.head_target:
        lock = beside(settings.database, ".heads")
        arguments = [service, settings.head_target, settings.head_minutes, lock]
        threading.Thread(target=publish_always, args=arguments, daemon=True).start()
    front = front_of(service, settings)
    # What is there now stays, and requests leave few circles behind: to look for them as often as is usual
    # takes a fifth of the time of an import.
    gc.collect()
    gc.freeze()
    gc.set_threshold(*_COLLECTED_AT)
    return front


def _note_uses(service: Service) -> None:
    """Keeps now and then when tokens were last used: sessions end by it."""
    while True:
        time.sleep(_NOTED_EACH)
        # What cannot be kept now is kept with what comes next, or lost: it is no change of anybody's.
        with suppress(Unavailable):
            service.database.note_uses()


def _back_up(settings: Settings) -> None:
    """Makes backups when they are due; of several workers one makes each."""
    while True:
        make_due(settings, datetime.now(UTC))
        time.sleep(_NOTED_EACH)


def front_of(service: Service, settings: Settings) -> Front:
    """The front before the app over an open service."""
    return Front(
        Served(
            app=create_app(service, settings).wsgi_app,
            turn=service.database.turn,
            together=service.database.together,
            short=short_requests(service),
            at_once=lambda path: path == "/healthz",
            close=service.close,
            threads=settings.threads,
            body_limit=body_limits(service.limits),
            body_timeout=settings.body_timeout,
            prefix=settings.prefix,
            growth=service.database.growth,
            stopping=_STOPPING.is_set,
            began=_STARTED.set,
            parent=int(os.environ.get(PARENT_VARIABLE, "0")),
        )
    )


def _allow_connections(wanted: int) -> None:
    """Raises the number of files this process may open, each connection being one."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    if soft < wanted + 256:
        most = wanted + 256 if hard == resource.RLIM_INFINITY else min(wanted + 256, hard)
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))


def run(project: Project, ready: Callable[[str], None]) -> None:
    """Serves a project until it is told to stop; running requests are finished first.

    Calls `ready` with the address once the service answers. Raises `StartRefused`.
    """
    settings = project.settings
    try:
        listening = listen(settings.host, settings.port, settings.send_timeout)
    except OSError as error:
        what = f"{settings.host}:{settings.port} cannot be listened on: {error.strerror or error}."
        remedy = "Choose an address of this machine with --host"
        if error.errno == errno.EADDRINUSE:
            remedy = "Stop what listens there, or choose another port with --port"
        raise StartRefused(f"{what} {remedy}.") from None
    try:
        made = made_now("start", at_start=settings.migrate_at_start)
        service = open_project_service(project, made)
        # Made at the first start: nobody should have to wait for it, or find that it cannot be.
        signing_key(service)
    except (DatabaseRefused, Unavailable) as error:
        listening.close()
        raise StartRefused(str(error)) from None
    service.close()
    os.environ[PROJECT_VARIABLE] = str(project.folder.resolve())
    os.environ[PARENT_VARIABLE] = str(os.getpid())
    configure(settings)
    if service.database.taken:
        log = structlog.get_logger()
        log.info(
            "definitions taken in", number=service.database.number, steps=" ".join(service.database.taken)
        )
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    address = f"http://{host}:{settings.port}"
    _allow_connections(settings.connections)
    server = Supervisor(
        "fenland.web.serving.serve:worker",
        address=settings.host,
        port=settings.port,
        interface=Interfaces.RSGI,
        loop=Loops.uvloop,
        http=HTTPModes.http1,
        workers=settings.workers,
        backpressure=settings.connections,
        http1_settings=HTTP1Settings(header_read_timeout=int(settings.head_timeout * 1000)),
        workers_kill_timeout=settings.shutdown_timeout,
        respawn_failed_workers=True,
        factory=True,
        websockets=False,
        log_level=LogLevels.error,
        listening=listening,
        started=_STARTED.is_set,
        stopping=_STOPPING.set,
        ready=lambda: ready(address),
    )
    server.serve()
    checkpoint(settings.database)
    if not _STARTED.is_set():
        raise StartRefused("The service could not begin; the lines above say why.")
    structlog.get_logger().info("stopped")
