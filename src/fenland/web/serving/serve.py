"""Running the app behind the front (docs/decisions/001-server.md and 005-front.md say why).

The parent process checks what can be checked before it starts workers; each worker then opens the project
itself.
"""

from __future__ import annotations

import asyncio
import errno
import gc
import os
import resource
import socket
import threading
import time
from collections.abc import Callable, Collection
from contextlib import suppress
from datetime import UTC, datetime
from functools import partial

import structlog
import uvloop

from fenland.core.problems import Unavailable
from fenland.service.notices.sending import send_always
from fenland.service.opening import open_project_service
from fenland.service.project import Project
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
from fenland.web.serving.http1 import Deadlines
from fenland.web.serving.listening import Listening
from fenland.web.serving.logs import configure
from fenland.web.serving.short import ShortRequests
from fenland.web.serving.streams import Bounds, Feed
from fenland.web.serving.supervisor import Supervisor, listen

#: Seconds between two times that last uses are kept.
_NOTED_EACH = 20

#: New objects, and collections of younger ones, after which circles of garbage are looked for.
COLLECTED_AT = (20_000, 20, 20)


class StartRefused(Exception):
    """The service cannot start; the message says why and what to do."""


def work(project: Project, listening: socket.socket, parent: int, began: Callable[[], None]) -> None:
    """What one worker process does: serves until it is told to end.

    `parent` is the process that it ends with; `began` is called once connections are taken.
    """
    settings = project.settings
    try:
        # Begun later, it must not take in what was written since: the others would be under older ones.
        service = open_project_service(project, made_now("start", at_start=False))
    except DatabaseRefused as error:
        structlog.get_logger().error("worker cannot begin", why=str(error))
        raise SystemExit(1) from None
    threading.Thread(target=_note_uses, args=[service], daemon=True).start()
    sending = [service, beside(settings.database, ".sending")]
    threading.Thread(target=send_always, args=sending, daemon=True).start()
    if settings.backup_hours:
        threading.Thread(target=_back_up, args=[settings], daemon=True).start()
    if settings.head_minutes and settings.head_target:
        lock = beside(settings.database, ".heads")
        arguments = [service, settings.head_target, settings.head_minutes, lock]
        threading.Thread(target=publish_always, args=arguments, daemon=True).start()
    front = front_of(service, settings, parent)
    # What is there now stays, and requests leave few circles behind: to look for them as often as is usual
    # takes a fifth of the time of an import.
    gc.collect()
    gc.freeze()
    gc.set_threshold(*COLLECTED_AT)
    serve_on(listening, front, settings, began)


def serve_on(
    listening: socket.socket, front: Front, settings: Settings, began: Callable[[], None] = lambda: None
) -> None:
    """Has a front answer what comes in on a socket, until this process is told to end."""
    deadlines = Deadlines(settings.head_timeout, settings.body_timeout)
    with asyncio.Runner(loop_factory=uvloop.new_event_loop) as runner:
        taken = Listening(listening, front, deadlines, settings.connections)
        runner.run(front.serve(taken, began))


def _note_uses(service: Service) -> None:
    """Keeps now and then when tokens were last used: sessions end by it; removes what the inspector kept."""
    while True:
        time.sleep(_NOTED_EACH)
        # What cannot be kept now is kept with what comes next, or lost: it is no change of anybody's.
        with suppress(Unavailable):
            service.database.note_uses()
        service.database.inspector.tidy(time.time())


def _back_up(settings: Settings) -> None:
    """Makes backups when they are due; of several workers one makes each."""
    while True:
        make_due(settings, datetime.now(UTC))
        time.sleep(_NOTED_EACH)


def front_of(service: Service, settings: Settings, parent: int = 0) -> Front:
    """The front before the app over an open service; it ends with the parent process."""
    short = ShortRequests(service)
    return Front(
        Served(
            app=create_app(service, settings, ready=True).wsgi_app,
            turn=service.database.turn,
            together=service.database.together,
            short=short.kind,
            was_long=short.was_long,
            at_once=lambda path: path == "/healthz",
            close=service.close,
            threads=settings.threads,
            body_limit=body_limits(service.limits),
            body_timeout=settings.body_timeout,
            prefix=settings.prefix,
            feed=feed_of(service),
            streams=Bounds(settings.account_streams, settings.streams),
            parent=parent,
        )
    )


def feed_of(service: Service) -> Feed:
    """What streams over an open service are fed from."""
    database = service.database

    def changed_since(above: int) -> tuple[int, Collection[str]]:
        with database.reading() as reading:
            return database.history.changed_since(reading, above)

    return Feed(database.growth, database.turn, changed_since, database.accounts_stamp)


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
    configure(settings)
    if taken := service.database.taken:
        log = structlog.get_logger()
        log.info("definitions taken in", number=service.database.number, steps=" ".join(taken))
    # The workers have their own.
    del service
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    address = f"http://{host}:{settings.port}"
    _allow_connections(settings.connections)
    supervisor = Supervisor(
        partial(work, project, listening, os.getpid()),
        workers=settings.workers,
        stop_within=settings.shutdown_timeout,
        ready=lambda: ready(address),
    )
    begun = supervisor.serve()
    listening.close()
    checkpoint(settings.database)
    if not begun:
        raise StartRefused("The service could not begin; the lines above say why.")
    structlog.get_logger().info("stopped")
